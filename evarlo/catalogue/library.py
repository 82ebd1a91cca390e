"""The traits that every installation starts with: plain data, so that a migration can put them in."""

from typing import Any

WALKED: tuple[dict[str, Any], ...] = (
    {
        "key": "stand",
        "name": "Stand",
        "kind": "count",
        "unit": "plants",
        "low": 0,
        "high": 2000,
        "repeated": True,
        "matters": 2,
        "method": "Count every living plant of the plot, gaps left out.",
    },
    {
        "key": "first-flower",
        "name": "First flower",
        "kind": "date",
        "direction": "lower",
        "matters": 3,
        "method": "The day on which the first plant of the plot shows an open flower.",
    },
    {
        "key": "first-edible",
        "name": "First edible",
        "kind": "date",
        "direction": "lower",
        "matters": 3,
        "method": "The day on which half of the plants have reached eating size.",
    },
    {
        "key": "bolting",
        "name": "Bolting",
        "kind": "percent",
        "unit": "%",
        "low": 0,
        "high": 100,
        "direction": "lower",
        "repeated": True,
        "matters": 10,
        "method": "Share of the plants whose stem has begun to stretch.",
    },
    {
        "key": "damage",
        "name": "Damage",
        "kind": "percent",
        "unit": "%",
        "low": 0,
        "high": 100,
        "direction": "lower",
        "repeated": True,
        "matters": 10,
        "method": "Leaf area lost or dead over the whole plot, whatever the cause.",
    },
    {
        "key": "vigour",
        "name": "Vigour",
        "kind": "score",
        "low": 1,
        "high": 9,
        "repeated": True,
        "matters": 1,
        "method": "1 is barely alive, 5 is usual, 9 is as strong as the crop can be. High is good.",
    },
    {
        "key": "evenness",
        "name": "Evenness",
        "kind": "score",
        "low": 1,
        "high": 9,
        "repeated": True,
        "matters": 1,
        "method": "1 is every plant different, 9 is all alike. High is good.",
    },
    {
        "key": "disease",
        "name": "Disease",
        "kind": "score",
        "low": 1,
        "high": 9,
        "direction": "lower",
        "repeated": True,
        "matters": 1,
        "method": "1 is clean, 9 is dead of it. High is bad. Note which disease.",
    },
    {
        "key": "height",
        "name": "Height",
        "kind": "measure",
        "unit": "cm",
        "low": 0,
        "high": 500,
        "decimals": 0,
        "repeated": True,
        "matters": 5,
        "method": "From the ground to the top of the leaves as they stand, mean of five plants.",
    },
    {
        "key": "plot-yield",
        "name": "Plot yield",
        "kind": "measure",
        "unit": "kg",
        "low": 0,
        "high": 500,
        "decimals": 2,
        "failed_counts_as": 0,
        "matters": 0.5,
        "method": "Everything marketable from the plot in one go.",
    },
)

PICKED: tuple[dict[str, Any], ...] = (
    {
        "key": "marketable-yield",
        "name": "Marketable yield",
        "kind": "measure",
        "unit": "kg/m²",
        "decimals": 2,
        "failed_counts_as": 0,
        "matters": 0.3,
        "method": "All marketable weight of the season by the area of the plot.",
    },
    {
        "key": "marketable-per-plant",
        "name": "Yield per plant standing",
        "kind": "measure",
        "unit": "g",
        "decimals": 0,
        "failed_counts_as": 0,
        "matters": 20,
        "method": "Marketable weight by the plants that stood when it was picked.",
    },
    {
        "key": "marketable-per-plant-set-out",
        "name": "Yield per plant set out",
        "kind": "measure",
        "unit": "g",
        "decimals": 0,
        "failed_counts_as": 0,
        "matters": 20,
        "method": "All marketable weight by the plants that were set out.",
    },
    {
        "key": "piece-weight",
        "name": "Piece weight",
        "kind": "measure",
        "unit": "g",
        "decimals": 0,
        "matters": 20,
        "method": "Marketable weight by marketable pieces, of the picks that were counted.",
    },
    {
        "key": "marketable-share",
        "name": "Marketable share",
        "kind": "percent",
        "unit": "%",
        "decimals": 0,
        "matters": 5,
        "method": "Marketable weight in percent of all that was picked.",
    },
    {
        "key": "days-to-first-pick",
        "name": "Days to first pick",
        "kind": "measure",
        "unit": "days",
        "direction": "lower",
        "matters": 3,
        "method": "From sowing to the first pick with anything marketable.",
    },
)

FIRST = tuple({**t, "source": "walk"} for t in WALKED) + tuple({**t, "source": "pick"} for t in PICKED)

