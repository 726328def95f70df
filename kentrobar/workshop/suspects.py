"""What a trial or a later check may suspect besides the pieces: parts of the frame, and the instruments."""

from __future__ import annotations

from collections.abc import Iterable

from kentrobar.core.body import Body
from kentrobar.core.condition import PARTS, usual_piece
from kentrobar.core.pieces import body_of
from kentrobar.core.trial import Checked
from kentrobar.frames.models import Frame
from kentrobar.measuring.models import Instrument, Kind

MISSABLE = ("overgrip", "dampener", "cap")
READ_WITH = {"mass_g": Kind.SCALE, "balance_mm": Kind.BOARD, "swing_kgcm2": Kind.MACHINE}


def missable(frame: Frame) -> dict[str, Body]:
    """Parts that may be missing or one too many: as weighed on this frame, else as usual."""
    outline = frame.outline()
    weighed = {part.kind: part.mass_g for part in frame.all_parts() if part.was_on(None)}
    return {
        PARTS[kind].label: body_of(
            usual_piece(kind, outline, weighed.get(kind, PARTS[kind].grams[1])), outline
        )
        for kind in MISSABLE
        if outline.kind in PARTS[kind].frames
    }


def checked() -> dict[str, Checked]:
    """By figure, the last check of what it is read with here; of several instruments the one that was furthest off
    for its band. Nothing for a figure whose instruments were never checked."""
    live = list(Instrument.live.filter(kind__in=READ_WITH.values()).prefetch_related("checks"))
    found = {name: _worst(one for one in live if one.kind == kind) for name, kind in READ_WITH.items()}
    return {name: one for name, one in found.items() if one}


def _worst(instruments: Iterable[Instrument]) -> Checked | None:
    found = [one for instrument in instruments if (one := _last(instrument))]
    return max(found, key=lambda one: abs(one.drift) / one.band, default=None)


def _last(instrument: Instrument) -> Checked | None:
    # The first of what was prefetched: the newest.
    last = next(iter(instrument.checks.all()), None)
    if last is None:
        return None
    said = f"{instrument} read {last.drift:+.2g} {instrument.unit} off on {last.checked_at:%-d %b %Y}"
    return Checked(last.drift, last.u, instrument.drift_band, said)
