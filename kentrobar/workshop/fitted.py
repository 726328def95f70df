"""What signed-off sheets put on a frame, for whoever plans on top of it."""

from __future__ import annotations

from collections.abc import Iterator

from kentrobar.frames.fitted import Fitting
from kentrobar.frames.models import Frame

from .models import Sheet


def fittings(frame: Frame) -> Iterator[Fitting]:
    sheets = Sheet.objects.filter(plan__frame=frame, signed_off_at__isnull=False)
    for sheet in sheets.select_related("plan").defer("plan__content"):
        assert sheet.signed_off_at is not None
        yield Fitting(
            sheet.plan_id, sheet.plan.name, sheet.core_pieces(), sheet.signed_off_at, sheet.taken_off_at
        )
