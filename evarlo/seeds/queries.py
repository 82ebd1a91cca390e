"""What is in stock, how old it is, and whether it will do."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from django.db.models import Q, Sum

from evarlo.seeds.models import GerminationTest, Lot
from evarlo.ui.words import counted
from trialcore.reckoning.germination import wilson_interval


@dataclass(frozen=True)
class Stock:
    """A lot with what its ledger leaves. `age` in years; `worn` when it is older than the crop's seed keeps, `doubtful` when
    it may be."""

    lot: Lot
    seeds: int
    age: int | None
    keeps: tuple[float, float] | None
    tested: tuple[int, int] | None = None  # normal seedlings, of how many, in the newest germination test that has ended

    @property
    def worn(self) -> bool:
        return self.age is not None and self.keeps is not None and self.age > self.keeps[1]

    @property
    def doubtful(self) -> bool:
        return self.age is not None and self.keeps is not None and self.age > self.keeps[0]

    @property
    def said(self) -> str:
        """What to beware of, in words; empty when there is nothing."""
        if self.seeds < 0:
            return "More was taken than came in: count the packet."
        if self.less_than_stated:
            return self.less_than_stated
        if self.keeps is None or not self.doubtful:
            return ""
        low, high = self.keeps
        kept = f"seed of this crop keeps {low:g} to {high:g} years"
        advice = "Expect it to fail." if self.worn else "Test it before relying on it."
        return f"{counted(self.age or 0, 'year')} old; {kept}. {advice}"

    @property
    def germination(self) -> float | None:
        """The share that germinates, in percent: as tested where a test has ended, else as stated."""
        if self.tested is None:
            return self.lot.germination
        return max(1.0, 100 * self.tested[0] / self.tested[1])

    @property
    def less_than_stated(self) -> str:
        """What a test found where even the upper end of its interval lies below what the supplier states; else empty."""
        if self.tested is None or self.lot.germination is None:
            return ""
        high = 100 * wilson_interval(*self.tested)[1]
        if high >= self.lot.germination:
            return ""
        return f"Tested at {self.germination:.0f} % (at most {high:.0f} %), {self.lot.germination:g} % were stated."


def stocks(year: int, cultivars: Iterable[int] | None = None) -> list[Stock]:
    """Every lot with its stock and its age in `year`; of some cultivars only where their ids are given."""
    lots = Lot.objects.select_related("cultivar__crop").annotate(left=Sum("moves__seeds"))
    if cultivars is not None:
        lots = lots.filter(cultivar__in=cultivars)
    made, tests = [], _tested(cultivars)
    for lot in lots:
        keeps = lot.cultivar.crop.profile.get("seed_years") if lot.material == Lot.Material.SEED else None
        age = year - lot.year if lot.year else None
        made.append(Stock(lot, lot.left or 0, age, (keeps[0], keeps[1]) if keeps else None, tests.get(lot.pk)))
    return made


def stocks_by_cultivar(year: int, cultivars: Iterable[int]) -> dict[int, list[Stock]]:
    """The lots of some cultivars, by cultivar id, the freshest first; none that has no lot."""
    by_cultivar: dict[int, list[Stock]] = defaultdict(list)
    for stock in sorted(stocks(year, cultivars), key=lambda s: (s.worn, -(s.lot.year or 0))):
        by_cultivar[stock.lot.cultivar_id].append(stock)
    return dict(by_cultivar)


def _tested(cultivars: Iterable[int] | None) -> dict[int, tuple[int, int]]:
    """By lot: normal seedlings and seeds of its newest germination test that has ended."""
    tests = GerminationTest.objects.in_force().filter(method=GerminationTest.Method.GERMINATION, ended_on__isnull=False)
    if cultivars is not None:
        tests = tests.filter(lot__cultivar__in=cultivars)
    standing = Sum("counts__normal", filter=Q(counts__superseded_by__isnull=True))
    return {t.lot_id: (t.found or 0, t.sown) for t in tests.annotate(found=standing).order_by("began_on", "pk")}


def by_crop(found: Iterable[Stock]) -> list[tuple[str, list[Stock]]]:
    """Stocks under the names of their crops."""
    groups: dict[str, list[Stock]] = defaultdict(list)
    for stock in found:
        groups[stock.lot.cultivar.crop.name].append(stock)
    return sorted(groups.items())
