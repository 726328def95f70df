"""A film file as a ``kentrobar-reading/1`` document."""

from __future__ import annotations

from os import PathLike
from typing import Any

from kentrobar.core.errors import DocumentError
from kentrobar.core.io.readings import READING_FORMAT
from kentrobar.core.measure.film.decode import Far, open_film
from kentrobar.core.measure.film.reading import Seen, seen
from kentrobar.core.measure.recording import NoSwingError
from kentrobar.core.measure.registry import METHODS

SIZE = 1000.0
"""What a trace is scaled to, so that two places are enough."""


def trace_of(found: Seen) -> dict[str, Any]:
    """What a reading keeps of a film: ``film``, and how wide it swung where that was seen."""
    most = float(abs(found.trace).max()) or 1.0
    kept: dict[str, Any] = {
        "film": {
            "times_s": [round(float(t), 6) for t in found.times_s],
            "trace": [round(float(one) * SIZE / most, 2) for one in found.trace],
            "beats": found.beats,
            "apart": round(found.apart, 9),
        }
    }
    if found.width_deg is not None:
        first, last, u = (round(one, 3) for one in found.width_deg)
        kept["amplitude_deg"] = {"value": first, "u": u}
        kept["amplitude_end_deg"] = {"value": last, "u": round(u * last / first, 3)}
    return kept


def reading_of_film(
    path: str | PathLike[str],
    setup: dict[str, Any] | None = None,
    expect_s: float | None = None,
    slowed: int = 1,
    far: Far = lambda share: None,
) -> dict[str, Any]:
    """The reading a film gives.

    Args:
        setup: a reading of a way to swing, without its period; else the film's period alone.
        expect_s: the period it should have. slowed: how many times slower than it was it runs.

    Raises:
        DocumentError: it shows no swing, or the set-up is none that swings.
    """
    if setup is not None:
        method = METHODS.get(str(setup.get("method")))
        if method is None or not method.is_timed:
            raise DocumentError("method", "a film goes with a reading of something that swings")
    try:
        kept = trace_of(seen(open_film(path, far), expect_s, slowed, far))
    except NoSwingError as error:
        raise DocumentError("", str(error)) from None
    base = setup or {"format": READING_FORMAT, "method": "film"}
    written = {key: value for key, value in base.items() if key not in ("period_s", "tap_times_s")}
    return kept | written | {"film": kept["film"]}
