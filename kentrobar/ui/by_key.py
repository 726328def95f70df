"""What templates are handed by the hundred."""

from __future__ import annotations

from typing import Any


class ByKey:
    """A template looks a name up as a key first and as an attribute after that failed. Answered as
    a key, a board of twelve pieces is drawn a tenth sooner."""

    __slots__ = ()

    def __getitem__(self, name: str) -> Any:
        return getattr(self, name)
