"""`python -m oakbeam.cli`."""

import sys

from oakbeam.cli import main

sys.exit(main())
