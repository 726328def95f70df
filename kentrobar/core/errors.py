"""What can be wrong with what somebody gives the core, told so that a person can mend it."""

from __future__ import annotations


class Fault(ValueError):
    """Something wrong in a document: ``path`` says where, ``reason`` what."""

    def __init__(self, path: str, reason: str) -> None:
        self.path = path
        self.reason = reason
        super().__init__(f"{path}: {reason}" if path else reason)


class Unreadable(ValueError):
    """What was typed cannot be read; the message says what was read, what is wrong, what to do."""
