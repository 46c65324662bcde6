"""`python -m rhevectra`."""

import sys

from rhevectra.start import main

if __name__ == "__main__":  # worker processes import this module again
    sys.exit(main())
