"""The plain sentence that every comparison starts with."""

from __future__ import annotations

from django.utils.html import escape, format_html, format_html_join
from django.utils.safestring import SafeString

from evarlo.compare.analysis import Comparison, EntryResult
from evarlo.compare.claims import HOLDS, NOT, UNTOLD, Verified
from evarlo.compare.fit import FitCheck
from evarlo.compare.flow import TrialFlow
from evarlo.compare.heads import HeadRow, PairTable
from evarlo.ui.templatetags.ui import p_value, short_day
from evarlo.ui.words import fixed, number_word
from trialcore.analyses.mixed import JointTest

NOT_STRAIGHT = 0.95  # correlation with the normal below which it is said
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


def levels_in_words(comparison: Comparison) -> str:
    """Why no plain averages are shown where entries stood in small blocks; empty elsewhere."""
    if comparison.worked.incomplete is None:
        return ""
    drawn = ", blocks taken as drawn at random" if comparison.worked.recovered else ""
    return (
        "Each entry stood in other small blocks, so plain averages are not shown: these means are adjusted through the blocks "
        f"that entries share{drawn}."
    )


def misled_in_words(result: EntryResult, comparison: Comparison) -> SafeString:
    """That the plain average of an entry misleads, because it lost plots in blocks that were unlike the others."""
    raw, adjusted = result.mean.raw_mean or 0.0, result.mean.lsmean or 0.0
    said = (
        "The plain average of <b>{}</b>, {}, misleads: its lost plots stood in {} blocks than the others had. "
        "Adjusted for blocks it is {}."
    )
    better = "poorer" if raw > adjusted else "better"
    return format_html(said, result.name, figure(raw, comparison), better, fixed(adjusted, comparison.digits))


def honest_in_words(comparison: Comparison) -> SafeString:
    """What the leader is expected to keep of its lead, and what the chances allow for."""
    if comparison.honest is None:
        return SafeString("")
    leaders = [r for r in comparison.results if r.kept is not None and r.difference is not None]
    if not leaders:
        return SafeString("")
    top, before = leaders[0], comparison.honest.seasons
    measured, kept = comparison.sign * (top.difference.estimate if top.difference else 0.0), top.kept or 0.0
    history = (
        format_html(" {} of the check {} in it.", _seasons(len(before)), "is" if len(before) == 1 else "are") if before else ""
    )
    if measured <= 0:
        return format_html("Chances allow for the best of many looking better than it is.{}", history)
    lead, left = figure(measured, comparison), figure(abs(kept), comparison)
    side = "better" if kept >= 0 else "worse"
    why = (
        f"the best of {number_word(len(leaders)).lower()} usually looks better than it is"
        if kept <= measured
        else "other seasons or the other entries speak for it"
    )
    said = "{} measured {} better than the check; we expect {} {} in another season, because {}.{}"
    return format_html(said, top.name, lead, left, side, why, history)


def _seasons(n: int) -> str:
    return "One earlier season" if n == 1 else f"{number_word(n)} earlier seasons"


def bars_in_words(comparison: Comparison) -> str:
    """What the bars of the chart are, and what the shaded band is held to."""
    guard = ", each comparison held to 5 % on its own"
    if comparison.guard == "family" and comparison.versus:
        guard = f", all {len(comparison.versus.differences)} comparisons together held to 5 % (Dunnett)"
    shaded = "Each entry is tested by itself" if comparison.by_kind else "Shaded: where a difference from the check could be luck"
    cut = ", within what can be" if comparison.cut else ""
    chance = f" {starts_from_in_words(comparison.honest.learnt_from)}" if comparison.honest else ""
    return f"Thick bar: one standard error of the mean. Thin: 95 %{cut}. {shaded}{guard}.{chance}"


def starts_from_in_words(programmes: int) -> str:
    """What chances start from, before the figures of a trial."""
    if programmes:
        others = "one other signed programme" if programmes == 1 else f"{number_word(programmes).lower()} other signed programmes"
        start = f"starts from what {others} of this place showed of entries and checks"
    else:
        start = "takes the check to be rather better than an average new entry, until figures say otherwise"
    return f"The chance that it is better {start}; flat it takes each entry by itself."


