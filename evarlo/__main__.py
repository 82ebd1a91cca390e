"""`python -m evarlo`: the science from the command line, with the verbs of `trialcore`."""

import sys

from trialcore.formats.cli import main

if __name__ == "__main__":
    sys.exit(main(sys.argv[1:], "evarlo"))
