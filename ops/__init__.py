"""The machine side of Kentrobar: setting up, the private PostgreSQL, demo, tests, pictures."""

import os
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
LOCAL = Path(os.environ.get("KENTROBAR_LOCAL") or ROOT / ".local")
