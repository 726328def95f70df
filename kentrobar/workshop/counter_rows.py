"""The grid of the counter: a row a new frame, its figures typed with it."""

from __future__ import annotations

from typing import Any, cast

from django import forms

from kentrobar.core.geometry.kinds import FIRST_KIND, FRAME_KINDS
from kentrobar.core.geometry.presets import PRESETS
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.reader import the_reader
from kentrobar.core.written import unit_word
from kentrobar.frames.choices import Condition
from kentrobar.frames.models import FittedPart, Frame, Person
from kentrobar.frames.reported import keep_reported
from kentrobar.ui.forms import choose

from .figure_boxes import FigureBoxes, usual_axes

MOST_NEW = 40
LIKE = "frame:"
Choices = list[tuple[str, list[tuple[str, str]]]]


def shapes(likely: list[Frame]) -> Choices:
    """What a new frame can be shaped like: the presets of each kind, and frames that are here."""
    presets = [
        (one.plural, [(key, label) for key, (label, made) in PRESETS.items() if made.kind == kind])
        for kind, one in FRAME_KINDS.items()
    ]
    here = [(f"{LIKE}{frame.pk}", f"like {frame}") for frame in likely]
    return [*presets, ("here", here)] if here else presets


class FrameRow(FigureBoxes):
    """One new frame. A row in which nothing was written is no frame."""

    like = forms.ChoiceField(label="shape", initial=FRAME_KINDS[FIRST_KIND].preset)
    maker = forms.CharField(label="maker", max_length=60, required=False)
    model = forms.CharField(label="model", max_length=60, required=False)
    serial = forms.CharField(label="mark", max_length=40, required=False)
    axis = forms.CharField(label="about", max_length=30, required=False)
    condition = forms.ChoiceField(
        label="read", choices=Condition.choices, initial=Condition.AS_PLAYED.value
    )
    arrived = forms.CharField(label="condition on arrival", max_length=200, required=False)
    refused = forms.CharField(label="refused, because", max_length=200, required=False)
    is_told = forms.BooleanField(label="told", required=False)
    photos = forms.CharField(max_length=200, required=False, widget=forms.HiddenInput)

    def __init__(self, *args: Any, choices: Choices, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        choose(self, "like", choices)
        self.fields["swing_kgcm2"].label = "swing weight"
        self.fields["axis"].widget.attrs |= {
            "autocomplete": "off", "data-unit": unit_word(the_reader().length),
            "placeholder": usual_axes(),
        }  # fmt: skip
        for name in ("maker", "model", "serial", "arrived", "refused"):
            self.fields[name].widget.attrs |= {"autocomplete": "off"}

    @property
    def cells(self) -> list[forms.BoundField]:
        """In the order of a list of frames, so that one pasted from a spreadsheet falls right."""
        names = ("like", "maker", "model", "serial", "mass_g", "balance_mm", "swing_kgcm2",
                 "axis", "twist_kgcm2", "condition", "arrived", "refused")  # fmt: skip
        return [self[name] for name in names]

    @property
    def is_blank(self) -> bool:
        about = ("maker", "condition", "like", "confirm", "is_told", "axis")
        return not any(self[name].value() for name in self.fields if name not in about)

    @property
    def photo_keys(self) -> list[str]:
        return [key for key in str(self["photos"].value() or "").split(",") if key]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if self.is_blank or "like" in self.errors:
            return cleaned
        if not cleaned.get("model"):
            self.add_error("model", "What model is it? Write any name.")
        self.frame = self._frame(cleaned)
        self.given = self.read_given(self.frame, cleaned)
        if self.given and not self.errors:
            confirmed = bool(cleaned.get("confirm"))
            self.judge_given(self.frame, self.given, cleaned["condition"], None, confirmed)
        return cleaned

    def _frame(self, cleaned: dict[str, Any]) -> Frame:
        """As it would be, not yet kept."""
        names = ("maker", "model", "serial")
        made = Frame(**{name: cleaned.get(name, "") for name in names})
        like = cleaned["like"]
        self.like_frame = None
        if like.startswith(LIKE):
            self.like_frame = Frame.live.get(pk=int(like.removeprefix(LIKE)))
            made.set_outline(self.like_frame.outline())
            for name in ("holes_mm", "typed", "is_foam"):
                setattr(made, name, getattr(self.like_frame, name))
        else:
            made.set_outline(PRESETS[like][1])
        if not made.is_strung and cleaned.get("condition") == Condition.STRUNG:
            self.add_error("condition", f"A {made.kind} has no strings.")
        return made

    def save(self, player: Person, user: Any) -> Frame:
        """The frame, what is on it as on the one it is like, and its figures."""
        frame = self.frame
        frame.player = player
        frame.save()
        if self.like_frame:
            for part in self.like_frame.parts.filter(taken_off_at=None, replaced_by=None):
                # As heavy as the other's, but not the one that was weighed.
                u_g = max(part.u_g, PARTS[part.kind].mass_u) if part.is_weighed else part.u_g
                FittedPart.objects.create(
                    frame=frame, kind=part.kind, name=part.name, gauge_mm=part.gauge_mm,
                    mass_g=part.mass_g, u_g=u_g, from_mm=part.from_mm, to_mm=part.to_mm,
                )  # fmt: skip
        cleaned = self.cleaned_data
        keep_reported(
            frame, self.given, cleaned["condition"], user, self.doubted, cleaned["is_told"]
        )
        return frame


class Rows(forms.BaseFormSet):
    """Every row, judged by itself: one at fault leaves the others as they are."""

    @property
    def written(self) -> list[FrameRow]:
        return [row for row in self.forms if not row.is_blank]

    def clean(self) -> None:
        named: dict[tuple[str, str], FrameRow] = {}
        for row in self.written:
            texts = (str(row[name].value() or "").strip().lower() for name in ("model", "serial"))
            model, serial = texts
            if serial and (model, serial) in named:
                row.add_error("serial", "Two frames here have this mark: tell them apart.")
            named[model, serial] = row


NewFrames = cast(
    type[Rows],
    forms.formset_factory(FrameRow, formset=Rows, extra=1, max_num=MOST_NEW, absolute_max=MOST_NEW),
)
