"""``{% bench … %}`` and ``{% outline_drawing … %}``: frames as server-made SVG."""

from collections.abc import Collection, Mapping, Sequence

from django import template
from django.utils.safestring import SafeString, mark_safe

from kentrobar.core.frame.predict import Prediction
from kentrobar.core.geometry.kinds import Stroke
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import Body
from kentrobar.core.recipes.brief import Site
from kentrobar.core.recipes.feel import Hits
from kentrobar.core.recipes.one_gram import Effect
from kentrobar.ui import regions
from kentrobar.ui.drawing import bench as drawing
from kentrobar.ui.drawing import face, setups
from kentrobar.ui.drawing import ruler as hung
from kentrobar.ui.drawing import shown as shown_as
from kentrobar.ui.drawing import sites as places
from kentrobar.ui.drawing.dimensions import dimensions

register = template.Library()


@register.simple_tag
def bench(
    outline: Outline,
    prediction: Prediction | None = None,
    axis: float | None = None,
    pick: str | None = None,
    name: str = "Bench",
) -> SafeString:
    """A frame on the bench; with a prediction, its pieces, bobs and balance too."""
    drawn = drawing.bench(outline, prediction, axis, pick)
    return mark_safe(shown_as.drawing(drawn, name).html())  # escaped by its templates


register.simple_tag(shown_as.frame_ground)
register.simple_tag(shown_as.ruler_ground)


@register.simple_tag
def small_bench(outline: Outline, prediction: Prediction, axis: float, name: str) -> SafeString:
    """The bench for a card: no words on it but the pieces' numbers."""
    return shown_as.small(drawing.bench(outline, prediction, axis), name)


@register.inclusion_tag("drawing/_standalone.svg")
def standalone_bench(outline: Outline, prediction: Prediction, axis: float, name: str) -> dict:
    """The bench for a file of its own or for paper: it brings its look along."""
    return {"bench": drawing.bench(outline, prediction, axis), "name": name}


@register.simple_tag
def places_drawing(outline: Outline, sites: Mapping[str, Site], on: Collection[str]) -> SafeString:
    """Where something may go; a click on a site presses its box."""
    found = places.places(outline, sites, on)
    ground, ruler = shown_as.frame_ground(found.bench), shown_as.ruler_ground(found.bench)
    return regions.drawn(
        "drawing/places.html", frame=ground, ruler=ruler, places=tuple(found.places)
    )


@register.simple_tag
def under_one_ruler(
    predictions: Sequence[Prediction], length_mm: float, axis_mm: float
) -> hung.Under:
    """A whole set under one ruler; ``ruler_over`` and ``lane`` draw it."""
    return hung.under_one_ruler(predictions, length_mm, axis_mm)


@register.inclusion_tag("drawing/ruler_over.html")
def ruler_over(under: hung.Under) -> dict:
    return {"under": under}


@register.inclusion_tag("drawing/lane.html")
def lane(under: hung.Under, index: int, name: str) -> dict:
    return {"under": under, "lane": under.lanes[index], "name": name}


@register.inclusion_tag("drawing/face.html")
def face_map(
    outline: Outline,
    body: Body,
    stroke: Stroke,
    bounce: float,
    hits: Hits,
    twist_known: bool,
    slowed: float,
) -> dict:
    """The face, shaded by how fast a stroke's ball leaves it, with the marks of balls."""
    drawn = face.face_map(outline, body, stroke, bounce, hits, twist_known, slowed)
    return {"drawn": drawn}


@register.inclusion_tag("drawing/gram.html")
def gram_chart(
    outline: Outline,
    curve: Sequence[tuple[float, float]],
    effects: Sequence[Effect],
    axis_mm: float,
) -> dict:
    """What some grams do to swing weight along a frame, the sites numbered."""
    dots = [(one.x_mm, one.swing_kgcm2, str(i)) for i, one in enumerate(effects, 1)]
    return {"drawn": face.gram_chart(outline, curve, dots, axis_mm)}


@register.simple_tag
def outline_drawing(outline: Outline) -> SafeString:
    """A frame with all its dimensions; the script lights the one being typed."""
    ground = shown_as.frame_ground(drawing.bench(outline))
    arrows = tuple(dimensions(outline))
    return regions.drawn("drawing/outline.html", frame=ground, dimensions=arrows)


@register.inclusion_tag("drawing/setup.html")
def setup_drawing(method: str, outline: Outline, places: dict[str, float]) -> dict:
    """A measuring method's set-up with this frame in it."""
    at = setups.usual_places(outline) | places
    return {"setup": setups.setup(method, outline, at)}
