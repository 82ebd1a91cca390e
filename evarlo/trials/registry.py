"""What later places of work add to a trial's pages, without the trial knowing them.

`walks`, `harvest` and the others register here when they start. The trial pages ask these lists and never import
the apps behind them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import TYPE_CHECKING

from trialcore.reckoning.fairness import Fact
from trialcore.reckoning.withholding import Held

if TYPE_CHECKING:
    from evarlo.catalogue.models import Crop, Trait
    from evarlo.people.models import User
    from evarlo.trials.models import Plot, Trial
    from trialcore.inference.priors import Prior
    from trialcore.inference.season_means import SeasonMeans
    from trialcore.inference.verdict import Rule


@dataclass(frozen=True)
class Reading:
    """What is known of one plot for one trait: a number (a date counts as days from sowing), or why there is none. A share, in
    percent, may tell the units it was counted among."""

    number: float | None = None
    day: date | None = None
    cause: str = ""
    note: str = ""
    among: int | None = None


@dataclass(frozen=True)
class DiaryLine:
    """One thing that happened to a plot. A score of a round that is still being walked is `only_for` those (by id) who have scored
    the plot in it themselves, so that nobody's eye is led; None is for everyone."""

    on: date
    text: str
    by: str
    order: int = 0
    struck: bool = False
    only_for: frozenset[int] | None = None


@dataclass(frozen=True)
class Span:
    """When a phase of the trial was or is to be."""

    phase: str
    start: date
    end: date
    planned: bool = False


@dataclass(frozen=True)
class Pin:
    """Something on the season rail besides the phases."""

    on: date
    text: str
    hurts: bool = False
    key: str = ""  # for what is still to be done: a name for as long as it is


@dataclass(frozen=True)
class Due:
    """Something to be done: the verb, what, for which trial, by when, and where it is done."""

    verb: str
    what: str
    trial: Trial
    amount: str
    by: date
    url: str


@dataclass(frozen=True)
class Earlier:
    """A season that was signed: its trial in words, and its means by cultivar."""

    words: str
    season: SeasonMeans


@dataclass(frozen=True)
class Judging:
    """By what a trial is judged: the rule, whether its check was chosen for being good, whether a second person signs; and of the
    programme it belongs to the name, the address and the trials (by id) whose seasons count (None: all of the crop)."""

    rule: Rule
    good_check: bool = True
    second_signature: bool = False
    programme: str = ""
    url: str = ""
    trials: frozenset[int] | None = None
    not_in_it: tuple[str, ...] = ()  # trials of the programme that are left out, in words


@dataclass(frozen=True)
class GoingOn:
    """What the newest signed board of a crop keeps in trials, by name and its check first, and what it dropped;
    `newer` how many records of a trial others than somebody (by id) have made since a moment."""

    kept: tuple[str, ...] = ()
    dropped: tuple[str, ...] = ()


Readings = dict[int, Reading]  # by plot id


@dataclass
class Registry:
    """`readings` by a trait's source; `fills` what another place of work measured of the same trait; `begun` gives, for (trial id,
    phase), the day on which that phase was begun; `past_cv` the plot-to-plot CVs (%) that signed trials of each crop (by id)
    had; `complete` for (trial id, thing expected) the plots that have it;
    `elsewhere` the trials (by id) that others keep at their own place, whose work is not done here;
    `marks` what every comparison of a trial says
    besides; `facts` in what its entries were treated unlike; `ways` further pages about a plot, as (address, words); `gaps` the
    stations of each plot (by id; counted along its rows) at which no plant stands; `borne` the first day on which a plot (by
    id) is known to have borne something, so that it was sown before; `weighed` the last day and the kilograms of what was
    picked from some trials (by id), by trial and bed; `holds` the plots (by id) that nobody enters or picks at a moment;
    `warm_up` what a person should practise before scoring a trait, empty for nothing; `eyes` how well people (by id) score what
    is known for a trait, in words; `reached` the day on which a trait came so far in the first plot, or in half of them; `care`
    the kinds of care in words, and `cared` the last day of each in some trials; `earlier` what signed seasons before a trial say of
    a trait against its check (a cultivar by id); `judging` by what a trial is judged; `learnt_prior` what other
    programmes teach about entries and check of a trait; `remembered` what earlier seasons taught that
    bears on a plan; `going_on` what the newest signed board of a crop keeps in trials, and what it dropped;
    `weights` how much a trial counts in a programme (up to 1) in a trait, and why."""

    readings: dict[str, Callable[[Trial, Trait], Readings]] = field(default_factory=dict)
    fills: list[Callable[[Trial, Trait], Readings]] = field(default_factory=list)
    traits: list[Callable[[Trial], Iterable[Trait]]] = field(default_factory=list)
    diary: list[Callable[[Plot, bool], Iterable[DiaryLine]]] = field(default_factory=list)
    spans: list[Callable[[Trial], Iterable[Span]]] = field(default_factory=list)
    pins: list[Callable[[Trial], Iterable[Pin]]] = field(default_factory=list)
    due: list[Callable[[date], Iterable[Due]]] = field(default_factory=list)
    borne: list[Callable[[Trial], dict[int, date]]] = field(default_factory=list)
    begun: list[Callable[[Sequence[int]], dict[tuple[int, str], date]]] = field(default_factory=list)
    past_cv: list[Callable[[], dict[int, list[float]]]] = field(default_factory=list)
    marks: list[Callable[[Trial], Iterable[str]]] = field(default_factory=list)
    facts: list[Callable[[Trial], Iterable[Fact]]] = field(default_factory=list)
    ways: list[Callable[[Plot], Iterable[tuple[str, str]]]] = field(default_factory=list)
    gaps: list[Callable[[Trial], dict[int, set[int]]]] = field(default_factory=list)
    weighed: list[Callable[[Sequence[int]], dict[tuple[int, int], tuple[date, float]]]] = field(default_factory=list)
    reached: Callable[[Trial, Trait, float | None, bool], date | None] | None = None
    care: dict[str, str] = field(default_factory=dict)
    earlier: Callable[[Trial, Trait, int], Sequence[Earlier]] | None = None
    judging: Callable[[Trial], Judging] | None = None
    learnt_prior: Callable[[Trial, Trait, int], Prior] | None = None
    remembered: list[Callable[[Trial], Iterable[str]]] = field(default_factory=list)
    dropped: list[Callable[[Crop, Sequence[str]], Iterable[str]]] = field(default_factory=list)
    going_on: list[Callable[[Crop], GoingOn]] = field(default_factory=list)
    of_task: list[Callable[[Trial], Mapping[str, Sequence[str]]]] = field(default_factory=list)
    cared: Callable[[Sequence[int]], dict[tuple[int, str], date]] | None = None
    holds: Callable[[Trial, datetime], dict[int, Held]] | None = None
    warm_up: Callable[[User, Trait, datetime], str] | None = None
    eyes: Callable[[Trait], dict[int, str]] | None = None
    weights: list[Callable[[Trial, Trait], tuple[float, str] | None]] = field(default_factory=list)
    newer: list[Callable[[Trial, datetime, int], int]] = field(default_factory=list)
    complete: list[Callable[[list[int]], dict[tuple[int, str], set[int]]]] = field(default_factory=list)
    elsewhere: list[Callable[[], Iterable[int]]] = field(default_factory=list)
    # Tables whose rows belong to a plan: a trial of which nothing else is on record can be deleted with them.
    of_a_plan: set[str] = field(default_factory=set)


registry = Registry()
