"""A film as small grey pictures with their own time stamps, read one after the other: the file is
never held, and what is kept of it grows with its length in seconds, not in bytes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from os import PathLike
from typing import TYPE_CHECKING, Any

from kentrobar.core.measure.recording import NoSwingError

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

CONTAINERS = "mov,mp4,matroska,webm,avi"
"""What may be opened: nothing that names other files or addresses."""
CODECS = ("h264", "hevc", "vp8", "vp9", "av1", "mjpeg", "mpeg4")
LONG_SIDE = 96
MOST_KEPT = 3000
"""Pictures that are looked at; of faster films one in two, three …"""
MOST_PICTURES = 40_000
MOST_SPAN_S = 620.0
"""Longest film by its own clock, s: a minute slowed eight times, and a little more."""
MOST_PIXELS = 4096 * 2304
STILLS, STILL_SIDE = 6, 240
LEAST_PICTURES = 40

Far = Callable[[float], None]


class UnreadableError(NoSwingError):
    """It is no film, or none that can be read."""


@dataclass(frozen=True, slots=True)
class Pictures:
    """A film, shrunk.

    Attributes:
        times_s: of each picture, from the first, by the film's own stamps.
        grey: pictures × height × width, 0…255.
        stills: (seconds, red-green-blue height × width × 3) of a few, upright.
        every: one picture in how many of the film is here.
    """

    times_s: NDArray[np.float64]
    grey: NDArray[np.uint8]
    stills: tuple[tuple[float, NDArray[np.uint8]], ...] = ()
    every: int = 1

    @property
    def rate_hz(self) -> float:
        import numpy as np

        return 1 / float(np.median(np.diff(self.times_s)))

    @property
    def stamped_hz(self) -> float:
        """Pictures a second of the whole film, by its stamps."""
        return self.rate_hz * self.every


def open_film(path: str | PathLike[str], far: Far = lambda share: None) -> Pictures:
    """Read a film.

    Args:
        path: a file of its own: mp4, mov, mkv, webm or avi.
        far: told how far it is, 0 to 1, a few times a second; what it raises ends the reading.

    Raises:
        UnreadableError: it is no film, too large a picture, too long, or without time stamps.
    """
    import av

    try:
        with av.open(str(path), options={"format_whitelist": CONTAINERS}) as container:
            return _read(container, far)
    except (av.FFmpegError, ValueError, IndexError, MemoryError) as error:
        if isinstance(error, NoSwingError):
            raise
        raise UnreadableError(
            "This cannot be read as a film: mp4, mov, webm and avi can, as phones write them."
        ) from error


def _read(container: Any, far: Far) -> Pictures:
    import numpy as np

    if not container.streams.video:
        raise UnreadableError("There is no picture in it, only sound or nothing at all.")
    stream = container.streams.video[0]
    codec = stream.codec_context
    if codec.name not in CODECS and not codec.name.startswith("lib"):
        raise UnreadableError(
            f"Its pictures are written in a way that is not read here ({codec.name})."
        )
    if not 0 < codec.width * codec.height <= MOST_PIXELS:
        raise UnreadableError("Its pictures are larger than 4096 × 2304: film in 1080p.")
    stream.thread_type = "AUTO"
    every = _every(container, stream)
    width, height = _small(codec.width, codec.height, LONG_SIDE)
    span = _span(container, stream)
    times: list[float] = []
    grey: list[Any] = []
    stills: list[tuple[float, Any]] = []
    for i, picture in enumerate(container.decode(stream)):
        if i >= MOST_PICTURES:
            raise UnreadableError(f"More than {MOST_PICTURES} pictures: twenty seconds are enough.")
        if i % every:
            continue
        if picture.pts is None:
            raise UnreadableError(
                "Its pictures carry no time: film it with the phone’s own camera."
            )
        at = float(picture.pts * stream.time_base)
        if times and at - times[0] > MOST_SPAN_S:
            raise UnreadableError(f"Longer than {MOST_SPAN_S:.0f} s: twenty seconds are enough.")
        if not 0 < picture.width * picture.height <= MOST_PIXELS:
            raise UnreadableError("Its pictures change their size.")
        times.append(at)
        small = picture.reformat(width, height, "gray", interpolation="AREA")
        grey.append(small.to_ndarray()[:height, :width])
        if span and at - times[0] >= len(stills) * span / STILLS and len(stills) < STILLS:
            stills.append((at - times[0], _still(picture, int(picture.rotation))))
        if i % 16 == 0 and span:
            far(min(max((at - times[0]) / span, 0.0), 1.0))
    if len(times) < LEAST_PICTURES:
        raise UnreadableError(f"{len(times)} pictures are no film of a swing: let it run for 20 s.")
    stamps = np.array(times)
    order = np.argsort(stamps, kind="stable")
    stamps = stamps[order] - stamps[order][0]
    fresh = np.concatenate([[True], np.diff(stamps) > 0])
    return Pictures(stamps[fresh], np.stack(grey)[order][fresh], tuple(stills), every)


def _every(container: Any, stream: Any) -> int:
    """One picture in how many is kept: a swing needs no more than sixty a second."""
    count = float(stream.frames)
    if not count:
        count = _span(container, stream) * float(stream.average_rate or stream.guessed_rate or 30)
    return max(int(count // MOST_KEPT), 1)


def _span(container: Any, stream: Any) -> float:
    """How long it says it is, s; 0 where it does not."""
    if stream.duration:
        return float(stream.duration * stream.time_base)
    return float(container.duration) / 1e6 if container.duration else 0.0


def _small(width: int, height: int, side: int) -> tuple[int, int]:
    """Even measures of the same shape, ``side`` along the longer side."""
    k = side / max(width, height)
    return max(2 * round(width * k / 2), 8), max(2 * round(height * k / 2), 8)


def _still(picture: Any, turned: int) -> Any:
    import numpy as np

    width, height = _small(picture.width, picture.height, STILL_SIDE)
    rgb = picture.reformat(width, height, "rgb24").to_ndarray()
    return np.ascontiguousarray(np.rot90(rgb, turned // 90 % 4))
