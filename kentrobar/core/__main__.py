"""``python -m kentrobar.core``: see ``cli.py``."""

import sys

from .cli import main

sys.exit(main())
