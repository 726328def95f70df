"""What measuring shows on pages of the rooms below: see ``ui/slots.py``."""

from __future__ import annotations

from typing import Any

from kentrobar.frames.models import Frame
from kentrobar.ui.request import Request

SHOWN_READINGS = 12


def frame_action(request: Request, page: Any) -> dict[str, Any] | None:
    """The way to measure, on the page of a frame whose figures are not complete."""
    return {"frame": page.frame} if page.missing else None


def frame_readings(request: Request, page: Any) -> dict[str, Any]:
    readings = page.frame.readings.filter(removed_at=None).select_related("read_by")
    return {"readings": readings[:SHOWN_READINGS]}


def parts_action(request: Request, frame: Frame) -> dict[str, Any]:
    return {"frame": frame}
