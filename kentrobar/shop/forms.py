"""The form of the workshop's settings."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django import forms
from django.db import models

from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.reader import digits, fixed
from kentrobar.ui.forms import with_commas

from .models import Settings

STROKE_BOXES = {
    "ball_kmh": ("the ball comes at, km/h", 0.0, 300.0),
    "turn": ("the frame turns, rad/s", 0.0, 120.0),
    "pivot_mm": ("pivot from the butt, mm", -1500.0, 150.0),
}
"""Label, least and most of each figure of a stroke."""


@dataclass(frozen=True, slots=True)
class Group:
    """Settings of one kind: what they are for, and their boxes, each with an example."""

    title: str
    about: str
    examples: dict[str, str]


GROUPS = (
    Group(
        "The shop",
        "What stands on cards, sheets and tickets, where a day ends, and how players reach it.",
        {
            "shop_name": "Bench on the Quay",
            "contact": "street, phone or mail, as players should see it",
            "time_zone": "the nearest town of the list, Europe/Oslo: sets when your day starts",
            "currency": "EUR, kr, £",
            "decimals": "boxes read both",
            "language": "cards, pages on court and paper; for each player at their own page",
            "public_address": "https://bench.example: cards’ links begin with it; empty, with the"
            " address you read this at",
        },
    ),
    Group(
        "How you measure",
        "A figure typed without ± is as sure as what it is usually read with here, and never surer"
        " than its last digit: 324 is ± 0.29, 324.7 is ± 0.03. Measured with an instrument of the"
        " list, it is as sure as that.",
        {
            "usual_mass": "a kitchen scale of 1 g: 320 typed is 320 ± 0.3",
            "usual_balance": "a board and a ruler: 324 typed is ± 0.5 mm or so",
            "usual_swing": "your own machine, not one far away",
            "usual_twist": "as for swing weight",
        },
    ),
    Group(
        "The place",
        "Timed swings are read with the g of the place, and without the air a paddle’s face pushes"
        " along: 3.3 kg·cm² about 50 mm, ten times a good reading’s ±. A machine that swings the"
        " face broadside reads that air too; figures from elsewhere mostly have it in.",
        {
            "latitude_deg": "54.6 in the north, −33.9 in the south",
            "height_m": "650 in the hills",
            "gravity_ms2": "9.8136, where somebody measured it",
            "air": "figures from elsewhere mostly have it in",
        },
    ),
    Group(
        "Ranking of recipes",
        "A recipe that meets every target is ranked by what counts against it, in grams of added"
        " mass: raise a figure to avoid that more.",
        {
            "tolerance": "30: taken one tolerance out by 2 mm, it stands as if it were 30 g more",
            "unsure": "5: the same, where the ± of the readings is counted in as well",
            "piece": "0.4: a third strip must save 0.4 g",
            "seen": "0.05: 20 g on the face are as bad as 1 g more",
            "price": "0.02: tape for 50 is as bad as 1 g more",
            "toxic": "0.3: 10 g of lead are as bad as 3 g more",
            "part": "2: taking the overgrip off must save 2 g",
            "near": "0.5: of recipes within half a gram the surest leads",
        },
    ),
    Group(
        "Cutting",
        "How tape is cut here: every length a recipe gives is a whole number of steps.",
        {
            "cut_step_mm": "6.35 is a quarter of an inch; 5 where the ruler is metric",
            "least_cut_mm": "shorter ones do not hold",
            "max_layers": "2: one strip on another, not three",
            "most_cuts": "more only where nothing else reaches the targets; 0 for any number",
        },
    ),
    Group(
        "What players notice",
        "Differences of swing weight, as people on court tell them apart.",
        {
            "few": "5: below it most would not say which frame is which",
            "serious": "10: from there on everybody who plays much does",
        },
    ),
    Group(
        "Ball and swing",
        "What Feel, recipes and advice compute with.",
        {
            "bounce_racket": "0.85: of a ball dropped on strings held fast, by speed",
            "bounce_paddle": "0.78: softer faces less",
            "slower_power": "0.15 to 0.35 for strokes at full speed",
            "slower_band": "0.1: how far off that power may be",
        },
    ),
    Group("Paper", "What printed pages are laid out for.", {"paper": "sheets, tickets, labels"}),
    Group(
        "Prices",
        "The price of a job, where none was agreed; and how full a day is.",
        {
            "rate_hour": "40: half an hour of work is 20",
            "rate_frame": "5: for every frame that is checked in",
            "rate_material": "1.5: tape bought for 2 costs the customer 3",
            "day_minutes": "240: four hours at this bench; more is over-full",
        },
    ),
)
"""The settings in the order of the page."""


class SettingsForm(forms.ModelForm):
    class Meta:
        model = Settings
        fields = tuple(name for group in GROUPS for name in group.examples)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for kind in FRAME_KINDS:
            for stroke in self.instance.strokes_of(kind):
                for name, (label, low, high) in STROKE_BOXES.items():
                    box = forms.FloatField(
                        label=f"{kind}, {stroke.label}: {label}", min_value=low, max_value=high
                    )
                    box.initial = getattr(stroke, name)
                    box.widget.attrs["aria-label"] = box.label
                    self.fields[f"{kind}-{stroke.key}-{name}"] = box
        self.fields["time_zone"].widget.attrs |= {"list": "zones", "placeholder": "UTC"}
        for group in GROUPS:
            for name, example in group.examples.items():
                self.fields[name].help_text = f"{example}{_usual_text(name)}"
        with_commas(self)

    @property
    def groups(self) -> list[tuple[Group, list[forms.BoundField]]]:
        return [(group, [self[name] for name in group.examples]) for group in GROUPS]

    @property
    def titles_at_fault(self) -> set[str]:
        """Of the groups in which something is wrong: they stand open."""
        return {one.title for one in GROUPS if any(name in self.errors for name in one.examples)}

    @property
    def strokes_at_fault(self) -> bool:
        return any("-" in name for name in self.errors)

    @property
    def strokes(self) -> list[tuple[str, list[forms.BoundField]]]:
        """(a kind's stroke, its boxes)."""
        return [
            (
                f"{kind}, {stroke.label}",
                [self[f"{kind}-{stroke.key}-{name}"] for name in STROKE_BOXES],
            )
            for kind in FRAME_KINDS
            for stroke in FRAME_KINDS[kind].strokes
        ]

    stroke_heads = ("the ball comes at, km/h", "the frame turns, rad/s", "pivot from the butt, mm")

    def save(self, commit: bool = True) -> Any:
        """Keep what was set, and of the strokes what is not as usual."""
        own: dict[str, dict[str, dict[str, float]]] = {}
        for kind in FRAME_KINDS:
            for stroke in FRAME_KINDS[kind].strokes:
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


def _usual_text(name: str) -> str:
    """`; usual 2`, of a setting that begins somewhere."""
    setting = Settings._meta.get_field(name)
    assert isinstance(setting, models.Field)
    default = setting.get_default()
    if default in (None, ""):
        return ""
    choices: dict[Any, Any] = dict(setting.flatchoices)
    said = choices.get(default, digits(default, 6) if isinstance(default, float) else str(default))
    return f" (usual {said})"
