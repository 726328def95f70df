"""What is said of a reading as it is reduced."""

from __future__ import annotations

from kentrobar.core.reader import digits, fixed, percent

from .names import Sentence

READINGS: dict[str, Sentence] = {
    "stands-apart": "Reading {reading}, {value:g}, stands apart from its fellows (z {z:+.1f}).",
    "missed-pass": lambda tap, count: (
        f"After tap {tap} {'a pass was' if count == 1 else f'{count} passes were'} missed, and"
        " counted."
    ),
    "creep": lambda ms: (
        f"The second half of the taps makes the period {abs(ms):.0f} ms"
        f" {'longer' if ms > 0 else 'shorter'} than the first: the hand crept, and ± says so. Tap"
        " once more."
    ),
    "stray-tap": "Tap {tap} is far off the line of the others.",
    "weak": (
        "Swung flat the twist weight is what is left of {swung:.1f} − {carried:.1f}: an error in"
        " the timing counts {times:.0f} times over. Two-thread (bifilar) tells it better."
    ),
    "longest-stretch": lambda kept, count: (
        f"The recording has breaks: of {count + 1} stretches the longest is read, {kept:.0f} s."
    ),
    "gaps": lambda count, longest: (
        f"{count} gap{'s' if count > 1 else ''} in the recording, the longest"
        f" {fixed(longest, 2)} s; the fit bridges them."
    ),
    "air-off": "The air its face carries, {air:.2f} kg·cm², is taken off.",
    "usual-swing": (
        "How wide it swung was not written: {degrees:g} ± {u:g}° is assumed, as is usual."
    ),
    "usual-decay": lambda share, u: (
        "How wide it swung at last was not written: it is assumed to have lost"
        f" {fixed(100 * share, 0)} ± {percent(u)} a swing."
    ),
    "second-swing": lambda share, apart: (
        f"A second swing, {percent(share)} as wide and {percent(abs(apart), 1)}"
        f" {'slower' if apart > 0 else 'faster'}, swings beside the first: the frame hangs askew or"
        " the stand swings along. The wider one is taken for the frame’s; look at the pin."
    ),
    "even-stamps": lambda rate: (
        f"Its stamps are exactly even, {digits(rate, 4)} a second, as a program writes them: if it"
        " was filmed at another rate, the period is off by as much. Hold it against a few taps."
    ),
    "two-beats": ("The sensor beat twice a swing: the period is two beats, as this frame swings."),
}
