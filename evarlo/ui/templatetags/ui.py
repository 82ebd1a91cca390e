"""Small things every template uses."""

from __future__ import annotations

import json
import uuid
from collections.abc import Sequence
from datetime import date, datetime
from typing import Any

from django import template
from django.template.loader import render_to_string
from django.templatetags.static import static
from django.utils import timezone
from django.utils.dateformat import format as date_format
from django.utils.html import format_html
from django.utils.safestring import SafeString

from evarlo.ui import words
from evarlo.ui.units import clock_format, figure_shown, measured, unit_shown
from evarlo.ui.words import fixed

register = template.Library()


@register.simple_tag(takes_context=True)
def csrf_token(context: template.Context) -> SafeString:
    """What every form carries: the proof that it is ours, and a key of its own by which it is kept once when it is sent twice."""
    proof = context.get("csrf_token")
    if not proof or proof == "NOTPROVIDED":
        return SafeString("")
    kept = '<input type="hidden" name="csrfmiddlewaretoken" value="{}"><input type="hidden" name="act-key" value="{}">'
    return format_html(kept, proof, uuid.uuid4())


SHAPES = {  # the mark of each verdict, so that it is never told by colour alone
    "recommend": ("M1 1h14v9l-7 7-7-7z", "M4.5 8l2.6 2.6L11.8 6", True),
    "retest": ("M1.8 1.8h12.4v7.9L8 15.9 1.8 9.7z", "M5.4 8.4a2.9 2.9 0 1 0 1-2.2M6.6 3.9v2.6h2.6", False),
    "drop": ("M1 1h14v5.2L1 9.4zM1 12l14-3.3v1.5l-7 7z", "", True),
}


@register.simple_tag
def icon(name: str) -> SafeString:
    """A line icon from the shipped sheet; decoration only, so hidden from screen readers."""
    return format_html(
        '<svg class="icon" aria-hidden="true" width="18" height="18"><use href="{}#{}"/></svg>', static("ui/icons.svg"), name
    )


@register.simple_tag
def verdict_mark(verdict: str) -> SafeString:
    """A verdict as a mark and a word."""
    if verdict not in SHAPES:
        return format_html(
            '<span class="verdict"><svg width="16" height="18" aria-hidden="true">'
            '<circle cx="8" cy="9" r="5.5" class="ring"/></svg>{}</span>',
            verdict.capitalize(),
        )
    outline, inner, filled = SHAPES[verdict]
    return format_html(
        '<span class="verdict verdict-{}"><svg width="16" height="18" aria-hidden="true">'
        '<path d="{}" class="{}"/><path d="{}" class="{}"/></svg>{}</span>',
        verdict,
        outline,
        "solid" if filled else "line",
        inner,
        "cut" if filled else "line",
        verdict.capitalize(),
    )


@register.filter
def places(value: float | None, digits: int) -> str:
    """A number with that many decimals and a true minus; a dash where there is none."""
    return "–" if value is None else fixed(value, digits)


@register.filter
def plain(value: float | None) -> str:
    """A number as it was given, without zeros behind the point."""
    return "–" if value is None else words.plain_number(value)


@register.filter
def measure(value: float | None, unit: str) -> str:
    """An amount kept in `unit` with the unit that this person uses; `unit` may end in `:` and the decimals, as in `m²:0`."""
    if value is None:
        return "–"
    name, _, digits = unit.partition(":")
    return measured(value, name, int(digits) if digits else None)


@register.filter
def amount(value: float, unit: str) -> str:
    """An amount in a unit that the page was given, with one decimal at most; what has no imperial unit stays as it is."""
    return f"{figure_shown(value, unit, 1).removesuffix('.0')} {unit_shown(unit)}"


@register.filter
def figure(value: float | None, unit: str) -> str:
    """The same without the unit."""
    if value is None:
        return "–"
    name, _, digits = unit.partition(":")
    return figure_shown(value, name, int(digits) if digits else None)


@register.simple_tag
def unit(name: str) -> str:
    """The unit in which amounts of this one are shown to this person."""
    return unit_shown(name)


@register.filter
def signed(value: float | str | None, digits: int) -> str:
    """A difference with its sign; a dash where there is none, also where a template found nothing to take it from."""
    if value is None or isinstance(value, str):
        return "–"
    rounded = fixed(value, digits)
    return rounded if rounded.startswith("−") or not rounded.strip("0.") else f"+{rounded}"


