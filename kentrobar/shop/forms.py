"""The form of the workshop's settings."""

from __future__ import annotations

from typing import Any

from django import forms

from kentrobar.core.units import fixed
from kentrobar.ui.forms import with_commas

from .models import USUAL_FIELDS, Settings

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
            *PLACE_FIELDS,
            "rate_hour",
            "rate_frame",
            "rate_material",
            "day_minutes",
        )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
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
        return [box for box in self if box.name not in apart]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        few, serious = cleaned.get("few"), cleaned.get("serious")
        if few is not None and serious is not None and few > serious:
            self.add_error(
                "serious", f"Serious players notice no less than most: at least {fixed(few, 1)}."
            )
        return cleaned
