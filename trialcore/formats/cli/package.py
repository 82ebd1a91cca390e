"""The values of a trial out of a data package, a zip archive that describes itself in `datapackage.json`."""

from __future__ import annotations

import json
import zipfile
from dataclasses import dataclass

END = "/values.csv"
MOST_BYTES = 200_000_000


@dataclass(frozen=True)
class TrialValues:
    """One trial's flat table of plots as CSV, and what the package says of it: its design, its check (each empty when not said),
    where the entries of a split-plot are."""

    name: str
    text: str
    design: str = ""
    check: str = ""
    entries: str = "whole"


def is_package(file: str) -> bool:
    """Whether a file is a zip archive, as packages are."""
    return zipfile.is_zipfile(file)


def trial_values(file: str, trial: str = "") -> TrialValues:
    """The values of `trial`, by the name of its folder; without one, of the only trial that has any. Raises ValueError, which says
    which there are."""
    with zipfile.ZipFile(file) as archive:
        found = {n.split("/")[-2]: n for n in archive.namelist() if n.startswith("trials/") and n.endswith(END)}
        name = trial or (next(iter(found)) if len(found) == 1 else "")
        if name not in found:
            raise ValueError(f"{trial or 'no trial named'}; the package has values of {', '.join(sorted(found)) or 'no trial'}")
        path = found[name]
        if archive.getinfo(path).file_size > MOST_BYTES:
            raise ValueError(f"{path} is too large")
        return TrialValues(name, archive.read(path).decode("utf-8-sig"), **_about(archive, path))


def _about(archive: zipfile.ZipFile, path: str) -> dict[str, str]:
    try:
        told = json.loads(archive.read("datapackage.json"))
        about = next(r.get("trial", {}) for r in told["resources"] if r["path"] == path)
        return {k: str(about[k]) for k in ("design", "check", "entries") if about.get(k)}
    except (KeyError, ValueError, TypeError, StopIteration, AttributeError):
        return {}
