"""`python -m trialcore`: the same science from the command line."""

import sys

from trialcore.formats.cli import main

if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
