"""A code that a phone's camera reads, drawn in the page."""

from __future__ import annotations

import segno
from django.utils.safestring import SafeString, mark_safe


def scannable(text: str, scale: float = 2.4) -> SafeString:
    """The code of a text, `scale` pixels a module, with its quiet zone."""
    made = segno.make_qr(text, error="m", boost_error=False).svg_inline(scale=scale, border=3, omitsize=False, svgclass="scannable")
    return mark_safe(made)  # noqa: S308 -- drawn by the library from modules; the text itself is not in it
