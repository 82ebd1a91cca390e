"""The value of each plot in every trait that has records, as the comparisons use it: one flat table a trial, which the command
line analyses as it stands in the package."""

from __future__ import annotations

import csv
import io
from typing import Any

from evarlo.compare.analysis import plot_values
from evarlo.trials.columns import DESIGNS, columns_of
from evarlo.trials.models import Trial
from evarlo.trials.queries import plots_of, readings_of, traits_with_records


def values_of(trial: Trial) -> tuple[str, dict[str, Any]] | None:
    """The table as CSV, and what it is: the columns with their units, the design, and the code of the check. None for a trial
    without records. A blank is a plot without a value or one that is left out."""
    plots, traits = plots_of(trial), [t for t in traits_with_records(trial) if t.compared]
    if not plots or not traits:
        return None
    labels: dict[str, list[str]] = {"plot": [p.number for p in plots], **columns_of(trial, plots)}
    labels.setdefault("row", [str(p.row) for p in plots])
    labels.setdefault("col", [str(p.col) for p in plots])
    values = {t.key: [v.value for v in plot_values(t, plots, readings_of(trial, t))] for t in traits}
    out = io.StringIO()
    made = csv.writer(out)
    made.writerow([*labels, *values])
    for i in range(len(plots)):
        made.writerow([*(column[i] for column in labels.values()), *("" if v[i] is None else v[i] for v in values.values())])
    fields = [{"name": name, "type": "string"} for name in labels]
    fields += [{"name": t.key, "type": "number", "title": t.name, "unit": t.shown_unit} for t in traits]
    check = next((p.entry.code for p in plots if p.entry.is_check), "")
    about = {"design": DESIGNS[trial.design], "check": check, "entries": "whole" if trial.entries_whole else "sub"}
    return out.getvalue(), {"schema": {"fields": fields, "missingValues": [""]}, "trial": about}
