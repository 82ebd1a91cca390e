"""The core stands alone."""

import subprocess
import sys
from unittest import TestCase

CODE = """
import sys, pkgutil, importlib, trialcore
for module in pkgutil.iter_modules(trialcore.__path__):
    if module.name != "tests":
        importlib.import_module("trialcore." + module.name)
print(sorted(m for m in sys.modules if m.split(".")[0] in ("django", "evarlo", "scipy", "pandas")))
"""


class Purity(TestCase):
    def test_it_imports_neither_django_nor_evarlo_and_no_scipy_until_used(self) -> None:
        done = subprocess.run([sys.executable, "-c", CODE], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "[]")