def why_in_words(comparison: Comparison) -> SafeString:
    """Which model the kind of record was given and why, and what the plain one would say; empty where it is that."""
    if not comparison.by_kind:
        return SafeString(escape(comparison.worked.choice.why))
    found = comparison.worked.generalised
    said = escape(comparison.worked.choice.why)
    if found and found.dispersion > 1:
        said = format_html("{} Plots vary {} times as much as chance alone would have it.", said, fixed(found.dispersion, 1))
    if found and found.bare:
        shown = {r.entry.code: r.name for r in comparison.results}
        bare = listed([format_html("<strong>{}</strong>", shown[e]) for e in found.bare[:4]])
        said = format_html("{} Of {} every unit, or none, was counted: its figures are held off the edge (Firth).", said, bare)
    if not comparison.otherwise:
        return format_html("{} The plain model says the same of every entry.", said)
    other = listed([format_html("{} ({})", name, word or "nothing") for name, word in comparison.otherwise[:5]])
    return format_html("{} The plain model would say otherwise of {}.", said, other)


def pairs_in_words(table: PairTable | None) -> SafeString:
    """Which entries could not be told from the best, in one sentence."""
    if table is None:
        return SafeString("Pairs of entries cannot be set apart here: there is no error to judge them by, or there are too many.")
    best = table.rows[0]
    with_it = [name for name, _, letters, _ in table.rows[1:] if set(letters) & set(best[2])]
    if not with_it:
        return format_html("<strong>{}</strong> is better than every other entry, all pairs held together.", best[0])
    if len(with_it) == len(table.rows) - 1:
        return format_html("{} and every other entry could be alike, all {} pairs held together.", best[0], _pairs(table))
    shown = [format_html("{}", name) for name in with_it[:6]]
    more = [format_html("{} more", len(with_it) - 6)] if len(with_it) > 6 else []
    return format_html("<strong>{}</strong> stands first; {} could not be told from it.", best[0], listed([*shown, *more]))


def _pairs(table: PairTable) -> int:
    return len(table.rows) * (len(table.rows) - 1) // 2


def as_good_in_words(comparison: Comparison, rows: list[tuple[str, float, float, bool, bool]]) -> SafeString:
    """Who is surely as good as the check within what matters: a claim of its own, not what is left when no difference was found."""
    good = [name for name, *_, at_least in rows if at_least]
    if not good:
        return format_html("Of no entry is it sure that it is as good as {} within what matters.", comparison.check_name)
    shown = [format_html("<strong>{}</strong>", name) for name in good[:6]]
    more = [format_html("{} more", len(good) - 6)] if len(good) > 6 else []
    verb, names = "is" if len(good) == 1 else "are", listed([*shown, *more])
    return format_html("{} {} at least as good as {} within what matters (95 %).", names, verb, comparison.check_name)


def heads_in_words(names: list[str], rows: list[HeadRow]) -> SafeString:
    """In what the first of some entries is better and worse than each of the others."""
    if len(names) < 2 or not rows:
        return SafeString("There is no record yet by which they could be set against each other.")
    said = []
    for n, other in enumerate(names[1:]):
        better = [r.trait.name.lower() for r in rows if (d := r.against[n]) and d[3] == 1]
        worse = [r.trait.name.lower() for r in rows if (d := r.against[n]) and d[3] == -1]
        parts = [f"better in {', '.join(better)}"] if better else []
        parts += [f"worse in {', '.join(worse)}"] if worse else []
        told = " and ".join(parts) or "not surely different in anything"
        said.append(format_html("Against {} <strong>{}</strong> is {}.", other, names[0], told))
    return format_html_join(" ", "{}", ((s,) for s in said))


def claims_in_words(claims: list[Verified], shown: bool) -> SafeString:
    """How many claims hold, do not, and cannot be told."""
    if not shown:
        return SafeString("The entries of this trial go by their codes still: claims are set against it once it is opened.")
    if not claims:
        return SafeString("No entry has a claim with a figure of a trait that was measured here. Claims stand with the cultivars.")
    said = []
    for verdict, one, many in (
        (HOLDS, "holds", "hold"),
        (NOT, "does not hold", "do not hold"),
        (UNTOLD, "cannot be told", "cannot be told"),
    ):
        n = sum(v.verdict == verdict for v in claims)
        if n:
            said.append(format_html("{} {} {}", number_word(n).lower(), "claim" if n == 1 else "claims", one if n == 1 else many))
    first = listed(said)
    return SafeString(f"{first[0].upper()}{first[1:]}.")


