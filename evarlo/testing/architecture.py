"""Which app may import which: to its left in the order of work, never to its right."""

import ast
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
ORDER = (
    "devices", "ui", "people", "catalogue", "grounds", "seeds", "trials", "nursery", "walks", "harvest", "compare", "verdicts",
    "exchange", "today", "demo",
)  # fmt: skip


def imports_of(file: Path) -> Iterator[str]:
    """Every module that a file imports, also inside functions."""
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            yield node.module
        elif isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)


def broken_rules() -> list[str]:
    """Each import that runs against the order of work, as `app/file imports other`."""
    broken = []
    for position, app in enumerate(ORDER):
        later = set(ORDER[position + 1 :])
        for file in (ROOT / app).rglob("*.py"):
            if "tests" in file.parts:
                continue
            for module in imports_of(file):
                parts = module.split(".")
                if parts[0] == "evarlo" and len(parts) > 1 and parts[1] in later:
                    broken.append(f"{file.relative_to(ROOT)} imports {module}")
    return broken
