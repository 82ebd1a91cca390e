"""Builds the sample world: Ostrel Flats with its people, ground, finished seasons and the one that is running."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, timedelta
from math import cos, radians, sin

from django.contrib.auth.hashers import make_password
from django.db import transaction
from django.utils import timezone

from evarlo.catalogue.models import Crop, Trait
from evarlo.catalogue.services import cultivar_named
from evarlo.demo import world
from evarlo.demo.crossing import breed_lines, grow_lines_on
from evarlo.demo.grounds import describe_cultivars, remember
from evarlo.demo.hill import (
    FIRST,
    SECOND,
    first_on_the_hill,
    hill_season,
    join_fennel,
    leave_in,
    one_name,
    second_on_the_hill,
    the_hill,
)
from evarlo.demo.lines import LINES, grow_lines
from evarlo.demo.partnering import ask_a_grower
from evarlo.demo.picked import pick_squash, store_daikon
from evarlo.demo.raising import raise_heads
from evarlo.demo.seasons import People, Season
from evarlo.demo.stock import equip, fill_the_store
from evarlo.demo.two_places import grow_in_two_places
from evarlo.demo.walking import befall
from evarlo.grounds.models import Bed, Site
from evarlo.grounds.weather import read_station
from evarlo.people.models import Place, User
from evarlo.programmes.analysing import reckon
from evarlo.trials.laying import fix_layout
from evarlo.trials.models import Cause, Trial
from evarlo.trials.plan import CriterionPlan, TrialPlan
from evarlo.trials.planning import plan_trial

RUNNING_FOR = 84  # days that the running season has been under way


@transaction.atomic
def build(today: date) -> None:
    """Make the sample world as it stands on `today`. The database must hold no person yet."""
    people = make_people()
    crops = {
        name: Crop.objects.update_or_create(name=name, defaults={"between_rows_cm": rows, "in_row_cm": row, "cv_percent": cv})[0]
        for name, rows, row, cv in world.CROPS
    }
    site = make_site(today)
    read_station(site, today - timedelta(days=1), years=9)
    strip = Bed.objects.create(site=site, name="North strip", length_m=20.4, width_m=15.6, bearing=75)
    tide = Bed.objects.create(site=site, name="Tide bed", length_m=28, width_m=6.4, bearing=75)
    long = Bed.objects.create(site=site, name="Sluice bed", length_m=18.5, width_m=6.4, bearing=165)
    reed = Bed.objects.create(site=site, name="Reed bed", length_m=9.5, width_m=6.4, bearing=165)
    bank = Bed.objects.create(site=site, name="Bank bed", length_m=18, width_m=5, bearing=165)
    gull = Bed.objects.create(site=site, name="Gull bed", length_m=23, width_m=6.2, bearing=165)
    wharf = Bed.objects.create(site=site, name="Wharf bed", length_m=11, width_m=6.8, bearing=75)
    weir = Bed.objects.create(site=site, name="Weir bed", length_m=22, width_m=9.8, bearing=75)
    house = Bed.objects.create(
        site=site, name="Staithe tunnel", length_m=13, width_m=5.4, bearing=165, environment=Bed.Environment.TUNNEL
    )
    lock = Bed.objects.create(site=site, name="Lock bed", length_m=13, width_m=5.4, bearing=165)
    shingle = Bed.objects.create(site=site, name="Shingle bed", length_m=12, width_m=7, bearing=75)
    nursery = Bed.objects.create(site=site, name="Nursery bed", length_m=13, width_m=5, bearing=75)
    lay_out_beds(Bed.objects.filter(site=site))
    for name, listed in (("Edamame soybean", world.EDAMAME), ("Radicchio", world.RADICCHIO), ("Storage daikon", world.DAIKON)):
        for cultivar in listed:
            cultivar_named(crops[name], cultivar)
    fennel = crops["Bulb fennel"]
    sown = today - timedelta(days=RUNNING_FOR)
    programme, beacon = join_fennel(fennel, people), the_hill()
    before, last = years_before(sown, 2), years_before(sown, 1)
    flooded_season(leave_in(programme, Season(before, 1207, fennel, strip, people), people))
    one_name(fennel)
    first_on_the_hill(hill_season(programme, before, 1217, beacon, people, FIRST))
    uneven_season(leave_in(programme, Season(last, 1249, fennel, strip, people), people))
    second_on_the_hill(hill_season(programme, last, 1223, beacon, people, SECOND))
    running = leave_in(programme, Season(sown, 1259, fennel, strip, people), people)
    running_season(running)
    ask_a_grower(running, today)
    reckon(programme, Trait.objects.get(key="marketable-per-plant"))
    befall(running, today)
    soya, lines_sown = crops["Edamame soybean"], years_before(sown, 1)
    family, genes = breed_lines(soya, nursery, people, lines_sown, LINES)
    grow_lines(soya, [long, reed], people, lines_sown)
    grow_lines_on(family, genes, nursery, people, today - timedelta(days=86), LINES)
    grow_in_two_places(crops["Radicchio"], house, lock, people, years_before(sown, 1))
    plan_others(crops, tide, [bank, gull], people.manager, today)
    pick_squash(crops["Summer squash"], weir, people, today)
    store_daikon(crops["Storage daikon"], shingle, people, today)
    fill_the_store(people.manager, today)
    raise_heads(crops["Radicchio"], wharf, people, today)
    remember(today)
    describe_cultivars()


def make_people() -> People:
    Place.objects.create(name="Ostrel Flats", sample=True, made_at=timezone.now())
    password = make_password(world.PASSWORD)
    made = [
        User.objects.create(username=name, password=password, first_name=first, last_name=last, role=role)
        for name, first, last, role in world.PEOPLE
    ]
    return People(*made[:3])


def lay_out_beds(beds: Iterable[Bed]) -> None:
    """Where the beds lie: the ground runs along 75°, so places are given along it and across, in metres."""
    along, across = radians(75), radians(345)
    for bed in beds:
        u, v = world.LAID[bed.name]
        bed.east_m = round(u * sin(along) + v * sin(across), 1)
        bed.north_m = round(u * cos(along) + v * cos(across), 1)
        bed.save(update_fields=["east_m", "north_m"])


def make_site(today: date) -> Site:
    """The station stands in the hemisphere that has its spring behind it, so that its seasons are believable."""
    north = date(today.year, 5, 10) <= today <= date(today.year, 11, 7)
    if north:
        return Site.objects.create(name="Ostrel Flats", latitude=53.4, last_frost="04-18", first_frost="10-21")
    return Site.objects.create(name="Ostrel Flats", latitude=-41.6, last_frost="10-12", first_frost="04-30")


def years_before(day: date, years: int) -> date:
    return day - timedelta(days=365 * years)


def flooded_season(season: Season) -> None:
    """Two seasons ago: high water took a plot before the first pick, and two fennels clearly beat the check."""
    season.sow_and_plant()
    season.lose(season.plot("Thornfen 9", 2), 52, "Flooded by the spring tide, plants drowned")
    first = season.walk("stand", 45, season.stand)
    label = {season.plot("Lintock 3", 3).pk: (Cause.LOST_LABEL, "Stake gone, row could not be told")}
    second = season.walk("vigour", 60, season.vigour, label)
    third = season.walk("bolting", 88, season.bolting)
    season.close(first, second, third)
    season.pick()
    season.decide({"Quillet": ("retest", "Heavy and early; a cold spring may have made it bolt, so one more season")}, 135)


def uneven_season(season: Season) -> None:
    """Last season: block 4 lay wet and gave little. Brakewater lost its plots there and in block 3, so its plain
    average flatters it; Quillet is early and heavy but bolts."""
    season.sow_and_plant()
    season.lose(season.plot("Brakewater", 4), 50, "Digger drove over it while the ditch was cleared")
    season.lose(season.plot("Brakewater", 3), 50, "Digger drove over it while the ditch was cleared")
    first = season.walk("stand", 44, season.stand)
    third = season.walk("bolting", 87, season.bolting)
    season.close(first, third)
    season.pick({"3": -20.0, "4": -70.0})
    season.store(122, "12")
    season.taste(124, 8)
    season.decide({"Dunnick Late": ("retest", "Keeps three weeks longer in store; worth one more season for that")}, 190)


def running_season(season: Season) -> None:
    """This season, in mid walk: stand and vigour are in, bolting is half walked, the first pick is a week off."""
    season.sow_and_plant()
    season.lose(season.plot("Weir Street", 1), 47, "Hares dug out the whole plot under the torn net")
    first = season.walk("stand", 46, season.stand)
    label = {season.plot("OF-17", 2).pk: (Cause.LOST_LABEL, "Stake washed out, identity to be settled")}
    second = season.walk("vigour", 61, season.vigour, label)
    season.close(first, second, season.count_diseased(70, 20))
    season.plan_rounds(("bolting", RUNNING_FOR - 2), ("evenness", RUNNING_FOR), ("damage", RUNNING_FOR + 4))
    season.walk("bolting", RUNNING_FOR - 1, season.bolting, most=29)


def plan_others(crops: dict[str, Crop], tide: Bed, bank: list[Bed], by: User, today: date) -> None:
    """An edamame trial whose layout is fixed and whose sowing is late, and a radicchio trial still being planned."""
    traits = {t.key: t for t in Trait.objects.all()}
    early = plan_trial(
        TrialPlan(
            name="Edamame, early",
            question="Which edamame fills its pods before the autumn wet, at no loss of yield?",
            season=str(today.year),
            crop=crops["Edamame soybean"],
            bed=tide,
            entries=world.EDAMAME,
            check="Marl Penny",
            blocks=4,
            plot_length_m=3.0,
            plot_width_m=1.5,
            path_m=0.6,
            between_rows_cm=50,
            in_row_cm=12,
            cv_percent=14,
            criteria=[CriterionPlan(traits["marketable-yield"], "higher", 0.2), CriterionPlan(traits["first-flower"], "lower", 3)],
            sow_on=today - timedelta(days=3),
            pick_on=today + timedelta(days=90),
        ),
        by,
        seed=2203,
    )
    fix_layout(early, by)
    heads = plan_trial(
        TrialPlan(
            name="Radicchio heads",
            question="Which radicchio makes the firmest heads, and does it want the earlier or the later sowing?",
            season=str(today.year),
            crop=crops["Radicchio"],
            bed=bank[0],
            entries=world.RADICCHIO,
            check="Ostrel Red",
            design=Trial.Design.SPLIT,
            factor="Sowing date",
            levels=[f"{today + timedelta(days=5):%-d %b}", f"{today + timedelta(days=26):%-d %b}"],
            more_beds=bank[1:],
            blocks=4,
            plot_length_m=1.8,
            plot_width_m=1.4,
            path_m=0.5,
            between_rows_cm=35,
            in_row_cm=30,
            cv_percent=16,
            criteria=[CriterionPlan(traits["piece-weight"], "higher", 20), CriterionPlan(traits["evenness"], "higher", 1)],
            sow_on=today + timedelta(days=5),
            plant_on=today + timedelta(days=35),
            pick_on=today + timedelta(days=100),
        ),
        by,
        seed=2221,
    )
    equip(heads, by)
