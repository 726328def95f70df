"""Another frame's figures as what is wanted: as no. 07."""

from __future__ import annotations

from django.db.models import QuerySet

from kentrobar.core.errors import UnreadableError
from kentrobar.core.frame.predict import Measured
from kentrobar.core.quantities import FIGURES, NEEDED, plain_figures
from kentrobar.core.recipes.brief import Goal, plain_body
from kentrobar.frames import fitted
from kentrobar.frames.figures import Figures
from kentrobar.frames.models import Frame
from kentrobar.ui.search import holding


def like(frame_measured: Measured, axis_mm: float, with_twist: bool) -> dict[str, Goal]:
    """Goals that make a frame play like another one."""
    body = plain_body(frame_measured)
    figures = plain_figures(body, axis_mm)
    names = [*NEEDED]
    if with_twist and frame_measured.twist_kgcm2 is not None:
        names.append("twist_kgcm2")
    return {
        name: Goal(
            value=round(figures[name], 3), tol=FIGURES[name].tol,
            axis_mm=axis_mm if name == "swing_kgcm2" else None,
        )
        for name in names
    }  # fmt: skip


def figures_of_named(
    name: str, beside: Frame, condition: str, axis_mm: float
) -> dict[str, float] | None:
    """What a frame of the same kind reads in a condition, found by its mark, its name, or words
    that only one has in them; None where there is none.

    Raises:
        UnreadableError: it was not read whole in that condition.
    """
    others = Frame.live.filter(kind=beside.kind).exclude(pk=beside.pk)
    by_mark = others.filter(serial__iexact=name)
    by_name = holding(others, name.split(" · ")[0], "model")[:60]
    alike = [one for one in by_name if name.lower() in (str(one).lower(), one.model.lower())]
    unread = None
    for other in by_mark or alike or _with_all(others, name.split()):
        figures = fitted.figures_now(other, condition)
        if figures.is_complete:
            goals = like(figures.measured(), axis_mm, with_twist=True)
            return {key: goal.value for key, goal in goals.items() if goal.value is not None}
        unread = unread or lacking(other, figures)
    if unread:
        raise UnreadableError(unread)
    return None


def lacking(frame: Frame, figures: Figures) -> str:
    """Why a frame's figures cannot be taken."""
    return f"{frame} has no {', no '.join(figures.missing)} {figures.label}: read it first."


def _with_all(frames: QuerySet[Frame], words: list[str]) -> list[Frame]:
    """The one frame that has each of these words in its maker, model or mark; none where several
    have."""
    for word in words:
        frames = holding(frames, word, "maker", "model", "serial")
    found = list(frames[:2]) if words else []
    return found if len(found) == 1 else []
