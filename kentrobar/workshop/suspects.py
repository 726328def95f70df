"""What a trial or a later check may suspect besides the pieces: parts of the frame, and the
instruments."""

from __future__ import annotations

from kentrobar.core.bench.suspicions import Checked
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.parts import PARTS, usual_piece
from kentrobar.core.reader import digits
from kentrobar.frames.models import Frame
from kentrobar.measuring.models import Instrument, InstrumentChoice, Use

MISSABLE = ("overgrip", "dampener", "cap")
READ_WITH = {
    "mass_g": InstrumentChoice.SCALE,
    "balance_mm": InstrumentChoice.BOARD,
    "swing_kgcm2": InstrumentChoice.MACHINE,
}


def missable(frame: Frame) -> dict[str, Body]:
    """Parts that may be missing or one too many: as weighed on this frame, else as usual."""
    outline = frame.outline()
    weighed = {part.kind: part.mass_g for part in frame.all_parts() if part.was_on(None)}
    return {
        PARTS[kind].label: body_of(
            usual_piece(kind, outline, weighed.get(kind, PARTS[kind].grams[1])), outline
        )
        for kind in MISSABLE
        if outline.is_strung or not PARTS[kind].strung_only
    }


def varying(frame: Frame) -> dict[str, Body]:
    """Parts that may be heavier or lighter than when the frame was read: strings of another gauge,
    a damp grip."""
    outline = frame.outline()
    kinds = {"strings": "strings", "grip": "overgrip"} if frame.is_strung else {"grip": "overgrip"}
    return {
        name: body_of(usual_piece(kind, outline, PARTS[kind].grams[1]), outline)
        for name, kind in kinds.items()
    }


def checked(frame: Frame) -> dict[str, Checked]:
    """By figure, the last check of the instrument this frame was read with last. Nothing for a
    figure whose instrument nobody named, or that was never checked."""
    live = (
        Instrument.live.filter(kind__in=READ_WITH.values())
        .prefetch_related("checks")
        .order_by("resolution")
    )
    uses = Use.objects.filter(reading__frame=frame, reading__removed_at=None).order_by(
        "reading__read_at"
    )
    # Oldest first, so that the newest stays.
    used = dict(uses.values_list("reading__quantity", "instrument"))
    found: dict[str, Checked] = {}
    for name, kind in READ_WITH.items():
        able = [one for one in live if one.kind == kind]
        own = next((one for one in able if one.pk == used.get(name)), None)
        last = _last(own) if own else None
        if last:
            found[name] = last
    return found


def _last(instrument: Instrument) -> Checked | None:
    # The first of what was prefetched: the newest.
    last = next(iter(instrument.checks.all()), None)
    if last is None:
        return None
    said = (
        f"{instrument} read {digits(last.drift, signed=True)} {instrument.unit} off on"
        f" {last.checked_at:%-d %b %Y}"
    )
    return Checked(last.drift, instrument.drift().u, instrument.drift_band, said)
