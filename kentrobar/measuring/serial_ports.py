"""Serial ports of a machine, by name. No Django: the bridge at a remote bench looks too."""

from __future__ import annotations

import re
from pathlib import Path

SERIAL = re.compile(r"/dev/(tty(USB|ACM|S|AMA)\d{1,3}|serial/by-id/[\w.:+-]{1,100})")
FOUND = ("serial/by-id/*", "ttyUSB*", "ttyACM*")
"""What is plugged in, by the name that stays with it first."""


def plugged(devices: Path = Path("/dev")) -> list[str]:
    """Those there are just now."""
    found = [f"/dev/{path.relative_to(devices)}" for form in FOUND for path in devices.glob(form)]
    return [port for port in sorted(found) if SERIAL.fullmatch(port)]
