"""Lists of what is known, read as rows: a station may have thousands of cultivars."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from django.db.models import Count

from evarlo.catalogue.models import Cultivar, Synonym


@dataclass(frozen=True)
class CultivarRow:
    """A cultivar in a list: its crop and other names as words, and in how many trials it stands."""

    pk: int
    name: str
    crop: str
    note: str
    breeding: str
    maturity: str
    use: str
    trials: int
    also: str


def cultivar_rows() -> list[CultivarRow]:
    """Every cultivar that has a name."""
    also: dict[int, list[str]] = defaultdict(list)
    for cultivar, name in Synonym.objects.values_list("cultivar_id", "name"):
        also[cultivar].append(name)
    told = Cultivar.objects.filter(stands_in=False).annotate(n=Count("entries"))
    rows = told.values_list("pk", "name", "crop__name", "note", "breeding", "maturity", "use", "n")
    return [CultivarRow(*row, also=", ".join(also.get(row[0], ()))) for row in rows]
