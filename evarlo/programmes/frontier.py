"""What a rule costs: how often it is wrong and what it finds in simulated programmes of the same size, reckoned once and kept."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from typing import Any

from evarlo.programmes.judging import FLAT, rule_of
from evarlo.programmes.models import Frontier, Programme
from trialcore.inference.simulated_programme import Station, figures_of, play
from trialcore.inference.verdict import Dropping, Rule

WORLDS = 120
CHECKS = (("a check drawn like the entries", None), ("a good check", 0.6))
BARS = (0.90, 0.95, 0.97)
MOST_PLACES, MOST_BLOCKS, MOST_CHECKS = 60, 8, 6


@dataclass(frozen=True)
class Bar:
    """One rule of the table, in words, with its figures against a check of either kind; None where they are still to be
    reckoned."""

    said: str
    own: bool
    figures: tuple[dict[str, Any] | None, ...]


def station_of(programme: Programme) -> Station:
    """The programme's newest trial as a simulated one: its entries, blocks and plots of the check."""
    member = programme.memberships.select_related("trial").order_by("-trial__season", "-pk").first()
    if member is None:
        return Station()
    trial = member.trial
    entries = trial.entries.filter(is_check=False, repeated=False).count()
    checks = trial.plots.filter(entry__is_check=True).count() / max(1, trial.blocks)
    return Station(
        places=min(MOST_PLACES, max(3, entries)),
        blocks=min(MOST_BLOCKS, max(2, trial.blocks)),
        check_plots=min(MOST_CHECKS, max(1, round(checks))),
    )


def rules_of(programme: Programme) -> list[tuple[str, bool, Rule]]:
    """The rules that are set against each other: three bars over all seasons, each season by itself, and the programme's own."""
    own = rule_of(programme)
    some = [(f"all seasons, bar {bar:.0%}".replace("%", " %"), Rule(allowed_better=bar)) for bar in BARS]
    some += [("each season by itself, bar 95 %", Rule(flat=True, sure_better=FLAT[0.95], dropping=Dropping.CLEAR))]
    some += [("all seasons, dropped after two behind", Rule(dropping=Dropping.TWO_BAD))]
    made = [(said, _same(rule, own), rule) for said, rule in some]
    return made if any(mine for _, mine, _ in made) else [*made, ("as this programme has it", True, own)]


def _same(one: Rule, other: Rule) -> bool:
    if one.flat and other.flat:
        return one.sure_better == other.sure_better and one.dropping == other.dropping
    same = one.allowed_better == other.allowed_better and one.dropping == other.dropping and one.fresh == other.fresh
    return one.flat == other.flat and same


def table_of(programme: Programme) -> list[Bar]:
    """The table as far as it has been reckoned."""
    at = station_of(programme)
    keys = [[_key(replace(at, check=c), rule) for _, c in CHECKS] for _, _, rule in rules_of(programme)]
    known = dict(Frontier.objects.filter(key__in=[k for row in keys for k in row]).values_list("key", "figures"))
    return [
        Bar(said, mine, tuple(known.get(k) for k in row)) for (said, mine, _), row in zip(rules_of(programme), keys, strict=True)
    ]


def reckon_next(programme: Programme) -> bool:
    """Reckon the next figures that are missing; whether any were."""
    at = station_of(programme)
    wanted = ((replace(at, check=check), rule) for _, _, rule in rules_of(programme) for _, check in CHECKS)
    return any(figures_for(world, rule, reckon=True)[1] for world, rule in wanted)


def figures_for(world: Station, rule: Rule, reckon: bool) -> tuple[dict[str, Any] | None, bool]:
    """What a rule comes to in simulated programmes, as it was kept, else reckoned now where `reckon` asks for it; and whether it
    was. None where nobody has reckoned it yet."""
    key = _key(world, rule)
    kept = Frontier.objects.filter(key=key).values_list("figures", flat=True).first()
    if kept is not None or not reckon:
        return kept, False
    found = figures_of([play(world, seed, rule) for seed in range(WORLDS)], world.spread)
    figures = {k: None if v != v else v for k, v in asdict(found).items()}  # what is not a number is not known
    Frontier.objects.get_or_create(key=key, defaults={"figures": figures})  # two at once reckon the same
    return figures, True


def _key(at: Station, rule: Rule) -> str:
    bar = rule.sure_better if rule.flat else rule.allowed_better
    size = f"{at.places}x{at.blocks}x{at.check_plots}x{at.seasons}"
    return f"{size} {at.check} {rule.flat} {bar} {rule.dropping.value} {rule.fresh} {WORLDS}"
