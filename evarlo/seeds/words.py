"""The sentences about lots of seed and their tests."""

from __future__ import annotations

from django.utils.html import format_html
from django.utils.safestring import SafeString

from evarlo.seeds.germination import TestResult
from evarlo.seeds.queries import Stock
from evarlo.ui.templatetags.ui import day, measure, places, plain
from evarlo.ui.words import counted

SEEN = {"germination": "germinated normally", "quick": "look alive", "float": "sank"}


def germination_in_words(stock: Stock) -> str:
    """The share of a lot that germinates, and whether it was tested."""
    if not stock.germination:
        return "–"
    return f"{places(stock.germination, 0)} tested" if stock.tested else places(stock.germination, 0)


def stock_in_words(stock: Stock) -> SafeString:
    """What is left of a lot, how well it germinates and from when it is."""
    lot = stock.lot
    share = ""
    if stock.tested:
        share = f", {places(stock.germination, 0)} % germinated in its last test"
    elif lot.germination:
        share = f", {plain(lot.germination)} % stated to germinate"
    grown = f", grown in {lot.year}" if lot.year else ""
    return format_html("<strong>{}</strong> {} in stock{}{}.", stock.seeds, lot.counted_in, share, grown)


def result_in_words(found: TestResult) -> SafeString:
    """What a test shows of its lot and what it means for sowing."""
    test = found.test
    if found.left == test.sown:
        return format_html("Nothing is counted yet of its {}.", counted(test.sown, "seed"))
    stated = f"; its supplier states {plain(test.lot.germination)} %" if test.lot.germination else ""
    seen = format_html(
        "<strong>{} %</strong> {}: {} of {}, so between {} and {} % of the lot{}.",
        places(found.percent, 0),
        SEEN[test.method],
        found.normal,
        test.sown,
        places(100 * found.lower95, 0),
        places(100 * found.upper95, 0),
        stated,
    )
    return seen if test.method == "float" else format_html("{} {}", seen, _advice(found))


def _advice(found: TestResult) -> SafeString:
    if found.advice.verdict == "sow":
        return format_html("<b>{}</b> it as usual.", "Sow")
    if found.advice.verdict == "reject":
        return format_html('<b class="hurts">{}</b> it: it is sure to lie too low.', "Reject")
    return format_html("<b>Sow thicker</b>: {} times the usual seed.", places(found.advice.factor, 1))


def setting_in_words(found: TestResult) -> str:
    """How a test was begun."""
    test = found.test
    at = f" at {measure(test.celsius, '°C')}" if test.celsius is not None else ""
    on = f" on {test.on_what}" if test.on_what else ""
    return f"Begun {day(test.began_on)} with {test.replicates} × {test.seeds} seeds{at}{on}."
