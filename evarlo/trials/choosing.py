"""Choosing plots: on the plan by dragging or touching, by block or bed, or by typing numbers and runs."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from django import forms

from evarlo.trials.models import Trial
from evarlo.trials.plot_numbers import chosen_plots
from evarlo.trials.queries import plots_of

LONGEST = 6000


class PlotsField(forms.CharField):
    """Plots as numbers and runs; the plan on the page fills it in. `data-pick` tells the script."""

    def __init__(self, trial: Trial, **kwargs: Any) -> None:
        words = {"required": "Nothing was chosen. Touch plots on the plan, or type their numbers."}
        super().__init__(label="Plots", max_length=LONGEST, strip=True, error_messages=words, **kwargs)
        self.trial = trial
        self.widget.attrs.update({"data-pick": "", "autocomplete": "off"})

    def clean(self, value: Any) -> list[str]:
        return list(dict.fromkeys(chosen_plots(self.trial, str(super().clean(value)))))


def groups_of(trial: Trial) -> list[tuple[str, str]]:
    """Beds and blocks by which plots can be chosen at once: the words, and the numbers with commas between."""
    beds: dict[str, list[str]] = defaultdict(list)
    blocks: dict[str, list[str]] = defaultdict(list)
    names = {b.pk: b.name for b in trial.beds}
    for p in plots_of(trial):
        blocks[f"Block {p.block}" if p.block else ""].append(p.number)
        beds[names.get(p.bed_id or 0, "")].append(p.number)
    groups = [*(beds.items() if len(beds) > 1 else ()), *(blocks.items() if len(blocks) > 1 else ())]
    everything = [("All", [n for some in blocks.values() for n in some])]
    return [(words, ",".join(some)) for words, some in (*everything, *groups) if words]
