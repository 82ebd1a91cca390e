"""The plain sentence that every comparison starts with."""

from __future__ import annotations

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.compare.analysis import Comparison, EntryResult
from evarlo.ui.words import number_word

SURE, MAYBE = 0.05, 0.2  # below the first an interaction is called so, below the second it is not ruled out


SOURCES = {
    "rep": "blocks",
    "block": "blocks",
    "row": "rows",
    "col": "columns",
    "Residual": "error",
    "entry": "entries, adjusted for blocks",
}


def source_in_words(source: str) -> str:
    """A line of an analysis of variance, as a reader of tables knows it."""
    return SOURCES.get(source, "total")


def listed(items: list[SafeString]) -> SafeString:
    """“a”, “a and b”, “a, b and c”."""
    if len(items) < 2:
        return items[0] if items else SafeString("")
    head = format_html_join(", ", "{}", ((item,) for item in items[:-1]))
    return format_html("{} and {}", head, items[-1])


def figure(value: float, comparison: Comparison) -> str:
    unit = comparison.trait.shown_unit
    return f"{value:.{comparison.digits}f} {unit}".strip()


def sentence(comparison: Comparison) -> SafeString:
    """What a grower needs to hear of this trait, in two sentences at most."""
    if comparison.analysis.n_observed == 0:
        return format_html("No plot has a value for {} yet.", comparison.trait.name.lower())
    if comparison.check is None:
        return SafeString("This trial has no check, so nothing can be set against it.")
    if comparison.versus is None:
        return _nothing_to_set(comparison)
    others = [s for s in comparison.results if s.difference is not None]
    winners = [s for s in others if s.beats > 0]
    ahead = [s for s in others if s.beats == 0 and (s.chance or 0) > 0.5]
    opening = _winners(winners, comparison)
    return format_html("{} {}", opening, _luck(ahead, winners, comparison))


def _winners(winners: list[EntryResult], comparison: Comparison) -> SafeString:
    check = comparison.check_name
    if not winners:
        return format_html("No entry beats the check, <strong>{}</strong>, beyond what luck could do.", check)
    if len(winners) > 4:
        return format_html("{} entries beat the check, <strong>{}</strong>.", number_word(len(winners)), check)
    names = listed([format_html("<strong>{}</strong>", s.name) for s in winners])
    verb = "beats" if len(winners) == 1 else "beat"
    return format_html("{} {} the check, <strong>{}</strong>.", names, verb, check)


def depends_in_words(comparison: Comparison) -> str:
    """Whether the differences between entries change with the second factor, as far as this trial can tell."""
    two, factor = comparison.worked.two, comparison.trial.factor.lower()
    found = two.interaction if two else None
    if found is None:
        return f"Whether the entries answer differently to {factor} cannot be told from these plots."
    if found.p < SURE:
        return f"The entries answer differently to {factor} (p {found.p:.2g}): read them level by level, not only over all."
    if found.p < MAYBE:
        return f"The entries may answer differently to {factor} (p {found.p:.2f}); another season would tell."
    return f"Nothing shows that the entries answer differently to {factor} (p {found.p:.2f}), so they are compared over all levels."


def _luck(ahead: list[EntryResult], winners: list[EntryResult], comparison: Comparison) -> SafeString:
    if comparison.band is None:
        return SafeString("")
    size = format_html("<strong>{}</strong>", figure(comparison.band, comparison))
    if comparison.band_percent:
        size = format_html("{} ({:.0f} %)".replace("{:.0f}", "{}"), size, f"{comparison.band_percent:.0f}")
    kind = comparison.trial.repeats
    design = f"with {number_word(comparison.trial.blocks).lower()} {kind}" if comparison.analysis.blocking else "in this trial"
    if not ahead:
        return format_html("A difference from it under {} could be luck.", size)
    more = "more " if winners else ""
    verb = "is" if len(ahead) == 1 else "are"
    return format_html(
        "{} {}{} ahead of it, but {} a difference under {} could be luck.",
        number_word(len(ahead)),
        more,
        verb,
        design,
        size,
    )


def _nothing_to_set(comparison: Comparison) -> SafeString:
    check = next(s for s in comparison.results if comparison.check and s.entry.pk == comparison.check.pk)
    if check.mean.n == 0:
        return format_html(
            "The check, <strong>{}</strong>, has no value for {}, so nothing can be set against it.",
            comparison.check_name,
            comparison.trait.name.lower(),
        )
    reasons = format_html_join(" ", "{}", ((said,) for said in comparison.analysis.cannot_say))
    return reasons or SafeString("These values do not let any entry be set against the check.")
