"""Which app may import which: to its left in the order of work, never to its right."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
ORDER = (
    "databases",
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
    "tasting",
    "effort",
    "compare",
    "verdicts",
    "programmes",
    "partners",
    "breeding",
    "rehearsal",
    "exchange",
    "api",
    "today",
    "demo",
)

# The one module of acts of each subject: nothing else writes.
ACTS = {
    "people": ("services", "second", "joining", "once", "corrections", "audit"),
    "catalogue": ("services", "traits", "problems"),
    "grounds": ("services", "history", "weather"),
    "seeds": ("services", "germination"),
    "trials": ("services", "planning", "taking_in", "leaving_out", "laying", "protocol", "task_services", "deeds"),
    "nursery": ("services", "sowing", "raising", "planting", "stand", "room"),
    "walks": ("services", "field"),
    "events": ("events", "rules", "care", "photos"),
    "pests": ("watches",),
    "practice": ("trainer",),
    "identity": ("doubts", "boundaries"),
    "harvest": ("services", "classes", "store", "samples", "sheets"),
    "tasting": ("services",),
    "effort": ("services",),
    "verdicts": ("services", "lessons"),
    "programmes": ("services", "analysing", "frontier"),
    "partners": ("services",),
    "breeding": ("services", "traits"),
    "rehearsal": ("services",),
    "exchange": ("services", "shapes", "new_place", "packages/joining"),
    "api": ("tokens",),
    "demo": ("services", "backdating", "hill"),
}
ALWAYS = {"create", "bulk_create", "bulk_update", "get_or_create", "update_or_create"}
OF_ROWS = {"objects", "filter", "exclude", "all", "in_force", "newest"}


def imports_of(file: Path) -> Iterator[str]:
    """Every module that a file imports, also inside functions, and each name taken from one, since it may be a module itself."""
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            yield node.module
            yield from (f"{node.module}.{alias.name}" for alias in node.names)
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


def writes_in(file: Path) -> Iterator[int]:
    """The lines of a file on which rows are made, changed or deleted. `save` with something to write to is not a row's."""
    for node in ast.walk(ast.parse(file.read_text())):
        if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Attribute):
            continue
        name = node.func.attr
        through = {n.attr for n in ast.walk(node.func.value) if isinstance(n, ast.Attribute)}
        if name in ALWAYS or (name == "save" and not node.args) or (name in ("update", "delete") and through & OF_ROWS):
            yield node.lineno


def writes_outside_acts() -> list[str]:
    """Each write that is not in a module of acts, as `file:line`."""
    found = []
    for file in sorted(ROOT.rglob("*.py")):
        app, _, name = file.relative_to(ROOT).with_suffix("").as_posix().partition("/")
        if {"tests", "migrations", "testing"} & set(file.parts) or name in ACTS.get(app, ()):
            continue
        found += [f"{file.relative_to(ROOT)}:{line}" for line in writes_in(file)]
    return found


def core_modules() -> dict[str, set[str]]:
    """Every module of the core with the modules of the core that it imports, also inside functions."""
    found = {}
    for file in (ROOT.parent / "trialcore").rglob("*.py"):
        if "tests" not in file.parts:
            name = ".".join(file.relative_to(ROOT.parent).with_suffix("").parts).removesuffix(".__init__")
            found[name] = set(imports_of(file))
    return found


def unreached_core() -> list[str]:
    """Modules of the core that neither a page nor a verb of the command line comes to."""
    modules = core_modules()
    pages = (f for f in ROOT.rglob("*.py") if not {"tests", "testing", "demo"} & set(f.parts) and f.name != "__main__.py")
    to_see = {"trialcore.formats.cli", *(name for file in pages for name in imports_of(file))}
    seen: set[str] = set()
    while to_see:
        name = to_see.pop()
        if name in modules and name not in seen:
            seen.add(name)
            to_see |= modules[name]
    return sorted(m for m in modules if m not in seen and m.count(".") > 1)


# Asked for by name: by Django, by the test runner, or by a template.
BY_NAME = re.compile(
    r"clean_\w+|\w+Config|Command|ready|authenticate|get_cache_key|setUp\w*|tearDown|handle|add_arguments|validate|get_help_text|process_view|to_python|prepare_value|__\w+__"
)


def left_unused() -> list[str]:
    """Functions, classes and constants of modules that nothing uses, neither code nor tests, templates or settings."""
    from vulture import Vulture

    reader = Vulture()
    reader.scavenge([str(ROOT.parent / name) for name in ("trialcore", "evarlo", "bench", "docs")], exclude=["*/migrations/*"])
    texts = [*ROOT.rglob("*.html"), ROOT / "settings.py", ROOT / "urls.py"]
    named = {word for file in texts for word in re.findall(r"\w+", file.read_text())}
    found = []
    for item in reader.get_unused_code(min_confidence=60):
        file = Path(item.filename)
        line = file.read_text().splitlines()[item.first_lineno - 1]
        test = "tests" in file.parts and item.typ == "class"
        constant = item.typ == "variable" and not line.startswith(" ")
        known = test or item.name in named or BY_NAME.fullmatch(item.name)
        if not known and (constant or item.typ in ("function", "method", "property", "class")):
            found.append(f"{item.name} in {file.relative_to(ROOT.parent)}:{item.first_lineno}")
    return found
