"""Design and kind of record to analysis: the one place that decides. Pages and command line both ask here."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from trialcore.analyses.blocks import analyse_blocks
from trialcore.analyses.linear import Coded, Labels

Columns = Mapping[str, Labels]
Kind = Literal["plain", "measure", "count", "share", "score", "days", "category"]
Errors = Literal["normal", "sqrt", "log", "binomial", "poisson", "censored"]

NEEDS: dict[str, tuple[str, ...]] = {
    "crd": (),
    "rcbd": ("rep",),
    "latin": ("row", "col"),
    "alpha": ("rep", "block"),
    "augmented": ("block",),
    "blocks": ("block",),
    "split-plot": ("rep", "factor2"),
    "strip-plot": ("rep", "factor2"),
    "factorial": ("factor2",),
    "spatial": ("row", "col"),
    "environments": ("site", "season"),
    "environment-plots": ("site", "season", "rep"),
    "paired-strips": ("season",),
}

MODELS: dict[str, str] = {
    "crd": "entries only, least squares",
    "rcbd": "complete blocks and entries, least squares",
    "latin": "rows, columns and entries, least squares",
    "alpha": "incomplete blocks within replicates, recovered by REML",
    "augmented": "blocks and entries, the checks in every block",
    "blocks": "incomplete blocks in general, least squares",
    "split-plot": "whole plots and sub-plots, each with its own error, by REML",
    "strip-plot": "strips across strips, each with its own error, by REML",
    "factorial": "both factors and their interaction in plots of one size, least squares",
    "spatial": "the ground as correlated neighbours or a smooth surface, against plain blocks",
    "environments": "one mean for each entry and environment",
    "environment-plots": "each environment alone, then all together",
    "paired-strips": "differences from the check, seasons as the replicates",
}


@dataclass(frozen=True)
class Choice:
    """The analysis that a design and a kind of record get: its name in `NEEDS`, what it is in words, how single plots are taken
    to vary, and why it is this one where the design alone would not say so."""

    analysis: str
    model: str
    errors: Errors
    why: str = ""


# How plots vary by kind of record, where the design permits: the table that pages and the command line print.
BY_KIND: dict[str, tuple[Errors, str]] = {
    "share": (
        "binomial",
        "Counted units go one way or the other, so their spread follows the share and ends at 0 and 100 %: logistic regression, "
        "plots that vary more than chance allowed for, each test a likelihood ratio.",
    ),
    "count": (
        "poisson",
        "Counts vary with their mean and never fall below nought: log-linear regression, plots that vary more than chance allowed "
        "for, each test a likelihood ratio.",
    ),
    "score": (
        "normal",
        "Scores are set against each other by their means: in simulations of scores from 1 to 9 that found most differences and "
        "kept its level, better than ranks and than a model of the classes.",
    ),
    "measure": ("normal", ""),  # or on the square root or the logarithm, where plots vary alike there: see `scales`
    "plain": ("normal", ""),
    "days": (
        "censored",
        "A day is known only to lie between the last walk without it and the first with it, and a plot that had not come so far "
        "counts as later than its last walk: dates are taken so, with a normal spread between plots.",
    ),
}
BLOCKED: dict[str, tuple[str, ...]] = {
    "crd": (),
    "rcbd": ("rep",),
    "latin": ("row", "col"),
    "alpha": ("rep",),
    "augmented": ("block",),
    "blocks": ("block",),
}


def choose(design: str, kind: Kind, labels: Columns, counted: bool = False) -> Choice:
    """The analysis for plots with these label columns, laid out by `design` (a name of `NEEDS`) and holding records of `kind`.

    Pairs with the check within one season are blocks of two: only where there are several seasons are these the replicates.
    How plots vary goes by `BY_KIND`: shares and counts by their own models where they were `counted` unit by unit and one factor
    is compared, dates by the walks they lie between in every design; weights, measures, scores, and shares that were judged by eye,
    normally. A category has no analysis.

    Raises ValueError for a design that is not known, a column that it needs and that is absent, or a category.
    """
    if kind == "category":
        raise ValueError("a category has no mean; expected a number, a share, a score or a day")
    if design not in NEEDS:
        raise ValueError(f"“{design}” is not a design that is analysed; expected one of {', '.join(NEEDS)}")
    analysis, why = design, ""
    if design == "paired-strips" and "season" not in labels and "block" in labels:
        analysis = "alpha" if "rep" in labels else "blocks"
        why = "pairs of one season are blocks of two"
    absent = [name for name in NEEDS[analysis] if name not in labels]
    if absent:
        raise ValueError(f"{design} needs the column {' and '.join(absent)}")
    errors, because = BY_KIND[kind]
    if errors == "normal":
        return Choice(analysis, MODELS[analysis], "normal", why or because)
    if not counted:
        return Choice(analysis, MODELS[analysis], "normal", why)
    if errors == "censored" and analysis in DATES_OVER:
        return Choice(analysis, f"{GENERALISED[errors]}, {DATES_OVER[analysis]}", errors, because)
    if analysis not in BLOCKED:
        return Choice(analysis, MODELS[analysis], "normal", f"{kind.capitalize()}s by two factors are taken by the plain model.")
    return Choice(analysis, f"{GENERALISED[errors]}, {_over(BLOCKED[analysis])}", errors, because)


GENERALISED = {
    "censored": "days known to lie between two walks, normal between plots",
    "binomial": "shares of counted units by logistic regression",
    "poisson": "counts by log-linear regression",
}


DATES_OVER: dict[str, str] = {
    "crd": "entries only",
    "rcbd": "over blocks",
    "latin": "over rows and columns",
    "augmented": "over blocks",
    "alpha": "over replicates, blocks within them at random",
    "blocks": "over blocks at random",
    "split-plot": "over both factors, whole plots at random",
    "strip-plot": "over both factors, strips at random",
    "factorial": "over both factors",
}
"""The designs in which dates are analysed between walks, and how."""

WORDS = {"rep": "blocks", "row": "rows", "col": "columns", "block": "blocks"}


def _over(blocks: tuple[str, ...]) -> str:
    return f"over {' and '.join(WORDS[b] for b in blocks)}" if blocks else "entries only"


def design_of(labels: Columns) -> str:
    """The design that the columns speak for; of two that look alike the simpler one.

    A second factor is taken as crossed in plots of one size, unless a `block` within replicates holds one entry each (whole
    plots; strips where each column of the field has one level of the second factor as well). Complete blocks with
    positions are taken as such; say `spatial` to model the ground.
    """
    has = labels.keys()
    if "factor2" in has:
        return _two_factor_design(labels)
    if {"site", "season"} <= has:
        cells = list(zip(*(labels[c] for c in ("site", "season", "entry")), strict=True))
        return "environment-plots" if "rep" in has and len(set(cells)) < len(cells) else "environments"
    if "season" in has:
        return "paired-strips"
    if {"rep", "block"} <= has:
        return "alpha"
    if "block" in has:
        single = _entries_in_one_block(labels)
        return "augmented" if 0 < single < len(set(labels["entry"])) and not _disconnected(labels) else "blocks"
    if "rep" in has:
        return "rcbd"
    entries = len(set(labels["entry"]))
    if {"row", "col"} <= has and entries == len(set(labels["row"])) == len(set(labels["col"])):
        return "latin"
    return "crd"


def _two_factor_design(labels: Columns) -> str:
    if not {"rep", "block"} <= labels.keys() or not _settles(labels, ("rep", "block"), "entry"):
        return "factorial"
    if "col" in labels and (_settles(labels, ("rep", "col"), "factor2") or _settles(labels, ("rep", "row"), "factor2")):
        return "strip-plot"
    return "split-plot"


def _settles(labels: Columns, by: tuple[str, ...], label: str) -> bool:
    """Whether the labels `by` together leave one value of `label`, and gather several plots."""
    if not all(name in labels for name in by):
        return False
    cells = list(zip(*(labels[name] for name in by), strict=True))
    pairs = set(zip(cells, labels[label], strict=True))
    return len(pairs) == len(set(cells)) < len(cells)


def _entries_in_one_block(labels: Columns) -> int:
    counts = Coded.of(labels["entry"]).cross(Coded.of(labels["block"]))
    return int(((counts > 0).sum(axis=1) == 1).sum())


def _disconnected(labels: Columns) -> bool:
    value = [float(i % 7) for i in range(len(labels["entry"]))]
    found = analyse_blocks(labels["entry"], value, {"block": labels["block"]})
    return len(set(found.connected_set)) > 1
