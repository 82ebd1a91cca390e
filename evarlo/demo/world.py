"""What is true at Ostrel Flats: a trial ground that does not exist, with cultivars that nobody sells."""

from dataclasses import dataclass

from evarlo.people.places import SAMPLE_PASSWORD

PASSWORD = SAMPLE_PASSWORD
PEOPLE = (
    ("ines", "Ines", "Ravn", "manager"),
    ("tam", "Tam", "Osk", "evaluator"),
    ("pell", "Pell", "Adder", "helper"),
    ("reader", "Jory", "Wend", "reader"),
)

LAID = {  # where the middle of each bed lies, metres along the ground and across it
    "North strip": (0.0, 0.0),
    "Weir bed": (24.5, 2.5),
    "Tide bed": (3.8, -14.2),
    "Wharf bed": (26.5, -12.6),
    "Shingle bed": (41.0, -12.8),
    "Sluice bed": (40.5, 3.0),
    "Reed bed": (49.5, 7.0),
    "Bank bed": (57.0, 2.6),
    "Gull bed": (65.0, 0.0),
    "Staithe tunnel": (74.0, 5.0),
    "Lock bed": (82.5, 5.0),
    "Nursery bed": (92.0, 3.0),
}
CROPS = (  # name, cm between rows, cm in the row, usual CV of yield in percent
    ("Bulb fennel", 40, 30, 11),
    ("Edamame soybean", 50, 12, 14),
    ("Radicchio", 35, 30, 16),
    ("Storage daikon", 45, 20, 13),
    ("Summer squash", 100, 80, 18),
)

EDAMAME = ("Marl Penny", "Stillwick", "Ketter Green", "Long Ferry", "OE-204", "OE-211", "Hollin Pod", "Tressel")
RADICCHIO = ("Cinder Rail", "Ostrel Red", "Vane Hollow", "Pallister", "Rook & Tide", "OR-8")
DAIKON = ("White Staithe", "Grey Piling", "Harl Winter", "OD-31")

DAIKON_KEEPS = {"White Staithe": (0.82, 44), "Grey Piling": (0.78, 66), "Harl Winter": (0.9, 52), "OD-31": (0.74, 92)}
# kilograms a root, and the days until half of them are lost in store


@dataclass(frozen=True)
class Fruiting:
    """A summer squash as it truly is: fruits set by a plot each day, grams of one when it can be sold, and the share that a picker
    does not see under the leaves."""

    name: str
    fruits: float
    grams: float
    hidden: float


SQUASH = (
    Fruiting("Tarn Lamp", 3.6, 190, 0.09),
    Fruiting("Fenlight", 4.4, 185, 0.07),
    Fruiting("Sallow Boat", 3.5, 230, 0.2),
    Fruiting("Pale Rudder", 3.0, 205, 0.04),
    Fruiting("OS-12", 4.0, 170, 0.1),
    Fruiting("Brass Heron", 3.4, 195, 0.24),
)


@dataclass(frozen=True)
class Truth:
    """A fennel as it truly is: grams a plant, percent bolting, days from sowing to first pick, vigour."""

    name: str
    grams: float
    bolting: float
    days: float
    vigour: float


FENNEL = (
    Truth("Corvane", 312, 9, 92, 6.0),
    Truth("Pale Anchor", 349, 8, 94, 6.6),
    Truth("Lintock 3", 331, 10, 90, 6.2),
    Truth("Umbra Sill", 266, 6, 98, 5.0),
    Truth("Harl Quoin", 356, 11, 93, 7.0),
    Truth("OF-17", 298, 5, 97, 5.8),
    Truth("Thornfen 9", 286, 9, 91, 5.4),
    Truth("Brakewater", 305, 12, 95, 5.9),
    Truth("Moth Lantern", 240, 4, 101, 4.6),
    Truth("Quillet", 342, 38, 84, 6.8),
    Truth("Dunnick Late", 300, 7, 105, 5.6),
    Truth("Weir Street", 272, 14, 89, 5.2),
)
CHECK = "Corvane"
SWEET = {"Corvane": 5.0, "Pale Anchor": 6.6, "Harl Quoin": 4.6, "Quillet": 5.4, "OF-17": 5.2}  # of 9, to a panel
SPOTTED = {"Corvane": 0.2, "Umbra Sill": 0.03, "Moth Lantern": 0.0, "Dunnick Late": 0.42, "Weir Street": 0.3}  # else 0.18
KEEPS = {"Corvane": 34, "Pale Anchor": 30, "Harl Quoin": 38, "Dunnick Late": 56}  # days until half of them are lost in store
