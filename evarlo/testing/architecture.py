"""Which app may import which: to its left in the order of work, never to its right."""

import ast
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
ORDER = (
    "devices",
    "ui",
    "people",
    "catalogue",
    "grounds",
    "seeds",
    "trials",
    "nursery",
    "walks",
    "events",
    "pests",
    "practice",
    "identity",
    "harvest",
    "compare",
    "verdicts",
    "exchange",
    "today",
    "demo",
)


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


def core_modules() -> dict[str, set[str]]:
    """Every module of the core with the modules of the core that it imports, also inside functions."""
    found = {}
    for file in (ROOT.parent / "trialcore").rglob("*.py"):
        if "tests" not in file.parts:
            name = ".".join(file.relative_to(ROOT.parent).with_suffix("").parts).removesuffix(".__init__")
            found[name] = set(names_imported(file))
    return found


def names_imported(file: Path) -> Iterator[str]:
    """As `imports_of`, and each name that is taken from a module as well, since it may be a module itself."""
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            yield node.module
            yield from (f"{node.module}.{alias.name}" for alias in node.names)
        elif isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)


def unreached_core() -> list[str]:
    """Modules of the core that neither a page nor a verb of the command line comes to."""
    modules = core_modules()
    pages = (f for f in ROOT.rglob("*.py") if not {"tests", "testing", "demo"} & set(f.parts) and f.name != "__main__.py")
    to_see = {"trialcore.formats.cli", *(name for file in pages for name in names_imported(file))}
    seen: set[str] = set()
    while to_see:
        name = to_see.pop()
        if name in modules and name not in seen:
            seen.add(name)
            to_see |= modules[name]
    return sorted(m for m in modules if m not in seen and m.count(".") > 1)
