"""The core stands alone, and its index names every module."""

import re
import subprocess
import sys
from pathlib import Path
from unittest import TestCase

import trialcore

ROOT = Path(trialcore.__file__).parent
ROOMS = ("layouts", "analyses", "inference", "reckoning", "field", "formats")

LOADED = """
import sys, pkgutil, importlib, trialcore
{load}
print(sorted({{m.split(".")[0] for m in sys.modules}} & {{"django", "evarlo", "scipy", "pandas"}}))
"""
EVERY_MODULE = """
for module in pkgutil.walk_packages(trialcore.__path__, "trialcore."):
    if ".tests" not in module.name and "__main__" not in module.name:
        importlib.import_module(module.name)
"""


def loaded(load: str) -> str:
    done = subprocess.run([sys.executable, "-c", LOADED.format(load=load)], capture_output=True, text=True, check=True)
    return done.stdout.strip()


class Purity(TestCase):
    def test_it_imports_neither_django_nor_evarlo_and_no_scipy_until_used(self) -> None:
        self.assertEqual(loaded(EVERY_MODULE), "[]")

    def test_the_rooms_are_those_of_the_index_and_nothing_lies_beside_them(self) -> None:
        self.assertEqual({p.parent.name for p in ROOT.glob("*/__init__.py")} - {"tests"}, set(ROOMS))
        self.assertEqual({p.name for p in ROOT.glob("*.py")}, {"__init__.py", "__main__.py"})

    def test_the_index_names_every_module_of_every_room_once(self) -> None:
        for room in ROOMS:
            there = {p.stem for p in (ROOT / room).glob("*.py")} | {p.parent.name for p in (ROOT / room).glob("*/__init__.py")}
            named = re.findall(r"^    (\w+(?:, \w+)*)  ", (ROOT / room / "__init__.py").read_text(), re.MULTILINE)
            flat = [name for names in named for name in names.split(", ")]
            self.assertCountEqual(flat, there - {"__init__"}, room)
            self.assertIn(f"\n    {room} ", trialcore.__doc__ or "", room)
