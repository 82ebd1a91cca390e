"""Practice in scoring by eye: drawn leaves and plots of known damage, and what each rater's figures are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from statistics import fmean

import numpy as np
from django.db import transaction
from django.utils.safestring import SafeString

from evarlo.catalogue.models import Trait
from evarlo.catalogue.traits import guide_of
from evarlo.people.models import User
from evarlo.practice.models import Practice
from evarlo.ui.draw.leaf import draw_leaf, draw_plot
from evarlo.ui.refused import Refused
from evarlo.walks.models import Round
from trialcore.field.leaves import ALIKE, SHAPES, Lesion, drawn_leaf, drawn_plot
from trialcore.field.raters import Agreement, lin_concordance

ITEMS = {Practice.Mode.PRACTICE: 10, Practice.Mode.TEST: 20, Practice.Mode.WARM_UP: 5}
LESIONS: tuple[Lesion, ...] = ("spots", "blotches", "stripes", "margin")
FRESH = timedelta(days=3)  # after which a warm-up is offered before a round
GOOD = 0.9


@dataclass(frozen=True)
class Item:
    """One drawing and its truth in percent."""

    drawing: SafeString
    truth: float


@dataclass(frozen=True)
class Figures:
    """How well a rater scores what is known: `agreement` (said first, truth second) is None where too little was scored.
    `bias` is the mean of said less true, in percent points; `off` the root mean square of it."""

    n: int
    bias: float
    off: float
    agreement: Agreement | None

    @property
    def said(self) -> str:
        """In words."""
        p = self.agreement.p_bias if self.agreement else None
        leans = abs(self.bias) >= 1 and (p is None or p < 0.05)
        way = "high" if self.bias > 0 else "low"
        lean = f"scores {abs(self.bias):.1f} points too {way} on average" if leans else "leans neither way"
        if self.agreement is None:
            return f"{lean.capitalize()}; too few, or all alike, to tell more."
        good = "agrees well with the truth" if self.agreement.concordance >= GOOD else "is often off"
        return f"{lean.capitalize()}, and {good}: within {1.96 * self.agreement.difference_sd:.0f} points of it, bias aside."


def subject_of(trait: Trait) -> str:
    """What is to be practised for a trait; empty where nothing is."""
    if trait.kind == Trait.Kind.AFFECTED:
        return str(Practice.Subject.PLANTS)
    guide = guide_of(trait) if trait.kind in (Trait.Kind.PERCENT, Trait.Kind.SCORE) else None
    drawings = " ".join(str(a["drawing"]) for a in guide.anchors) if guide else ""
    return str(Practice.Subject.EATEN if "eaten:" in drawings else Practice.Subject.DISEASED if "leaf:" in drawings else "")


@transaction.atomic
def begin(by: User, subject: str, mode: str, seed: int, now: datetime, back_to: Round | None = None) -> Practice:
    """Begin a run. Raises Refused for a subject or mode that is not there."""
    if subject not in Practice.Subject.values or mode not in Practice.Mode.values:
        raise Refused("Choose what to practise.")
    items = ITEMS[Practice.Mode(mode)]
    return Practice.objects.create(by=by, subject=subject, mode=mode, seed=seed, items=items, at=now, back_to=back_to)


def item_of(run: Practice, n: int) -> Item:
    """The drawing that is number `n` of a run, from its seed: the same whenever it is asked for."""
    luck = np.random.default_rng([run.seed % 2**63, n])
    seed = int(luck.integers(1 << 31))
    if run.subject == Practice.Subject.PLANTS:
        rows, in_row = int(luck.integers(3, 6)), int(luck.integers(6, 11))
        affected = round(float(luck.beta(0.8, 2.0)) * rows * in_row)
        plot = drawn_plot(rows, in_row, affected, seed, bool(luck.integers(2)))
        return Item(draw_plot(plot, "A plot seen from above"), plot.share)
    share = 0.0 if luck.uniform() < 0.07 else float(np.exp(luck.uniform(np.log(0.6), np.log(80))))
    lesion: Lesion = "holes" if run.subject == Practice.Subject.EATEN else LESIONS[int(luck.integers(len(LESIONS)))]
    shape, alike = SHAPES[int(luck.integers(len(SHAPES)))], ALIKE[int(luck.integers(len(ALIKE)))]
    leaf = drawn_leaf(shape, lesion, share, seed, alike)
    return Item(draw_leaf(leaf, "A leaf to be scored", f"run-{n}", bool(luck.integers(2))), leaf.share)


@transaction.atomic
def answer(run: Practice, n: int, said: float, now: datetime) -> Practice:
    """Keep what was said of drawing `n`; sent twice it is kept once. Raises Refused for a figure off the scale, or a drawing that
    is not the next."""
    run = Practice.objects.select_for_update().get(pk=run.pk)
    if not 0 <= said <= 100:
        raise Refused(f"Found {said:g}. Expected a share from 0 to 100 %.", "said")
    if 0 <= n < len(run.said):
        return run
    if n != len(run.said) or run.ended_at:
        raise Refused("That drawing is not the next one.")
    run.said, run.truth = [*run.said, said], [*run.truth, round(item_of(run, n).truth, 3)]
    if len(run.said) == run.items:
        run.ended_at = now
    run.save(update_fields=["said", "truth", "ended_at"])
    return run


def figures_of(said: Sequence[float], truth: Sequence[float]) -> Figures | None:
    """What a rater's figures are; None for nothing scored."""
    if not said:
        return None
    gaps = [s - t for s, t in zip(said, truth, strict=True)]
    try:
        agreement = lin_concordance(said, truth)
    except ValueError:
        agreement = None
    return Figures(len(said), fmean(gaps), fmean([g * g for g in gaps]) ** 0.5, agreement)


def runs_of(by: User) -> list[tuple[Practice, Figures]]:
    """A person's finished runs, oldest first, each with its figures."""
    some = Practice.objects.filter(by=by, ended_at__isnull=False)
    found = [(run, figures_of(run.said, run.truth)) for run in some]
    return [(run, f) for run, f in found if f]


def newest_figures(people: Sequence[int]) -> dict[tuple[int, str], Figures]:
    """The figures of some people (by id) by subject: of their newest test, or of practice where they took none."""
    found: dict[tuple[int, str], tuple[bool, Figures]] = {}
    runs = Practice.objects.filter(by__in=people, ended_at__isnull=False).order_by("at")
    for run in runs:
        key, test = (run.by_id, run.subject), run.mode == Practice.Mode.TEST
        figures = figures_of(run.said, run.truth)
        if figures and (test or key not in found or not found[key][0]):
            found[key] = (test, figures)
    return {key: figures for key, (_, figures) in found.items()}


def cold(by: User, subject: str, now: datetime) -> bool:
    """Whether a person has not scored drawings of a subject lately, so that a warm-up is offered."""
    return bool(subject) and not Practice.objects.filter(by=by, subject=subject, ended_at__gte=now - FRESH).exists()


def warm_up(by: User, trait: Trait, now: datetime) -> str:
    """What a person should practise before scoring a trait; empty for nothing, or when they did lately."""
    subject = subject_of(trait)
    return subject if cold(by, subject, now) else ""


def eyes(trait: Trait) -> dict[int, str]:
    """How well each person (by id) scores drawings of what a trait asks for, in words."""
    subject = subject_of(trait)
    people = list(User.objects.values_list("pk", flat=True))
    return {pk: figures.said for (pk, about), figures in newest_figures(people).items() if about == subject}
