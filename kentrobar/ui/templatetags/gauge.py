"""``{% vial level %}``: a figure against its target as a spirit-level vial."""

from django import template

from kentrobar.core.frame.targets import Level

register = template.Library()
WIDTH, HEIGHT = 280.0, 22.0
LEAST_BUBBLE, MOST_BUBBLE = 11.0, 60.0


@register.inclusion_tag("drawing/vial.html")
def vial(level: Level, label: str, was: Level | None = None) -> dict:
    """Centre = target, marks = tolerance, bubble = value, its width = uncertainty.

    Without a target there are no marks, and the bubble rests in the middle. Where it ``was`` is a
    ring.
    """
    half = WIDTH / 2
    room = half - 14
    bubble = min(max(level.half_width * room, LEAST_BUBBLE), MOST_BUBBLE)
    x = half + level.position * room
    return {
        "level": level,
        "label": label,
        "x": round(min(max(x, bubble + 2), WIDTH - bubble - 2), 1),
        "bubble": round(bubble, 1),
        "ring": round(min(max(half + was.position * room, 7), WIDTH - 7), 1) if was else None,
        "low": half - room / 2,
        "high": half + room / 2,
        "width": WIDTH,
        "height": HEIGHT,
    }