COMMON: dict[str, dict[str, Any]] = {
    "score": {"kind": "score", "low": 1, "high": 9, "repeated": True, "matters": 1},
    "percent": {"kind": "percent", "unit": "%", "low": 0, "high": 100, "direction": "lower", "repeated": True, "matters": 10},
    "affected": {"kind": "affected", "unit": "%", "low": 0, "high": 100, "direction": "lower", "repeated": True, "matters": 10},
    "stage": {"kind": "date", "direction": "lower", "matters": 3},
    "measure": {"kind": "measure", "unit": "cm", "low": 0, "high": 500, "decimals": 1, "repeated": True},
    "count": {"kind": "count", "low": 0, "high": 5000, "repeated": True},
}
BRASSICAS, UMBELS, LEGUMES, CUCURBITS = "Brassicaceae", "Apiaceae", "Fabaceae", "Cucurbitaceae"
NIGHTSHADES, ONIONS, DAISIES, GRASSES = "Solanaceae", "Amaryllidaceae", "Asteraceae", "Poaceae"

# Common methods, some for certain families only: key, name, method, which of the kinds above, and what differs from it.
METHODS: tuple[tuple[str, str, str, str, dict[str, Any]], ...] = (
    ("emerged", "Emerged", "The day on which half of the stations show a plant.", "stage", {}),
    (
        "heads-visible",
        "Heads visible",
        "The day on which half of the plants show a head of 2 cm.",
        "stage",
        {"fits": [BRASSICAS, DAISIES]},
    ),
    ("tasselled", "Tassel out", "The day on which half of the plants shed pollen.", "stage", {"fits": [GRASSES]}),
    ("silked", "Silk out", "The day on which half of the plants show silk.", "stage", {"fits": [GRASSES]}),
    (
        "male-flower",
        "First male flower",
        "The day on which the first male flower of the plot is open.",
        "stage",
        {"fits": [CUCURBITS]},
    ),
    (
        "female-flower",
        "First female flower",
        "The day on which the first female flower, with its small fruit, is open.",
        "stage",
        {"fits": [CUCURBITS]},
    ),
    ("full-flower", "Full flower", "The day on which half of the plants are in flower.", "stage", {}),
    ("bolted", "Bolted", "The day on which a tenth of the plants have a stem of 10 cm.", "stage", {"direction": "higher"}),
    ("died-back", "Died back", "The day on which half of the tops have fallen or died.", "stage", {"fits": [ONIONS, NIGHTSHADES]}),
    (
        "ground-cover",
        "Ground cover",
        "Share of the plot's ground hidden by leaves, seen from straight above.",
        "percent",
        {"direction": "higher"},
    ),
    ("lodging", "Lodging", "Share of the plot that lies or leans by more than 45°.", "percent", {}),
    (
        "leaf-disease",
        "Leaf area diseased",
        "Share of the leaf area with lesions, mean over the plot. Practise with drawn leaves.",
        "percent",
        {},
    ),
    ("leaf-eaten", "Leaf area eaten", "Share of the leaf area that is gone, mean over the plot.", "percent", {}),
    ("weeds", "Weed cover", "Share of the plot's ground under weeds before weeding.", "percent", {}),
    (
        "recovery",
        "Recovery",
        "Share of the damaged leaf area or plants that has grown on, at the day set after the damage.",
        "percent",
        {"direction": "higher"},
    ),
    (
        "diseased-plants",
        "Plants diseased",
        "How many of the plants looked at show it, however little.",
        "affected",
        {"samples": 10},
    ),
    ("infested-plants", "Plants infested", "How many of the plants looked at have the pest on them.", "affected", {"samples": 10}),
    (
        "off-types",
        "Off-types",
        "How many plants are not what the cultivar is; the rest of the plot is looked at too.",
        "affected",
        {"samples": 20, "repeated": False},
    ),
    ("split", "Split", "How many of the pieces looked at are split or cracked.", "affected", {"samples": 10}),
    ("cold-damage", "Cold damage", "1 is none, 9 is dead of it. High is bad.", "score", {"direction": "lower"}),
    ("wilting", "Wilting", "1 is none at noon, 9 is flat all day. High is bad.", "score", {"direction": "lower"}),
    ("leaf-colour", "Leaf colour", "1 is pale yellow, 9 is the darkest green the crop has.", "score", {}),
    ("standing", "Standing", "1 is flat, 9 is upright. High is good.", "score", {}),
    (
        "width",
        "Bulb or head width",
        "Across the widest place, of ten plants in a row.",
        "measure",
        {"samples": 10, "unit": "cm", "high": 60, "matters": 0.5, "fits": [UMBELS, ONIONS, BRASSICAS, DAISIES]},
    ),
    (
        "root-length",
        "Root length",
        "From the crown to where it is 5 mm thick, of ten roots. The plants are pulled.",
        "measure",
        {"samples": 10, "high": 80, "matters": 2, "fits": [UMBELS, BRASSICAS]},
    ),
    (
        "fruit-length",
        "Fruit length",
        "Without the stalk, of ten fruits at eating size.",
        "measure",
        {"samples": 10, "high": 100, "matters": 1, "fits": [CUCURBITS, NIGHTSHADES]},
    ),
    (
        "pods",
        "Pods on a plant",
        "Filled pods, of five plants.",
        "count",
        {"samples": 5, "unit": "pods", "matters": 2, "fits": [LEGUMES]},
    ),
    (
        "fruits",
        "Fruits on a plant",
        "Set fruits, of five plants.",
        "count",
        {"samples": 5, "unit": "fruits", "matters": 1, "fits": [CUCURBITS, NIGHTSHADES]},
    ),
    ("true-to-name", "True to name", "Whether the plot is what its label says.", "yesno", {"kind": "yesno"}),
    (
        "habit",
        "Habit",
        "How most of the plants grow.",
        "category",
        {"kind": "category", "choices": ["upright", "spreading", "trailing"]},
    ),
)

