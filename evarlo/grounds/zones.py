"""Time zones by their usual names, Area/City, as this machine knows them; looked through once, for that takes a while."""

from __future__ import annotations

from functools import cache
from zoneinfo import available_timezones


@cache
def known_zones() -> frozenset[str]:
    return frozenset(available_timezones())


@cache
def offered_zones() -> tuple[str, ...]:
    """Those of an area and a city, in order."""
    return tuple(sorted(z for z in known_zones() if "/" in z and not z.startswith(("Etc/", "SystemV/"))))