def fit_in_words(check: FitCheck | None) -> SafeString:
    """Whether the residuals speak against the model, in a sentence or two."""
    if check is None:
        return SafeString("There are too few plots, or too little is left of them, to judge the model by.")
    seen, said = check.seen, []
    if check.out:
        plots = listed([format_html("<strong>{}</strong>", v.plot.number) for v in check.out])
        verb = "stands" if len(check.out) == 1 else "stand"
        said.append(format_html("{} {} {} out.", "Plot" if len(check.out) == 1 else "Plots", plots, verb))
        if not check.without:
            said.append(SafeString("Without that every entry stands as it does."))
    if seen.spread_rho is not None and seen.spread_p is not None and seen.spread_p < SURE:
        up = seen.spread_rho > 0
        low, high = ("surer", "less sure") if up else ("less sure", "surer")
        told = "The spread {} with the mean (p {}): differences between low entries are {} than they look, between high ones {}."
        said.append(format_html(told, "grows" if up else "shrinks", p_value(seen.spread_p), low, high))
    if seen.straightness < NOT_STRAIGHT:
        said.append(SafeString("What is left does not look normal."))
    if not said:
        return SafeString("Nothing speaks against the model: no plot stands out, and the spread is even.")
    return format_html_join(" ", "{}", ((s,) for s in said))


def model_in_words(comparison: Comparison) -> str:
    """What was fitted, for the page that shows the working."""
    if comparison.worked.two is not None:
        factor = comparison.trial.factor.lower()
        opening = f"Entries are compared over all levels of {factor}, every level weighing alike. "
        if comparison.worked.choice.analysis == "factorial":
            return opening + "All combinations stand in plots of one size and share one error, found by least squares."
        return opening + (
            "Plots of different size vary differently, so each comparison is held against the error of its own size: variances by "
            "restricted maximum likelihood (REML), standard errors and degrees of freedom after Kenward and Roger."
        )
    if comparison.worked.dates is not None:
        return (
            f"{comparison.worked.choice.model.capitalize()}. Each plot's day is the sum of its block, its entry and luck; the "
            "parts are found by maximum likelihood, dates taken as known to the walks they lie between (Louis 1982 for their "
            "standard errors). The analysis of variance below is the plain model’s, of the days on which the stage was first seen."
        )
    if comparison.worked.rescaled is not None:
        return (
            f"{comparison.worked.choice.model.capitalize()}. That is where plots vary alike: the size of residuals grows with "
            "the mean on the recorded scale, and the likelihood is clearly higher (Box and Cox). Means are what a plot gives on "
            "average, brought back with the spread of plots; each difference is tested where plots vary alike. The analysis of "
            "variance below is the plain model’s."
        )
    if comparison.by_kind:
        link = "logit" if comparison.worked.choice.errors == "binomial" else "log"
        return (
            f"{comparison.worked.choice.model.capitalize()}. Entries and blocks add up on the {link} scale; the means here are "
            "brought back to the scale that was recorded, for a block that is neither good nor bad. Spread beyond chance is "
            "Pearson’s chi-square by its degrees of freedom, pooled over plots and never below one; each difference is tested by "
            "what the likelihood loses when the two entries are alike, as F. The analysis of variance below is the plain model’s."
        )
    square = comparison.worked.choice.analysis == "latin"
    parts = "its row, its column, " if square else "its block, " if comparison.analysis.blocking else ""
    lost = comparison.analysis.n_observed < comparison.analysis.n_plots
    missing = (
        "Plots without a value are left out, and the means of entries that lost plots are adjusted to the others through the "
        "blocks they share. "
    )
    return (
        f"Each plot's value is taken as the sum of {parts}its entry and luck, and the parts are found by least squares. "
        f"{missing if lost else ''}A mean here is what the entry would have given as an average over all blocks (its least-squares "
        "mean). Its standard error holds the luck between plots only."
    )


