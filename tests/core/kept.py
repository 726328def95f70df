"""Answers kept as lists of lines under ``tests/data``: read through by eye once, held to after.

A test module that keeps such a list writes it again when it is run as a program, after a change
that is meant; then one reads what changed.
"""

from collections.abc import Mapping
from dataclasses import fields
from pathlib import Path

DATA = Path(__file__).parent.parent / "data"


def written(value, places=4):
    """A value on one line, figures to four places, what is empty left out."""
    if isinstance(value, float):
        return f"{value:.{places}f}".rstrip("0").rstrip(".")
    if isinstance(value, str):
        return f"“{value}”"
    if isinstance(value, (tuple, list)):
        return f"[{', '.join(written(one, places) for one in value)}]"
    if hasattr(value, "__dataclass_fields__"):
        held = ((one.name, getattr(value, one.name)) for one in fields(value))
        inside = ", ".join(
            f"{name} {written(one, places)}" for name, one in held if one not in (None, "", ())
        )
        return f"{type(value).__name__}({inside})"
    if isinstance(value, Mapping):
        return f"{{{', '.join(f'{key} {written(one, places)}' for key, one in value.items())}}}"
    if hasattr(value, "nominal_value"):
        return f"{written(value.nominal_value, places)} ± {written(value.std_dev, places)}"
    return str(value)


def lines(subject, subjects):
    """What is said of one subject, a line for each thing."""
    return [f"{subject} · {what}: {written(value)}" for what, value in subjects[subject]()]


def kept(name, subject):
    """What is kept of one subject."""
    every = (DATA / name).read_text().splitlines()
    return [one for one in every if one.startswith(f"{subject} · ")]


def keep(name, subjects):
    """Write the list of all subjects."""
    every = [line for subject in subjects for line in lines(subject, subjects)]
    (DATA / name).write_text("\n".join(every) + "\n")
