"""`python -m rhevectra`."""

import sys

from rhevectra.start import main

sys.exit(main())
