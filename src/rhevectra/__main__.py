"""`python -m rhevectra`."""

import sys

from rhevectra.cli import main

sys.exit(main())
