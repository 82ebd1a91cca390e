"""Plots as people name several at once: single numbers, and runs such as 101–112."""

from __future__ import annotations

from django import forms

from evarlo.trials.models import Trial


def chosen_plots(trial: Trial, text: str) -> list[str]:
    """The numbers that were typed, each a plot of the trial; none for nothing. Raises ValidationError in words."""
    if not text.strip():
        return []
    known = [p.number for p in trial.plots.order_by("place")]
    chosen: list[str] = []
    for part in text.replace("–", "-").replace(";", ",").replace(" - ", "-").split(","):
        chosen += _run(part.strip(), known)
    return chosen


def _run(part: str, known: list[str]) -> list[str]:
    if not part:
        return []
    first, dash, last = part.partition("-")
    if part in known:
        return [part]
    missing = next((n for n in ((first.strip(), last.strip()) if dash else (part,)) if n not in known), None)
    if missing is not None:
        such = f"such as {known[0]} or {known[0]}-{known[-1]}" if known else "but it has none yet"
        raise forms.ValidationError(f"Found “{missing[:20]}”. Expected plot numbers of this trial, {such}.")
    numbers = sorted(known, key=lambda n: (len(n), n))
    start, end = numbers.index(first.strip()), numbers.index(last.strip())
    if end < start:
        raise forms.ValidationError(f"Found “{part}”. Expected the lower number first.")
    return numbers[start : end + 1]
