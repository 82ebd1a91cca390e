"""`python -m trialcore`: the same science from the command line."""

import os
import sys

from trialcore.formats.cli import main


def run() -> None:
    """Run the verb that was typed, under the name by which this was called, and end with its code."""
    name = os.path.basename(sys.argv[0])
    sys.exit(main(sys.argv[1:], "python -m trialcore" if name == "__main__.py" else name))


if __name__ == "__main__":
    run()
