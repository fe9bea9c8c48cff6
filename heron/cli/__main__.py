"""``python -m heron.cli``."""

import sys

from heron.cli import main

sys.exit(main())
