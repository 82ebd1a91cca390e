"""The fennel on the hill, and the programme that joins it with the flats: a cultivar that likes it cool, one renamed by its
seller."""

from __future__ import annotations

from datetime import date, timedelta

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.catalogue.services import CULTIVAR_FIELDS, add_cultivar, keep_cultivar
from evarlo.demo.seasons import Grown, People, Season
from evarlo.demo.world import CHECK
from evarlo.grounds.models import Bed, Site
from evarlo.programmes.models import Programme
from evarlo.programmes.services import make_programme, take_in
from evarlo.verdicts.lessons import keep_lesson
from evarlo.verdicts.services import give_verdict

LATER = timedelta(days=16)  # spring comes later up there
COOL = {"Quillet": 58.0, "OF-17": 44.0, "Harl Quoin": -14.0}  # grams a plant that the hill gives or takes
LESS = -96.0  # what it takes from all
SOLD_AS = {"Dusk Sill": "Umbra Sill"}  # under which name a seller had it two seasons ago
FIRST = (CHECK, "Pale Anchor", "Quillet", "Dusk Sill", "Moth Lantern", "OF-17", "Lintock 3", "Brakewater")
SECOND = (CHECK, "Pale Anchor", "Quillet", "Umbra Sill", "Harl Quoin", "OF-17", "Lintock 3", "Dunnick Late")


def join_fennel(crop: Crop, people: People) -> Programme:
    """The programme, still without a trial."""
    return make_programme("Bulb fennel, main season", crop, [], people.manager)


def the_hill() -> Bed:
    """A second site above the estuary, without a station of its own."""
    flats = Site.objects.get(name="Ostrel Flats")
    hill = Site.objects.create(
        name="Ostrel Hill",
        latitude=flats.latitude,
        last_frost=_moved(flats.last_frost, 12),
        first_frost=_moved(flats.first_frost, -9),
    )
    return Bed.objects.create(site=hill, name="Beacon bed", length_m=22, width_m=12, bearing=105)


def _moved(day: str, by: int) -> str:
    moved = date.fromisoformat(f"2025-{day}") + timedelta(days=by)
    return f"{moved:%m-%d}"


def one_name(crop: Crop) -> None:
    """What the seller called otherwise is the cultivar it is."""
    for sold, true in SOLD_AS.items():
        known = Cultivar.objects.filter(crop=crop, name=sold).first() or add_cultivar(crop.name, sold)
        kept = {name: getattr(known, name) for name in CULTIVAR_FIELDS}
        keep_cultivar(
            known, kept | {"relation": Cultivar.Relation.SAME, "related": true, "note": "Renamed by SUP-03 the year after"}
        )


def hill_season(programme: Programme, sown: date, seed: int, bed: Bed, people: People, names: tuple[str, ...]) -> Season:
    """One season up there, in the programme from the start."""
    grown = Grown("Bulb fennel, hill", names, 3, COOL, LESS, SOLD_AS)
    season = Season(sown + LATER, seed, programme.crop, bed, people, grown)
    take_in(programme, season.trial, people.manager)
    return season


def first_on_the_hill(season: Season) -> None:
    """Two seasons ago: the check lost a plot there, so the trial could tell less."""
    season.sow_and_plant()
    season.lose(season.plot(CHECK, 2), 51, "Sheep came through the hedge")
    season.close(season.walk("stand", 45, season.stand), season.walk("bolting", 88, season.bolting))
    season.pick()
    season.decide({}, 150)


def second_on_the_hill(season: Season) -> None:
    """Last season: Quillet is for the hill, where it does not bolt."""
    season.sow_and_plant()
    season.close(season.walk("stand", 45, season.stand), season.walk("bolting", 88, lambda plot: 0.4 * season.bolting(plot)))
    season.pick()
    quillet = season.trial.entries.get(cultivar__name="Quillet")
    give_verdict(
        quillet, "recommend", "Does well where it is cool and hardly bolts there", "retest", season.people.manager, "the hill"
    )
    season.decide({}, 196)
    for text, about in (
        ("The hedge lets sheep through: close it before planting.", f"bed:{season.trial.bed_id}"),
        ("Score bolting before the first pick, not after.", "crop"),
        ("The hill wants a second plot of the check in each block.", "crop"),
    ):
        keep_lesson(season.trial, text, about, season.people.manager)


def leave_in(programme: Programme, season: Season, people: People) -> Season:
    """A season of the flats, taken into the programme."""
    take_in(programme, season.trial, people.manager)
    return season
