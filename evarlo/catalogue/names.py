"""Names as people type them."""

from __future__ import annotations

_ENDINGS = (("ies", "y"), ("oes", "o"), ("ches", "ch"), ("shes", "sh"), ("s", ""))


def singular_forms(name: str) -> list[str]:
    """A name, and what it may be the plural of: “tomatoes” is tried as it stands, as “tomato” and as “tomatoe”."""
    return [name, *(name[: -len(end)] + other for end, other in _ENDINGS if name.endswith(end) and len(name) > len(end) + 2)]
