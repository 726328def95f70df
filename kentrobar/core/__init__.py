"""The computation of Kentrobar. It knows no Django, no database and no page.

This is its one public way in:

    >>> from kentrobar.core import Frame, Measured, Racket, Strip, predict

Start reading at ``pieces/body.py`` (what adds), then ``geometry/outline.py`` (where tape can lie),
``pieces/piece.py`` (what can be put on or taken off) and ``frame/predict.py`` (what a plan does).
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .errors import DocumentError, UnreadableError
    from .frame.checked import Frame, predict
    from .frame.predict import LadenFrame, Measured, Prediction
    from .geometry.outline import Outline, Paddle, Racket
    from .geometry.presets import PRESETS
    from .io.plans import dump_plan, load_plan
    from .io.readings import expected, reading_of, reduced
    from .io.recipes import brief_of, set_of
    from .pieces.body import Body
    from .pieces.piece import Piece
    from .pieces.plug import Plug
    from .pieces.point import Point
    from .pieces.sleeve import Sleeve
    from .pieces.strings import Strings
    from .pieces.strip import Strip
    from .pieces.throat import Throat
    from .quantities import FIGURES, figures
    from .recipes.explain import solve
    from .recipes.match import match

# Where each name lives. Looked up when it is first asked for, so that `predict` loads no solver.
_HOMES = {
    "errors": ("DocumentError", "UnreadableError"),
    "frame.checked": ("Frame", "predict"),
    "frame.predict": ("LadenFrame", "Measured", "Prediction"),
    "geometry.outline": ("Outline", "Paddle", "Racket"),
    "geometry.presets": ("PRESETS",),
    "io.plans": ("dump_plan", "load_plan"),
    "io.readings": ("expected", "reading_of", "reduced"),
    "io.recipes": ("brief_of", "set_of"),
    "pieces.body": ("Body",),
    "pieces.piece": ("Piece",),
    "pieces.plug": ("Plug",),
    "pieces.point": ("Point",),
    "pieces.sleeve": ("Sleeve",),
    "pieces.bevels": ("Bevels",),
    "pieces.strings": ("Strings",),
    "pieces.strip": ("Strip",),
    "pieces.throat": ("Throat",),
    "quantities": ("FIGURES", "figures"),
    "recipes.explain": ("solve",),
    "recipes.match": ("match",),
}
_HOME_OF = {name: home for home, names in _HOMES.items() for name in names}

__all__ = [
    "FIGURES",
    "PRESETS",
    "Bevels",
    "Body",
    "DocumentError",
    "Frame",
    "LadenFrame",
    "Measured",
    "Outline",
    "Paddle",
    "Piece",
    "Plug",
    "Point",
    "Prediction",
    "Racket",
    "Sleeve",
    "Strings",
    "Strip",
    "Throat",
    "UnreadableError",
    "brief_of",
    "dump_plan",
    "expected",
    "figures",
    "load_plan",
    "match",
    "predict",
    "reading_of",
    "reduced",
    "set_of",
    "solve",
]


def __getattr__(name: str) -> Any:
    if name not in _HOME_OF:
        raise AttributeError(f"kentrobar.core has no {name!r}")
    return getattr(import_module(f".{_HOME_OF[name]}", __name__), name)
