"""Lines instruments may hang on: what this machine has, and what its keeper has named. A page
chooses among them; nothing that is typed is ever connected to."""

from __future__ import annotations

import re
from pathlib import Path

from django.conf import settings

SERIAL = re.compile(r"/dev/(tty(USB|ACM|S|AMA)\d{1,3}|serial/by-id/[\w.:+-]{1,100})")
FOUND = ("serial/by-id/*", "ttyUSB*", "ttyACM*")
"""What is plugged in, by the name that stays with it first."""


def may_be(port: str) -> bool:
    """Whether a line may be opened: a serial port of this machine, plugged in or not, one that the
    keeper of the server named (KENTROBAR_LINES), or a simulator's."""
    return bool(SERIAL.fullmatch(port)) or port in _named()


def there(devices: Path = Path("/dev")) -> list[str]:
    """The lines there are just now, to choose from."""
    plugged = [f"/dev/{path.relative_to(devices)}" for form in FOUND for path in devices.glob(form)]
    return [*filter(may_be, sorted(plugged)), *_named()]


def _named() -> list[str]:
    first = settings.SIMULATORS
    simulators = [f"socket://127.0.0.1:{first + i}" for i in range(1, 5)] if first else []
    return [*settings.LINES, *simulators]
