"""Which dimensions tell the outline of each kind of frame."""

DIMENSIONS = {
    "racket": (
        "length_mm",
        "width_mm",
        "widest_mm",
        "hoop_base_mm",
        "rim_mm",
        "beam_mm",
        "handle_length_mm",
        "handle_radius_mm",
    ),
    "paddle": (
        "length_mm",
        "width_mm",
        "handle_mm",
        "corner_top_mm",
        "corner_bottom_mm",
        "rim_mm",
        "beam_mm",
        "handle_radius_mm",
        "top_rise_mm",
        "width_high_mm",
        "width_middle_mm",
        "width_low_mm",
        "neck_mm",
    ),
}
OPTIONAL = DIMENSIONS["paddle"][-5:]
"""What few paddles need: without them the top's corners are round and the sides straight."""
