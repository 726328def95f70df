"""``{% bench … %}`` and ``{% outline_drawing … %}``: frames as server-made SVG."""

from django import template

from kentrobar.core.outline import Outline
from kentrobar.core.predict import Prediction
from kentrobar.core.units import Shown
from kentrobar.web import drawing, setups

register = template.Library()


@register.inclusion_tag("drawing/bench.html")
def bench(
    outline: Outline,
    shown: Shown,
    prediction: Prediction | None = None,
    axis: float | None = None,
    pick: str | None = None,
    name: str = "Bench",
) -> dict:
    """A frame on the bench; with a prediction, its pieces, bobs and balance too."""
    return {"bench": drawing.bench(outline, shown, prediction, axis, pick), "name": name}


@register.inclusion_tag("drawing/outline.html")
def outline_drawing(outline: Outline, shown: Shown) -> dict:
    """A frame with all its dimensions; the script lights the one being typed."""
    return {
        "bench": drawing.bench(outline, shown),
        "dimensions": drawing.dimensions(outline, shown),
    }


@register.inclusion_tag("drawing/setup.html")
def setup_drawing(method: str, outline: Outline, shown: Shown, places: dict[str, float]) -> dict:
    """A measuring method's set-up with this frame in it."""
    at = setups.usual_places(outline, shown) | places
    return {"setup": setups.setup(method, outline, shown, at)}
