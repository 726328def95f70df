"""What cannot be searched for, told as a person knows it."""

from __future__ import annotations

from kentrobar.core.quantities import FIGURES
from kentrobar.ui import background
from kentrobar.ui.formatting import under
from kentrobar.ui.models import Work


def refuse(row: Work, path: str, reason: str) -> None:
    """A fault of a brief, by the figure it is of: its path is the document's."""
    figure = next((FIGURES[part] for part in path.split(".") if part in FIGURES), None)
    told = under(figure.label, reason) if figure else reason
    background.refuse(row, told[0].upper() + told[1:])
