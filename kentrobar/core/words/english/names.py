"""What sentences are made of: names of figures, and words that hang on amounts."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from kentrobar.core.quantities import FIGURES

Sentence = str | Callable[..., str]


def label(figure: str) -> str:
    return FIGURES[figure].label


def title(figure: str) -> str:
    return label(figure).capitalize()


def all_of(figures: Sequence[str]) -> str:
    labels = [label(name) for name in figures]
    return labels[0] if len(labels) == 1 else f"{', '.join(labels[:-1])} and {labels[-1]}"


def are(figures: Sequence[str]) -> str:
    return "is" if len(figures) == 1 else "are"


def side(amount: float) -> str:
    return "above" if amount > 0 else "below"


def than(figure: str, amount: float) -> str:
    """A balance has no above: of points, fewer millimetres are more."""
    if figure == "balance_mm":
        return f"nearer the {'tip' if amount > 0 else 'butt'} than"
    return side(amount)