@register.filter
def chance(value: float | None) -> str:
    """A chance in percent that never claims to be certain."""
    return "–" if value is None else words.percent_text(value)


@register.filter
def p_value(value: float | None) -> str:
    """A probability as printed in tables."""
    if value is None or value != value:
        return ""
    return "<0.0001" if value < 0.0001 else f"{value:.4f}"


@register.filter
def day(value: date | None) -> str:
    """A date as people write it."""
    return f"{value:%-d %b %Y}" if value else "–"


@register.filter
def short_day(value: date | None) -> str:
    return f"{value:%-d %b}" if value else "–"


@register.filter
def moment(value: datetime | None, form: str = "j M Y") -> str:
    """A day in that form with its time, 24 or 12 hours as the person who asks has it."""
    return date_format(timezone.localtime(value), f"{form}, {clock_format()}".removeprefix(", ")) if value else ""


@register.filter
def counted(n: int, noun: str) -> str:
    """A count with its noun: `3|counted:"plant"`; an odd plural stands behind a comma, as in `"leaf,leaves"`."""
    one, _, many = noun.partition(",")
    return words.counted(n, one, many)


@register.inclusion_tag("ui/wrong_fields.html")
def wrong_fields(form: Any) -> dict[str, Any]:
    """What stands above a long form that was refused: how many fields need correcting, and a link to each."""
    return {"form": form, "wrong": [form[name] for name in form.errors if name in form.fields]}


@register.filter
def get(mapping: dict[Any, Any], key: Any) -> Any:
    return mapping.get(key)


@register.filter
def cell(row: Sequence[str], at: int) -> str:
    """A cell of a line; empty where the line is shorter."""
    return row[at] if at < len(row) else ""


@register.inclusion_tag("ui/field.html")
def field(bound: Any, hint: str = "", unit: str = "") -> dict[str, Any]:
    """A form field with its label, unit, hint and, beside it, what is wrong with what was typed."""
    hint = hint or bound.help_text
    described = []
    if hint:
        described.append(f"{bound.auto_id}-hint")
    if bound.errors:
        described.append(f"{bound.auto_id}-wrong")
    attrs = {"aria-describedby": " ".join(described)} if described else {}
    if bound.errors:
        attrs["aria-invalid"] = "true"
    unit = unit_shown(unit or getattr(bound.field, "unit", ""))
    ticked = getattr(bound.field.widget, "input_type", "") == "checkbox"
    optional = not (bound.field.required or getattr(bound.field, "unmarked", False) or ticked)
    return {"bound": bound, "hint": hint, "unit": unit, "optional": optional, "control": bound.as_widget(attrs=attrs)}


@register.simple_tag
def part(bound: Any, unit: str = "") -> SafeString:
    """A form field as a part of a sentence: it is typed where it stands, and its label is read out instead of shown. No white space
    stands around it, so that a comma may follow."""
    attrs = {"aria-label": bound.label}
    if bound.errors:
        attrs |= {"aria-invalid": "true", "aria-describedby": f"{bound.auto_id}-wrong"}
    unit = unit_shown(unit or getattr(bound.field, "unit", ""))
    made = render_to_string("ui/part.html", {"bound": bound, "control": bound.as_widget(attrs=attrs), "unit": unit})
    return SafeString(made.strip())


@register.inclusion_tag("ui/part_errors.html")
def part_errors(form: Any, names: str) -> dict[str, Any]:
    """What is wrong with the parts of a sentence, below it."""
    return {"wrong": [form[name] for name in names.split() if name in form.errors]}


@register.simple_block_tag
def nothing_here(content: str, title: str, url: str = "", step: str = "") -> SafeString:
    """A place with nothing in it: what goes here, in the words between the tags, and the first step."""
    words = SafeString(content.strip())
    return render_to_string("ui/nothing_here.html", {"title": title, "words": words, "url": url, "step": step})


@register.simple_tag
def htmx_config() -> str:
    """What htmx may do: nothing inline, nothing from elsewhere; a refused form is shown, a failed request is not."""
    answers = [
        {"code": "204", "swap": False},
        {"code": "[23]..", "swap": True},
        {"code": "422", "swap": True},
        {"code": "[45]..", "swap": False, "error": True},
    ]
    settings = {
        "includeIndicatorStyles": False,
        "allowEval": False,
        "allowScriptTags": False,
        "selfRequestsOnly": True,
        "historyCacheSize": 0,
        "defaultSettleDelay": 0,
        "responseHandling": answers,
    }
    return json.dumps(settings, separators=(",", ":"))
