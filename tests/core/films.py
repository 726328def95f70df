"""Films of a swing, made up here: a frame that hangs and swings, before a wall, in poor light."""

from __future__ import annotations

import functools
import math
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from kentrobar.core.measure.film.decode import Pictures

KEPT_PIXELS = 10e6


@dataclass(frozen=True)
class Scene:
    """What is filmed, and how; lengths in pixels of a picture ``width`` wide.

    ``look``: from the side (it turns in the picture) or from the front (it comes nearer).
    """

    period_s: float = 1.31
    wide_deg: float = 6.0
    decay: float = 0.02
    phase: float = 0.4
    seconds: float = 20.0
    rate: float = 30.0
    jitter_s: float = 0.0
    """How unevenly pictures follow one another."""
    drops: float = 0.0
    noise: float = 3.0
    blur_s: float = 0.012
    shake: float = 0.0
    flicker_hz: float = 0.0
    exposure: float = 0.0
    hand_s: float = 0.0
    other_s: float = 0.0
    """The period of a second thing that swings, in the corner."""
    second: float = 0.0
    """Of how wide it swings, in a second way that dies as the first."""
    apart: float = 0.07
    """How much faster the second one is, of itself."""
    look: str = "side"
    thick: float = 1.0
    """Of the frame, beside its usual one."""
    askew_deg: float = 0.0
    """How far the camera stands beside the axis that the frame turns about."""
    passer_s: float = 0.0
    """When somebody begins to walk by, before the frame."""
    width: int = 96
    height: int = 54
    seed: int = 0

    def angle(self, t):
        """Of the swing, rad, let go when the hand is gone."""
        x = np.maximum(t - self.hand_s, 0.0)
        omega = 2 * math.pi / self.period_s
        wide = math.radians(self.wide_deg) * np.exp(-self.decay * x)
        # A wide swing is slower; its own phase is what the amplitude made of it.
        slower = math.radians(self.wide_deg) ** 2 / 16
        lost = slower * (1 - np.exp(-2 * self.decay * x)) / max(2 * self.decay, 1e-9)
        beside = self.second * np.cos(omega * (1 + self.apart) * x)
        return wide * (np.cos(omega * (x - lost) + self.phase) + beside)


def stamps(scene: Scene, rng) -> np.ndarray:
    count = int(scene.seconds * scene.rate)
    times = np.arange(count) / scene.rate + rng.normal(0, scene.jitter_s, count)
    keep = rng.random(count) >= scene.drops
    return np.sort(times[keep] - times[0])


def pictures(scene: Scene):
    """(times in s, pictures as they come), made one after the other; a small scene once for all who
    film it."""
    if scene.width * scene.height * scene.seconds * scene.rate > KEPT_PIXELS:
        return _made(scene)
    return _kept(scene)


@functools.lru_cache(maxsize=4)
def _kept(scene: Scene):
    times, each = _made(scene)
    return times, list(each)


def _made(scene: Scene):
    rng = np.random.default_rng(scene.seed)
    times = stamps(scene, rng)
    k = scene.width / 96
    y, x = np.mgrid[: scene.height, : scene.width].astype(np.float32) / k
    wall = 95 + 22 * np.sin(x / 7.0 + 1) * np.cos(y / 5.0) + 12 * np.sin(x / 2.3) * np.sin(y / 3.1)
    wall += rng.normal(0, 6, wall.shape).astype(np.float32)
    shaken = np.cumsum(rng.normal(0, 1, (len(times), 2)), axis=0) * 0.1 + rng.normal(
        0, 1, (len(times), 2)
    )
    shaken = scene.shake * (shaken - shaken.mean(axis=0)) / max(float(shaken.std()), 1e-9)
    shaken = shaken.astype(np.float32)
    light = 1 + scene.exposure * np.cumsum(rng.normal(0, 0.02, len(times)))
    parts = (-0.5, -0.17, 0.17, 0.5) if scene.blur_s else (0.0,)

    def each():
        for i, t in enumerate(times):
            dx, dy = shaken[i]
            seen = np.zeros_like(wall)
            for part in parts:
                at = t + part * scene.blur_s
                seen += _drawn(scene, wall, x - dx, y - dy, float(at))
            seen /= len(parts)
            if scene.flicker_hz:
                rows = np.arange(scene.height) / scene.height * 0.02
                seen *= (1 + 0.12 * np.cos(2 * math.pi * scene.flicker_hz * (t + rows)))[:, None]
            seen = seen * light[i] + rng.normal(0, scene.noise, seen.shape)
            yield np.clip(seen, 0, 255).astype(np.uint8)

    return times, each()


def _drawn(scene: Scene, wall, x, y, t: float):
    """The wall, a racket hanging before it, whatever else moves."""
    angle = float(scene.angle(np.array(t)))
    if scene.look == "side":
        turned = angle
        scale = 1.0
    else:
        turned, scale = 0.0, 1 + 0.25 * math.sin(angle)
    # The pivot near the upper edge; the frame hangs down from it, 40 long.
    u, v = (x - 48.0) / math.cos(math.radians(scene.askew_deg)), y - 6.0
    along = (v * math.cos(turned) + u * math.sin(turned)) / scale
    if scene.look != "side":
        along = along / math.cos(angle)
    across = (u * math.cos(turned) - v * math.sin(turned)) / scale
    head = np.sqrt(((along - 12) / 12) ** 2 + (across / 8) ** 2)
    ring = np.abs(head - 1) * 8 - 1.4 * scene.thick
    shaft = np.maximum(np.abs(across) - 1.3 * scene.thick, np.maximum(23 - along, along - 41))
    edge = np.minimum(ring, shaft)
    cover = np.clip(0.5 - edge, 0, 1)
    found = wall * (1 - cover) + 215 * cover
    if scene.other_s:
        away = 6 * math.sin(2 * math.pi * t / scene.other_s)
        dot = np.clip(4 - np.sqrt((x - 80 - away) ** 2 + (y - 42) ** 2), 0, 1)
        found = found * (1 - dot) + 30 * dot
    if scene.passer_s and 0 < t - scene.passer_s < 3:
        at = 40 * (t - scene.passer_s) - 12
        somebody = np.clip(9 - np.abs(x - at - 2 * np.sin(y / 9)), 0, 1)
        found = found * (1 - somebody) + 60 * somebody
    if t < scene.hand_s:
        side = 20 * t / max(scene.hand_s, 1e-9)
        arm = np.clip(7 - np.abs(y - 40 + 3 * math.sin(9 * t)), 0, 1) * (x < 56 - side)
        found = found * (1 - arm) + 160 * arm
    return found


def shrunk(scene: Scene) -> Pictures:
    """As they would come from a file, without one."""
    times, each = pictures(scene)
    return Pictures(times - times[0], np.stack(list(each)))


def written(scene: Scene, path, codec="libx264", clock=Fraction(1, 90000), slower=1, **options):
    """A film file, with every picture's own time stamp."""
    import av

    times, each = pictures(scene)
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=round(scene.rate))
        stream.width, stream.height = scene.width, scene.height
        stream.pix_fmt = "yuvj420p" if codec == "mjpeg" else "yuv420p"
        stream.options = options
        stream.codec_context.time_base = clock
        for t, grey in zip(times, each, strict=True):
            picture = av.VideoFrame.from_ndarray(np.repeat(grey[:, :, None], 3, axis=2), "rgb24")
            picture.pts, picture.time_base = round(t * slower / clock), clock
            for packet in stream.encode(picture):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)
    return path
