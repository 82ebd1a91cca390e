"""What the beds of Ostrel Flats bore before, and what is known of some cultivars."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from evarlo.catalogue.models import Crop, Cultivar
from evarlo.catalogue.services import CULTIVAR_FIELDS, add_claim, add_cultivar, add_synonym, keep_cultivar
from evarlo.grounds.history import keep_use
from evarlo.grounds.models import Bed, BedUse
from evarlo.grounds.services import add_obstacle, add_soil_test, keep_bed

Kind = BedUse.Kind


def remember(today: date) -> None:
    """Crops, a green manure and compost on parts of three beds over four years; soil tests; a standpipe in the way."""
    beds = {bed.name: bed for bed in Bed.objects.all()}
    crops = {crop.name: crop for crop in Crop.objects.filter(name__in=("Broad bean", "Beetroot", "Cabbage", "Endive"))}

    def stood(bed: str, kind: str, what: str, part: tuple[float, float], from_days: int, to_days: int) -> None:
        since, until = today - timedelta(days=from_days), today - timedelta(days=to_days)
        keep_use(beds[bed], kind, what, crops.get(what), part, since, until, "")

    stood("Bank bed", Kind.CROP, "Broad bean", (0, 8), 560, 420)
    stood("Bank bed", Kind.CROP, "Beetroot", (8, 18), 600, 400)
    stood("Bank bed", Kind.GREEN, "Rye", (0, 18), 395, 220)
    stood("Bank bed", Kind.AMENDMENT, "Leaf compost, 3 cm", (0, 18), 205, 200)
    stood("Gull bed", Kind.CROP, "Endive", (12, 23), 690, 590)
    stood("Gull bed", Kind.CROP, "Cabbage", (0, 23), 500, 330)
    stood("Tide bed", Kind.CROP, "Broad bean", (0, 28), 1000, 880)
    stood("Tide bed", Kind.GREEN, "White clover", (0, 14), 640, 300)
    soil = {"on": today - timedelta(days=70), "ph": 6.4, "organic": 4.1, "nitrogen": 14, "phosphorus": 38, "potassium": 120}
    add_soil_test(beds["Bank bed"], soil, today)
    add_obstacle(beds["Bank bed"], "Standpipe", x=17.2, y=4.3, length=0.5, width=0.5)
    wet = {"gradient": Bed.Gradient.ALONG, "gradient_note": "wetter towards the far end", "zone": "frost pocket"}
    keep_bed(beds["Gull bed"], wet)
    keep_bed(beds["North strip"], {"gradient": Bed.Gradient.ALONG, "gradient_note": "sand to silt"})


def describe_cultivars() -> None:
    """Synonyms, kin and claims of a few, and one name that looks like another."""
    known = {c.name: c for c in Cultivar.objects.select_related("crop")}
    for name, breeding, maturity, note in (
        ("Corvane", "f1", "mid-season", "The station's check since it opened"),
        ("Pale Anchor", "open", "mid-season", ""),
        ("Quillet", "open", "early", ""),
        ("Dunnick Late", "landrace", "late", ""),
        ("OF-17", "f2", "mid-season", "Own line"),
    ):
        keep_cultivar(known[name], _known(known[name]) | {"breeding": breeding, "maturity": maturity, "note": note})
    add_synonym(known["Pale Anchor"], "Estuary White")
    late = known["Dunnick Late"]
    add_cultivar(late.crop.name, "Dunnick", breeding="landrace")
    keep_cultivar(late, _known(late) | {"related": "Dunnick", "relation": "selection"})
    add_cultivar(late.crop.name, "Breakwater", "From a seed swap")
    market = {
        "says": "First to the market",
        "trait": "days-to-first-pick",
        "value": 78,
        "source": "SUP-04 list",
        "climate": "inland",
    }
    add_claim(known["Quillet"], market)
    bolting = {"says": "Stands well without bolting", "trait": "", "value": None, "source": "SUP-02 list", "climate": "cool coast"}
    add_claim(known["Pale Anchor"], bolting)


def _known(cultivar: Cultivar) -> dict[str, Any]:
    """What is on record of a cultivar already, as its form has it."""
    return {name: getattr(cultivar, name) for name in (*CULTIVAR_FIELDS, "relation")}