def listed(items: list[SafeString]) -> SafeString:
    """“a”, “a and b”, “a, b and c”."""
    if len(items) < 2:
        return items[0] if items else SafeString("")
    head = format_html_join(", ", "{}", ((item,) for item in items[:-1]))
    return format_html("{} and {}", head, items[-1])


def figure(value: float, comparison: Comparison) -> str:
    unit = comparison.trait.shown_unit
    return f"{fixed(value, comparison.digits)} {unit}".strip()


def sentence(comparison: Comparison) -> SafeString:
    """What a grower needs to hear of this trait, in two sentences at most."""
    if comparison.analysis.n_observed == 0:
        return format_html("No plot has a value for {} yet.", comparison.trait.name.lower())
    if comparison.check is None:
        return SafeString("This trial has no check, so nothing can be set against it.")
    if comparison.versus is None:
        return _nothing_to_set(comparison)
    others = [s for s in comparison.results if s.difference is not None and not s.entry.any_check]
    winners, losers = ([s for s in others if s.beats == side] for side in (1, -1))
    ahead = [s for s in others if s.beats == 0 and (s.flat or 0) > 0.5]
    opening = format_html("{}{}", _winners(winners, comparison), _losers(losers))
    return format_html("{} {}", opening, _luck(ahead, winners, comparison))


def _losers(losers: list[EntryResult]) -> SafeString:
    if not losers:
        return SafeString("")
    if len(losers) > 4:
        return format_html(" {} fall behind it.", number_word(len(losers)))
    names = listed([format_html("<strong>{}</strong>", s.name) for s in losers])
    return format_html(" {} {} behind it.", names, "falls" if len(losers) == 1 else "fall")


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


def first_where_in_words(comparison: Comparison, means: dict[tuple[str, str], float]) -> SafeString:
    """Who stands first at each level of the second factor, where that is not the same one everywhere."""
    names = {r.entry.code: r.name for r in comparison.results}
    first = []
    for level in comparison.trial.levels:
        there = [(comparison.sign * mean, code) for (code, at), mean in means.items() if at == level]
        if there:
            first.append((level, names[max(there)[1]]))
    if len({name for _, name in first}) < 2:
        return SafeString("")
    return format_html("First stand {}.", listed([format_html("<strong>{}</strong> at {}", name, level) for level, name in first]))


def elsewhere_in_words(depends: JointTest | None) -> str:
    """That differences over all places hide what happens in each; empty where nothing shows it."""
    if depends is None or depends.p >= SURE:
        return ""
    return f"Entries answer differently to the places that they stand in (p {p_value(depends.p)}): the means over all hide that."


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


SAID_FIRST = 2  # entries whose half is told in the first sentence


def flow_in_words(flow: TrialFlow) -> SafeString:
    """By when half of the yield was in, of the entries that differ most surely from the check; the check's own day first."""
    found = flow.half
    by_entry = {e.entry.pk: e for e in flow.entries}
    check = by_entry.get(found.check.pk) if found and found.check else None
    if found is None or check is None or check.half_on is None:
        return SafeString("Half of the yield can be dated once the check was picked and the day of sowing is known.")
    own = format_html("Half of {}’s yield was in by {}.", check.name, short_day(check.half_on))
    sure = [r for r in found.results if r.difference and r.half and r.beats and r.entry.pk in by_entry]
    sure.sort(key=lambda r: -abs(r.difference.estimate) if r.difference else 0.0)
    if not sure:
        return format_html("{} No entry is surely earlier or later.", own)
    parts = []
    for r in sure[:SAID_FIRST]:
        assert r.difference and r.half
        days, half_on = r.difference.estimate, by_entry[r.entry.pk].half_on
        low, high = sorted((abs(days) - r.half, abs(days) + r.half))
        day = short_day(half_on) if half_on else "no day on record"
        earlier = "before" if days < 0 else "after"
        parts.append((r.name, day, fixed(abs(days), 0), fixed(low, 0), fixed(high, 0), earlier, check.name))
    said = format_html_join(" ", "Half of <strong>{}</strong>’s yield was in by {}, {} days ({} to {}) {} {}’s.", parts)
    more = f" {number_word(len(sure) - len(parts))} more differ." if len(sure) > len(parts) else ""
    return format_html("{} {}{}", said, own, more)
