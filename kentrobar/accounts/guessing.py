"""Passwords are made slow to check, so whoever guesses many at once would slow everybody: each
address has so many tries a minute, whatever names it tries, and one is checked at a time.

Kept in the process: two servers on one machine allow twice as much, which is as little.
"""

from __future__ import annotations

import threading
import time
from collections import OrderedDict, deque

TRIES, SECONDS = 20, 60.0
"""A shop's machine, where everybody signs in, needs no more."""
MOST_ADDRESSES = 5000
one_at_a_time = threading.Semaphore(1)
_tries: OrderedDict[str, deque[float]] = OrderedDict()
_lock = threading.Lock()


def may_try(address: str, now: float | None = None) -> bool:
    """Whether an address may try a password now; counts the try."""
    at = time.monotonic() if now is None else now
    with _lock:
        tries = _tries.setdefault(address, deque(maxlen=TRIES))
        _tries.move_to_end(address)
        if len(tries) == TRIES and at - tries[0] < SECONDS:
            return False
        tries.append(at)
        while len(_tries) > MOST_ADDRESSES:
            _tries.popitem(last=False)
    return True


def forget(address: str = "") -> None:
    """Somebody got in from there: what went before were slips. Without an address, all of them."""
    with _lock:
        _tries.pop(address, None) if address else _tries.clear()
