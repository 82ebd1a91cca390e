"""What goes by some words: plots, entries, trials, cultivars, lots, beds, crops, traits, people and pages, as far as one may see
them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from django.db.models import Q
from django.urls import reverse

from evarlo.catalogue.models import Crop, Cultivar, Trait
from evarlo.grounds.models import Bed, Site
from evarlo.people.models import User
from evarlo.people.permissions import allowed
from evarlo.seeds.models import Lot
from evarlo.trials.models import Entry, Plot, Trial
from evarlo.trials.queries import names_shown
from evarlo.trials.stakes import code_read

MOST_OF_A_KIND, MOST = 8, 30


@dataclass(frozen=True)
class Found:
    """Something that was found: where it is, its name and what it is."""

    url: str
    name: str
    what: str


# Pages by the words that people look for them with: what may be done there, the address, the name, other words for it.
PAGES = (
    ("see", "today:home", "Today", "due overdue tasks"),
    ("see", "trials:list", "Trials", "list"),
    ("plan", "trials:new", "New trial", "plan design layout"),
    ("bring_in", "exchange:bring-in", "Bring in a sheet", "import csv xlsx spreadsheet excel"),
    ("see_names", "programmes:list", "Programmes", "years"),
    ("see", "catalogue:list", "Cultivars", "varieties entries"),
    ("see", "catalogue:crops", "Crops and their profiles", "spacing days frost"),
    ("see", "catalogue:traits", "Traits and guides", "scores scale methods"),
    ("see_names", "seeds:list", "Seed", "lots stock germination packets"),
    ("see", "grounds:list", "Ground", "beds sites weather"),
    ("see", "raising:room", "Raising space", "greenhouse trays"),
    ("observe", "practice:home", "Practise with drawn leaves", "train scoring"),
    ("decide", "rehearsal:seasons", "Practice season", "learn game"),
    ("people", "people:list", "People", "users roles invite password"),
    ("see", "people:me", "Your own page", "settings units clock password sunlight log out"),
    ("see", "today:help", "Help and glossary", "words meaning how"),
)


def plot_meant(asked: str, here: Trial | None) -> Plot | None:
    """The plot of the trial at hand that has this number, or the one whose stake was scanned."""
    plots = Plot.objects.select_related("trial")
    scanned = code_read(asked)
    at_hand = plots.filter(trial=here, number__iexact=asked).first() if here else None
    return at_hand or (plots.filter(trial=scanned[0], number=scanned[1]).first() if scanned else None)


def found_by(asked: str, user: User) -> list[Found]:
    """What goes by these words, things before pages."""
    if not asked:
        return []
    kinds: tuple[Callable[[str, User], Iterator[Found]], ...] = (
        _trials, _entries, _cultivars, _lots, _beds, _crops, _traits, _people, _plots, _pages,
    )  # fmt: skip
    made: list[Found] = []
    for kind in kinds:
        made += [found for _, found in zip(range(MOST_OF_A_KIND), kind(asked, user), strict=False)]
    return made[:MOST]


def _trials(asked: str, _user: User) -> Iterator[Found]:
    for t in Trial.objects.filter(name__icontains=asked, practice=False, arriving=False)[:MOST_OF_A_KIND]:
        yield Found(t.get_absolute_url(), t.name, f"trial, {t.season}")


def _entries(asked: str, _user: User) -> Iterator[Found]:
    for e in Entry.objects.filter(code__iexact=asked).select_related("trial")[:MOST_OF_A_KIND]:
        yield Found(e.trial.get_absolute_url(), e.code, f"entry of {e.trial.name}, {e.trial.season}")


def _cultivars(asked: str, user: User) -> Iterator[Found]:
    """A cultivar's own page for those who may see names, and the trials it stands in where its name may be read."""
    named = Q(name__icontains=asked) | Q(synonyms__name__icontains=asked)
    some = Cultivar.objects.filter(named, stands_in=False).select_related("crop").distinct()[:MOST_OF_A_KIND]
    for c in some:
        if allowed(user, "see_names"):
            yield Found(reverse("catalogue:cultivar", args=[c.pk]), c.name, f"cultivar of {c.crop.name.lower()}")
        for e in c.entries.select_related("trial").order_by("-trial__season")[:3]:
            if names_shown(e.trial, user):
                yield Found(e.trial.get_absolute_url(), c.name, f"{e.code} in {e.trial.name}, {e.trial.season}")


def _lots(asked: str, user: User) -> Iterator[Found]:
    if allowed(user, "see_names"):
        named = Q(name__icontains=asked) | Q(cultivar__name__icontains=asked) | Q(supplier__icontains=asked)
        for lot in Lot.objects.filter(named).select_related("cultivar__crop")[:MOST_OF_A_KIND]:
            yield Found(reverse("seeds:lot", args=[lot.pk]), f"{lot.cultivar.name}, lot {lot.name}", "seed")


def _beds(asked: str, user: User) -> Iterator[Found]:
    for bed in Bed.objects.filter(name__icontains=asked).select_related("site")[:MOST_OF_A_KIND]:
        yield Found(reverse("grounds:bed", args=[bed.pk]), bed.name, f"bed of {bed.site.name}")
    for site in Site.objects.filter(name__icontains=asked)[:MOST_OF_A_KIND]:
        if allowed(user, "plan"):
            yield Found(reverse("grounds:site", args=[site.pk]), site.name, "site")
        yield Found(reverse("grounds:weather", args=[site.pk]), f"Weather of {site.name}", "weather")


def _crops(asked: str, _user: User) -> Iterator[Found]:
    for crop in Crop.objects.all():
        if any(asked.casefold() in name for name in crop.names):
            yield Found(reverse("catalogue:crop", args=[crop.pk]), crop.name, "crop")


def _traits(asked: str, _user: User) -> Iterator[Found]:
    for trait in Trait.objects.filter(name__icontains=asked)[:MOST_OF_A_KIND]:
        yield Found(reverse("catalogue:trait", args=[trait.pk]), trait.name, "trait")


def _people(asked: str, user: User) -> Iterator[Found]:
    if allowed(user, "people"):
        named = Q(username__icontains=asked) | Q(first_name__icontains=asked) | Q(last_name__icontains=asked)
        for who in User.objects.filter(named)[:MOST_OF_A_KIND]:
            yield Found(reverse("people:person", args=[who.pk]), str(who), who.get_role_display() or "no role yet")


def _plots(asked: str, _user: User) -> Iterator[Found]:
    plots = Plot.objects.filter(number__iexact=asked, trial__practice=False, trial__arriving=False).select_related("trial")
    for p in plots.order_by("-trial__season")[:MOST_OF_A_KIND]:
        yield Found(f"{p.trial.get_absolute_url()}?plot={p.number}", f"Plot {p.number}", f"{p.trial.name}, {p.trial.season}")


def _pages(asked: str, user: User) -> Iterator[Found]:
    words = asked.casefold().split()
    for act, name, title, also in PAGES:
        text = f"{title} {also}".casefold()
        if allowed(user, act) and all(word in text for word in words):
            yield Found(reverse(name), title, "page")
