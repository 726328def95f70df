"""What the start command and the pages tell one another, in files beside the data: the code that
guards the first account, and whether phones of the shop's network are let in.

No Django here: the start command reads it before anything else runs.
"""

from __future__ import annotations

import json
import secrets
from pathlib import Path

CODE = "first-code"
LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"
"""None that is taken for another when it is read off a terminal."""
NETWORK = "network.json"
PHONES, HERE = "address", "address-here"


def is_open(local: Path) -> bool:
    """Whether phones are let in."""
    try:
        return bool(json.loads((local / NETWORK).read_text())["is_open"])
    except (OSError, ValueError, KeyError, TypeError):
        return False


def choose(is_open: bool, local: Path) -> None:
    """Write down whether phones are let in; the start command follows within a second."""
    fresh = local / f"{NETWORK}.new"
    fresh.write_text(json.dumps({"is_open": is_open}))
    fresh.replace(local / NETWORK)


def make_code(local: Path) -> str:
    """The code for the first account, the same until it is used."""
    kept = local / CODE
    if not kept.exists():
        kept.touch(mode=0o600)
        kept.write_text("".join(secrets.choice(LETTERS) for _ in range(10)))
    return kept.read_text()


def opens(typed: str, local: Path) -> bool:
    """Whether this is the code; capitals, blanks and dashes do not count."""
    try:
        code = (local / CODE).read_text().strip()
    except OSError:
        return False
    plain = "".join(typed.lower().split()).replace("-", "")
    return bool(code) and secrets.compare_digest(plain.encode(), code.encode())


def use_up(local: Path) -> None:
    """The first account is made: the code opens nothing any more."""
    (local / CODE).unlink(missing_ok=True)


def tell(address: str, local: Path, door: str = PHONES) -> None:
    """The start command says where phones come in, or this machine (HERE); '' where they do not."""
    fresh = local / f"{door}.new"
    fresh.write_text(address)
    fresh.replace(local / door)


def address(local: Path, door: str = PHONES) -> str:
    """Where phones come in, or this machine (HERE), as the start command said; '' where they do
    not."""
    try:
        return (local / door).read_text().strip()
    except OSError:
        return ""
