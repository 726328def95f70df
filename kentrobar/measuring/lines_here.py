"""Lines instruments may hang on: what this machine has, what its keeper has named, and what bridges
at other benches have. A page chooses among them; nothing that is typed is ever connected to."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from django.conf import settings

from .serial_ports import SERIAL, plugged

BRIDGED = "bridge:"
"""`bridge:back room:/dev/ttyUSB0`: a line of another machine, which tells us what it hears."""
_bridged: list[Callable[[], list[str]]] = []


def told_by(lines: Callable[[], list[str]]) -> None:
    """Say which lines bridges have: the room that speaks with them does."""
    _bridged[:] = [lines]


def may_be(port: str) -> bool:
    """Whether a line may be opened here: a serial port of this machine, plugged in or not, one that
    the keeper of the server named (KENTROBAR_LINES), or a simulator's."""
    return bool(SERIAL.fullmatch(port)) or port in _named()


def is_bridged(port: str) -> bool:
    return port.startswith(BRIDGED)


def may_hang_on(port: str) -> bool:
    """Whether an instrument may be said to hang on a line: of this machine, or of a bridge."""
    return may_be(port) or (is_bridged(port) and port in _of_bridges())


def there(devices: Path = Path("/dev")) -> list[str]:
    """The lines there are just now, to choose from."""
    return [*plugged(devices), *_named(), *_of_bridges()]


def _of_bridges() -> list[str]:
    return [line for lines in _bridged for line in lines()]


def _named() -> list[str]:
    first = settings.SIMULATORS
    simulators = [f"socket://127.0.0.1:{first + i}" for i in range(1, 5)] if first else []
    return [*settings.LINES, *simulators]
