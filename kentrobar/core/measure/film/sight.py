"""What oscillates in small grey pictures.

Every picture is compared with the middle of all; its light is evened out row by row (lamps flicker
in bands, a camera sets its exposure anew). The movements left are parted into a few that go
together (principal components); each is a trace that may hold the swing. The one that does tells
which points of the picture go with it, and these give the trace that is fitted.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

COMPONENTS = 12
ENOUGH = 600
"""Pictures from which components are found; all of them are then seen through these."""
CHUNK = 64
"""Pictures worked on at once."""
DARK = 6.0
"""Grey below which a point tells nothing of the light."""
OUT_OF_STEP = 0.5
"""Radians from the first half of a film to the second."""
CLEAR = 5.0
"""A point goes with the swing where it does so much more than points do by chance."""


def evened(grey: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Pictures as if the light had stayed the same: each row by the middle of how much brighter its
    points are than usual."""
    import numpy as np

    pictures = grey.astype(np.float32)
    usual = np.median(pictures[:: max(len(pictures) // 200, 1)], axis=0)
    lit = usual > DARK
    known = lit.sum(axis=1)
    for start in range(0, len(pictures), CHUNK):
        some = pictures[start : start + CHUNK]
        ratios = np.sort(np.where(lit, some / np.maximum(usual, DARK), np.inf), axis=2)
        gain = np.take_along_axis(ratios, (known // 2)[None, :, None], axis=2)[:, :, 0]
        gain = np.where(known > 7, gain, 1.0)
        # Bands of light are broad: one row that is all racket does not count.
        broad = np.pad(gain, ((0, 0), (2, 2)), mode="edge")
        near = np.stack([broad[:, k : k + gain.shape[1]] for k in range(5)])
        some /= np.clip(np.median(near, axis=0), 0.25, 4.0)[:, :, None]
    return pictures


def steadied(pictures: NDArray[np.float32]) -> tuple[NDArray[np.float32], Array]:
    """(pictures as if the camera had stood still, how far each was shifted in points, × 2): what
    goes with a shift of the whole is taken off. What swings takes part in that shift a little, and
    only spreads its own trace by it."""
    import numpy as np

    usual = pictures.mean(axis=0)
    down, right = np.gradient(blurred(usual[None])[0])
    # How a picture changes by a shift, and by how the shift changes its slopes.
    shifts = np.stack([right, down]).reshape(2, -1)
    curved = np.stack(
        [np.gradient(right, axis=1), np.gradient(right, axis=0), np.gradient(down, axis=0)]
    ).reshape(3, -1)
    flat = pictures.reshape(len(pictures), -1)
    base = np.concatenate([shifts, curved])
    square = base @ base.T + 1e-3 * np.eye(5, dtype=np.float32)
    moved = flat - usual.reshape(-1)
    parts = (moved @ base.T) @ np.linalg.inv(square)
    still = (flat - parts @ base).reshape(pictures.shape)
    return still, np.asarray(parts[:, :2], float)


def components(pictures: NDArray[np.float32]) -> dict[str, Array]:
    """The movements that go together, the largest first, as traces."""
    import numpy as np

    flat = pictures.reshape(len(pictures), -1)
    moved = flat - flat.mean(axis=0)
    some = moved[np.linspace(0, len(moved) - 1, min(len(moved), ENOUGH)).astype(int)]
    # A knock on the table must not be all that is seen.
    sizes = np.sqrt((some * some).sum(axis=1))
    most = 3 * float(np.median(sizes))
    some = some * np.minimum(1.0, most / np.maximum(sizes, 1e-9))[:, None]
    values, vectors = np.linalg.eigh(some @ some.T)
    best = [i for i in np.argsort(values)[::-1][:COMPONENTS] if values[i] > 1e-6 * values[-1]]
    through = some.T @ vectors[:, best]
    through /= np.maximum(np.linalg.norm(through, axis=0), 1e-9)
    return {f"{k + 1}": column for k, column in enumerate((moved @ through).T.astype(float))}


def going_with(times: Array, pictures: NDArray[np.float32], omega: float) -> Array:
    """The trace of the points that go to and fro at an angular frequency, each by how much."""
    return through(pictures, pattern(times, pictures, omega))


def through(pictures: NDArray[np.float32], along: Array) -> Array:
    """The trace of points, each taken by how much; all zeros where none is."""
    import numpy as np

    flat = pictures.reshape(len(pictures), -1)
    which = np.flatnonzero(along)
    size = float(np.linalg.norm(along))
    if not size:
        return np.zeros(len(flat))
    seen = flat[:, which] @ (along[which] / size).astype(np.float32)
    return np.asarray(seen - seen.mean(), float)


def pattern(times: Array, pictures: NDArray[np.float32], omega: float) -> Array:
    """How much each point goes to and fro at an angular frequency, none for those that do not."""
    import numpy as np

    flat = pictures.reshape(len(pictures), -1)
    moved = flat - flat.mean(axis=0)
    x = times - times.mean()
    window = np.hanning(len(x) + 2)[1:-1]
    turning = (window * np.exp(-1j * omega * x)).astype(np.complex64)
    turned = turning @ moved
    # Points that swing do so together or just the other way: one phase for all.
    phase = 0.5 * float(np.angle(np.sum(turned**2)))
    along = np.real(turned * np.exp(-1j * phase))
    along = np.where(_keeping_time(x, turning, moved), along, 0.0)
    chance = 1.4826 * float(np.median(np.abs(along)))
    return np.asarray(np.where(np.abs(along) > CLEAR * chance, along, 0.0), float)


def _keeping_time(x: Array, turning: Any, moved: Any) -> Any:
    """Which points keep time with the others from the first half to the second: what swings beside
    the frame, a little slower or faster, does not."""
    import numpy as np

    early, late = (turning[half] @ moved[half] for half in (x < 0, x >= 0))
    fits = np.ones(early.shape, bool)
    for _ in range(3):
        whole = np.sum((late * np.conj(early))[fits])
        apart = np.abs(np.angle(late * np.conj(early) * np.conj(whole)))
        fits = apart < OUT_OF_STEP
    return fits


def blurred(pictures: NDArray[np.float32]) -> NDArray[np.float32]:
    """Each point the mean of its neighbours, twice: slopes hold over more than a point."""
    found: NDArray[np.float32] = pictures
    for _ in range(2):
        padded = _padded(found)
        found = (
            sum(
                padded[:, i : i + found.shape[1], j : j + found.shape[2]]
                for i in range(3)
                for j in range(3)
            )
            / 9.0
        )
    return found


def _padded(pictures: Any) -> Any:
    import numpy as np

    return np.pad(pictures, ((0, 0), (1, 1), (1, 1)), mode="edge")