LATER: tuple[dict[str, Any], ...] = tuple(
    {"key": key, "name": name, "method": method, "source": "walk", **COMMON.get(base, {}), **more}
    for key, name, method, base, more in METHODS
)
LIBRARY = FIRST + LATER
SAMPLED = {"height": 5}  # of the first ones: plants of a plot that are looked at

LEAF = tuple((share, f"{share:g} % of the area", f"leaf:{share:g}") for share in (1, 5, 10, 25, 50, 75))
COVER = tuple((share, f"{share:g} % of the ground", f"cover:{share:g}") for share in (10, 30, 50, 70, 90))
LEAN = (
    (0, "all upright", "lean:0"),
    (25, "a quarter beyond 45°", "lean:25"),
    (50, "half", "lean:50"),
    (100, "everything flat", "lean:100"),
)
DROUGHT_ALIKE = ("Dry soil", "The whole bed wilts at noon and stands again in the morning.")

# Anchors as (at, words, drawing), then what can be taken for it as (what, how to tell).
GUIDES: dict[str, tuple[tuple[tuple[float, str, str], ...], tuple[tuple[str, str], ...]]] = {
    "vigour": (
        (
            (1, "barely alive", "plant:1"),
            (3, "well behind the crop", "plant:3"),
            (5, "as the crop usually is", "plant:5"),
            (7, "clearly ahead", "plant:7"),
            (9, "as strong as the crop can be", "plant:9"),
        ),
        (("An older sowing", "Larger only because it was sown first: look at the leaves' colour and firmness."),),
    ),
    "evenness": (
        ((1, "every plant different", "even:1"), (5, "some large, some small", "even:5"), (9, "all alike", "even:9")),
        (("Gaps filled late", "Small plants stand just where replacements are on record."),),
    ),
    "disease": (
        (
            (1, "clean", "leaf:0"),
            (3, "a few lesions", "leaf:3"),
            (5, "a quarter of the leaf area", "leaf:25"),
            (7, "half of it", "leaf:50"),
            (9, "dead of it", "leaf:90"),
        ),
        (
            ("Lack of a nutrient", "Even over the plant and the plot, older or younger leaves first, no edge to the spots."),
            ("Wind or sand", "Only on the side it came from, edges torn."),
        ),
    ),
    "damage": (LEAF, (("Old leaves dying", "Lowest leaves only, on every plant alike."),)),
    "leaf-disease": (
        LEAF,
        (
            ("Flecks of the cultivar", "The same on every leaf, pale, without an edge."),
            ("Dust or spray", "Wipes off."),
            ("Leaf tips drying", "From the tip backwards, no separate spots."),
        ),
    ),
    "leaf-eaten": (
        tuple((a, w, d.replace("leaf", "eaten")) for a, w, d in LEAF),
        (("Hail", "Holes torn, on top leaves of every plot, all on one day."), ("Wind", "Tears along the veins, nothing missing.")),
    ),
    "ground-cover": (COVER, (("Weeds", "They do not count as cover."),)),
    "weeds": (COVER, (("Volunteers of the crop before", "They count as weeds."),)),
    "lodging": (LEAN, (("Bent by picking", "Only along the path."),)),
    "standing": (((1, "flat", "lean:100"), (5, "half leans", "lean:50"), (9, "upright", "lean:0")), ()),
    "bolting": (
        ((0, "none", ""), (10, "a tenth", ""), (50, "half of the plants", "")),
        (("Leaves drawn up by shade", "No stem between the leaves when you part them."),),
    ),
    "wilting": (
        ((1, "firm", "plant:7"), (5, "soft at noon, firm by evening", "plant:4"), (9, "flat all day", "plant:1")),
        (DROUGHT_ALIKE, ("Root rot", "Does not stand again after water; roots brown.")),
    ),
    "cold-damage": (
        ((1, "none", "leaf:0"), (5, "leaf edges dead", "edge:30"), (9, "dead", "leaf:95")),
        (("Wind scorch", "Only on the side it came from, and no frost on record."),),
    ),
    "diseased-plants": ((), (("Drought, root rot or a wilt", "Look at the roots before it is called confirmed."),)),
    "infested-plants": ((), (("Old damage without the pest", "Count plants that have the pest on them, not its old marks."),)),
}
