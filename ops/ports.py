"""Which ports this clone's Kentrobar uses: chosen once, remembered, and never another clone's.

A clone keeps its own in ``ports.json`` beside its database. What all clones of one person have
taken is noted in their state directory, so that a clone that is stopped keeps its ports.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import socket
from collections.abc import Iterator
from pathlib import Path

from . import LOCAL
from .postgres import StartError

FURTHER = 500
"""So many ports after the first are tried."""


def port_of(
    what: str, first: int, count: int = 1, wanted: int | None = None, may_move: bool = True
) -> int:
    """The port for ``what``, and ``count - 1`` after it.
    Raises StartError where ``wanted`` is taken, where the one remembered is and it may not move,
    or where none is free."""
    with _claims() as claims:
        mine = {claimed for claimed, owner in claims.items() if owner == str(LOCAL)}
        kept = _kept()
        before = kept.get(what)
        step = 1 if count == 1 else 10
        order = [one for one in (wanted or before,) if one]
        if not order or (may_move and not wanted):
            order += range(first, first + FURTHER, step)
        for port in order:
            run = range(port, port + count)
            # One asked for by its number is this clone's from now on, whoever had it before.
            is_ours = wanted or all(str(at) not in claims or str(at) in mine for at in run)
            others = {at for name, at in kept.items() if name != what}
            if is_ours and not others & set(run) and all(map(is_free, run)):
                claims |= {str(at): str(LOCAL) for at in run}
                _keep(kept | {what: port})
                return port
    if wanted or (before and not may_move):
        raise StartError(f"port {wanted or before} is taken: give another with --port")
    raise StartError(f"no {count} free ports in a row from {first} on for {what}")


def remembered(what: str) -> int | None:
    """The port this clone uses for ``what``; None where it never had one."""
    return _kept().get(what)


def is_free(port: int, host: str = "127.0.0.1") -> bool:
    with socket.socket() as probe:
        # As the server will bind: a port whose last run just ended is free.
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        with contextlib.suppress(OSError):
            probe.bind((host, port))
            return True
    return False


def _kept() -> dict[str, int]:
    with contextlib.suppress(OSError, ValueError):
        found: dict[str, int] = json.loads((LOCAL / "ports.json").read_text())
        return found
    return {}


def _keep(ports: dict[str, int]) -> None:
    LOCAL.mkdir(parents=True, exist_ok=True)
    (LOCAL / "ports.json").write_text(json.dumps(ports))


@contextlib.contextmanager
def _claims() -> Iterator[dict[str, str]]:
    """Port → whose it is, of all clones that are still there; written back with what was added."""
    state = os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state"
    home = Path(state) / "kentrobar"
    home.mkdir(parents=True, exist_ok=True)
    with (home / "ports.json").open("a+") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        file.seek(0)
        try:
            known: dict[str, str] = json.loads(file.read() or "{}")
        except ValueError:
            known = {}
        claims = {port: owner for port, owner in known.items() if Path(owner).is_dir()}
        yield claims
        file.seek(0)
        file.truncate()
        json.dump(claims, file)
