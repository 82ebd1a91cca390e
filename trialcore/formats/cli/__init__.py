"""The command line: small files in, JSON, CSV or text out. The only part of the core that reads and writes files."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence

from trialcore.formats.cli.analysing import add_analyse
from trialcore.formats.cli.judging import add_judgements
from trialcore.formats.cli.laying import add_layout
from trialcore.formats.cli.reckoning import add_reckonings
from trialcore.formats.cli.tasting import add_tasting

WENT_WELL = 0


def main(arguments: Sequence[str], name: str = "python -m trialcore") -> int:
    """Run one verb: 0 when it went well, 2 when the input could not be used, with one line a problem on standard error."""
    parser = argparse.ArgumentParser(prog=name, description="The science of a trial garden, for scripts.")
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="verb")
    add_layout(verbs)
    add_analyse(verbs)
    add_reckonings(verbs)
    add_judgements(verbs)
    add_tasting(verbs)
    given = parser.parse_args(arguments)
    try:
        return int(given.run(given))
    except BrokenPipeError:  # whoever read our output has enough of it
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return WENT_WELL
