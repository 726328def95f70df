"""The form of the workshop's settings."""

from __future__ import annotations

from typing import Any

from django import forms

from kentrobar.core.recipes.strokes import STROKES
from kentrobar.core.units import fixed
from kentrobar.ui.forms import with_commas

from .models import USUAL_FIELDS, Settings

STROKE_BOXES = {
    "ball_kmh": ("the ball comes at, km/h", 0.0, 300.0),
    "turn": ("the frame turns, rad/s", 0.0, 120.0),
    "pivot_mm": ("pivot from the butt, mm", -1500.0, 150.0),
}
"""Of a stroke: its label, least and most."""
PLACE_FIELDS = ("latitude_deg", "height_m", "gravity_ms2", "air")


class SettingsForm(forms.ModelForm):
    class Meta:
        model = Settings
        fields = (
            *USUAL_FIELDS.values(),
            "tolerance",
            "unsure",
            "piece",
            "seen",
            "price",
            "toxic",
            "part",
            "near",
            "cut_step_mm",
            "least_cut_mm",
            "max_layers",
            "most_cuts",
            "few",
            "serious",
            "bounce_racket",
            "bounce_paddle",
            "slower_power",
            "slower_band",
            *PLACE_FIELDS,
            "rate_hour",
            "rate_frame",
            "rate_material",
            "day_minutes",
        )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for kind in STROKES:
            for stroke in self.instance.strokes_of(kind):
                for name, (label, low, high) in STROKE_BOXES.items():
                    box = forms.FloatField(
                        label=f"{kind}, {stroke.label}: {label}", min_value=low, max_value=high
                    )
                    box.initial = getattr(stroke, name)
                    box.widget.attrs["aria-label"] = box.label
                    self.fields[f"{kind}-{stroke.key}-{name}"] = box
        with_commas(self)

    @property
    def instruments(self) -> list[forms.BoundField]:
        """What figures are usually read with."""
        return [self[name] for name in USUAL_FIELDS.values()]

    @property
    def place(self) -> list[forms.BoundField]:
        """What swings with a frame that is timed."""
        return [self[name] for name in PLACE_FIELDS]

    @property
    def others(self) -> list[forms.BoundField]:
        apart = (*USUAL_FIELDS.values(), *PLACE_FIELDS)
        return [box for box in self if box.name not in apart and "-" not in box.name]

    @property
    def strokes(self) -> list[tuple[str, list[forms.BoundField]]]:
        """(a kind's stroke, its boxes)."""
        return [
            (
                f"{kind}, {stroke.label}",
                [self[f"{kind}-{stroke.key}-{name}"] for name in STROKE_BOXES],
            )
            for kind in STROKES
            for stroke in STROKES[kind]
        ]

    stroke_heads = ("the ball comes at, km/h", "the frame turns, rad/s", "pivot from the butt, mm")

    def save(self, commit: bool = True) -> Any:
        """Keep what was set, and of the strokes what is not as usual."""
        own: dict[str, dict[str, dict[str, float]]] = {}
        for kind in STROKES:
            for stroke in STROKES[kind]:
                for name in STROKE_BOXES:
                    value = self.cleaned_data[f"{kind}-{stroke.key}-{name}"]
                    if value != getattr(stroke, name):
                        own.setdefault(kind, {}).setdefault(stroke.key, {})[name] = value
        self.instance.strokes = own
        return super().save(commit)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        few, serious = cleaned.get("few"), cleaned.get("serious")
        if few is not None and serious is not None and few > serious:
            self.add_error(
                "serious", f"Serious players notice no less than most: at least {fixed(few, 1)}."
            )
        return cleaned
