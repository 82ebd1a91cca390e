"""The traits that every installation starts with: plain data, so that a migration can put them in."""

from typing import Any

WALKED: tuple[dict[str, Any], ...] = (
    {"key": "stand", "name": "Stand", "kind": "count", "unit": "plants", "low": 0, "high": 2000, "repeated": True, "matters": 2,
     "method": "Count every living plant of the plot, gaps left out."},
    {"key": "first-flower", "name": "First flower", "kind": "date", "direction": "lower", "matters": 3,
     "method": "The day on which the first plant of the plot shows an open flower."},
    {"key": "first-edible", "name": "First edible", "kind": "date", "direction": "lower", "matters": 3,
     "method": "The day on which half of the plants have reached eating size."},
    {"key": "bolting", "name": "Bolting", "kind": "percent", "unit": "%", "low": 0, "high": 100, "direction": "lower", "repeated": True,
     "matters": 10, "method": "Share of the plants whose stem has begun to stretch."},
    {"key": "damage", "name": "Damage", "kind": "percent", "unit": "%", "low": 0, "high": 100, "direction": "lower", "repeated": True,
     "matters": 10, "method": "Leaf area lost or dead over the whole plot, whatever the cause."},
    {"key": "vigour", "name": "Vigour", "kind": "score", "low": 1, "high": 9, "repeated": True, "matters": 1,
     "method": "1 is barely alive, 5 is usual, 9 is as strong as the crop can be. High is good."},
    {"key": "evenness", "name": "Evenness", "kind": "score", "low": 1, "high": 9, "repeated": True, "matters": 1,
     "method": "1 is every plant different, 9 is all alike. High is good."},
    {"key": "disease", "name": "Disease", "kind": "score", "low": 1, "high": 9, "direction": "lower", "repeated": True, "matters": 1,
     "method": "1 is clean, 9 is dead of it. High is bad. Note which disease."},
    {"key": "height", "name": "Height", "kind": "measure", "unit": "cm", "low": 0, "high": 500, "decimals": 0, "repeated": True, "matters": 5,
     "method": "From the ground to the top of the leaves as they stand, mean of five plants."},
    {"key": "plot-yield", "name": "Plot yield", "kind": "measure", "unit": "kg", "low": 0, "high": 500, "decimals": 2,
     "failed_counts_as": 0, "matters": 0.5, "method": "Everything marketable from the plot in one go."},
)  # fmt: skip

PICKED: tuple[dict[str, Any], ...] = (
    {"key": "marketable-yield", "name": "Marketable yield", "kind": "measure", "unit": "kg/m²", "decimals": 2, "failed_counts_as": 0,
     "matters": 0.3, "method": "All marketable weight of the season by the area of the plot."},
    {"key": "marketable-per-plant", "name": "Yield per plant", "kind": "measure", "unit": "g", "decimals": 0, "failed_counts_as": 0,
     "matters": 20, "method": "All marketable weight by the plants that stood."},
    {"key": "piece-weight", "name": "Piece weight", "kind": "measure", "unit": "g", "decimals": 0, "matters": 20,
     "method": "Marketable weight by marketable pieces, of the picks that were counted."},
    {"key": "marketable-share", "name": "Marketable share", "kind": "percent", "unit": "%", "decimals": 0, "matters": 5,
     "method": "Marketable weight in percent of all that was picked."},
    {"key": "days-to-first-pick", "name": "Days to first pick", "kind": "measure", "unit": "days", "direction": "lower", "matters": 3,
     "method": "From sowing to the first pick with anything marketable."},
)  # fmt: skip

LIBRARY = tuple({**t, "source": "walk"} for t in WALKED) + tuple({**t, "source": "pick"} for t in PICKED)
