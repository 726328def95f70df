"""What is wished, as typed: goals in words, sites, lengths, places to keep free, materials,
school."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from django import forms
from django.http import QueryDict

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.frame.typical import usual_twist
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.wishes import UNREAD, read_goal, say_goal
from kentrobar.core.numbers import nominal
from kentrobar.core.quantities import FIGURES, figure, known, plain_figures
from kentrobar.core.reader import length_number, the_reader
from kentrobar.core.recipes.brief import (
    Goal,
    PartSite,
    PlugSite,
    Site,
    StripSite,
    ThroatSite,
    plain_body,
)
from kentrobar.core.recipes.site_words import site_words
from kentrobar.core.words import Message
from kentrobar.core.words.amounts import Amount, gap
from kentrobar.ui.forms import choose, first_fault

from .aims import PULLS, Aim, SiteRow, pulled
from .asked import Asked, Base, chosen_base
from .kit_form import KitForm
from .limited import FLAGS, Limited, SiteWish
from .places import PlaceBox


class WishForm(KitForm):
    """A wish, and what the frame allows. ``asked`` and ``limited`` are what was so before."""

    base = forms.ChoiceField(label="starts from")
    most = forms.CharField(label="added at most", required=False, max_length=20)

    def __init__(
        self,
        asked: Asked,
        limited: Limited,
        bases: list[Base],
        parts: list[PartSite],
        outline: Outline,
        data: QueryDict | None = None,
    ) -> None:
        self.asked, self.limited, self.bases, self.outline = asked, limited, bases, outline
        self.axis = the_reader().axis_mm(outline.kind)
        condition = chosen_base(bases, asked.base).state.condition
        self.gather(limited.sites(outline, condition, asked.places), parts)
        super().__init__(self._posted(data), auto_id="wish-%s", initial=self._initial())
        choose(self, "base", [(base.key, base.label) for base in bases])
        self.fields["place"] = PlaceBox(outline, limited.access(condition))
        self.offer()
        for name in FIGURES:
            self.fields[f"goal-{name}"] = forms.CharField(
                label=FIGURES[name].title, required=False, max_length=60
            )
            old = asked.goals.get(name)
            # A tolerance by itself is read as a length, also where balances are shown in points.
            as_length = "length" if name == "balance_mm" else name
            held = gap(as_length, old.tol if old else FIGURES[name].tol)
            if name == "balance_mm" and the_reader().balance != "length":
                held += f" {the_reader().length}"
            # What a wish without a tolerance will be held to is said before it is asked.
            self.fields[f"goal-{name}"].widget.attrs |= {
                "placeholder": f"free, or ± {held}",
                "autocomplete": "off",
            }
        for key, site in self.all_sites.items():
            if isinstance(site, StripSite) or (
                isinstance(site, PlugSite) and site.filling == "foam"
            ):
                self.fields[f"most-{key}"] = forms.CharField(
                    label="at most", required=False, max_length=20
                )
            if isinstance(site, StripSite):
                self.fields[f"free-{key}"] = forms.CharField(
                    label="keep free", required=False, max_length=80
                )
        self.fields["most"].widget.attrs |= {"placeholder": "any", "autocomplete": "off"}

    def _posted(self, data: QueryDict | None) -> QueryDict | None:
        """What was posted, a pulled vial turned into words; what is no longer there left out."""
        if data is None:
            return None
        data = self.posted(data)
        for name in FIGURES:
            at, stood = data.get(f"at-{name}"), data.get(f"stood-{name}")
            if at is not None and at != stood and re.fullmatch(r"-?\d{1,3}", at):
                old = self.asked.goals.get(name)
                data[f"goal-{name}"] = pulled(name, int(at), old.tol if old else None, self.axis)
        return data

    def _initial(self) -> dict[str, Any]:
        asked = self.asked
        initial: dict[str, Any] = {
            "base": chosen_base(self.bases, asked.base).key,
            "sites": asked.sites,
            "parts": asked.parts,
            "materials": asked.materials,
            "priority": asked.priority,
            "hidden_only": self.limited.hidden_only,
            "bumper_stays": self.limited.bumper_stays,
            "strings_out": self.limited.strings_out,
            "most": "" if asked.most_g is None else Amount("mass_g", asked.most_g).told(),
        }
        for name, goal in asked.goals.items():
            initial[f"goal-{name}"] = say_goal(name, goal, self.axis)
        for key, wish in self.limited.site_wishes.items():
            if wish.most_mm:
                initial[f"most-{key}"] = length_number(wish.most_mm)
            initial[f"free-{key}"] = "; ".join(
                f"{length_number(low)} to {length_number(high)}" for low, high in wish.keep_out_mm
            )
        return initial

    # --- reading ---

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        cleaned["goals"] = {}
        for name in FIGURES:
            text = (cleaned.get(f"goal-{name}") or "").strip()
            if text and (goal := self._goal(name, text)):
                cleaned["goals"][name] = goal
        cleaned["site_wishes"] = {}
        for key, site in self.all_sites.items():
            wish = SiteWish(self._most(key, site), self._kept_free(key))
            if wish != SiteWish():
                cleaned["site_wishes"][key] = wish
        cleaned["most_g"] = self._most_g()
        return cleaned

    def _goal(self, name: str, text: str) -> Goal | None:
        field = f"goal-{name}"
        old = self.asked.goals.get(name)
        if old and text == self.initial.get(field):
            return old
        if text.lower() == "free":  # as an empty box says
            return None
        try:
            goal = read_goal(
                name, text, self.outline.length_mm, self.axis,
                old.tol if old else None, self._now_or_usual(name),
            )  # fmt: skip
        except UnreadableError as error:
            self.add_error(field, str(error))
            return None
        if goal.value is not None and self._read_now(name) is None:
            self.add_error(field, UNREAD)
            return None
        if self._read_now(name) is None:
            return goal
        if goal.change is not None and self._value(name, goal) <= 0:
            self.add_error(field, f"{text}: more than the frame has.")
            return None
        return goal

    def _read_now(self, name: str) -> float | None:
        """A figure as the frame has it; None where nobody read it."""
        measured = self.base_chosen.measured
        if name == "twist_kgcm2" and measured.twist_kgcm2 is None:
            return None
        return nominal(figure(name, measured.body(), self.axis))

    def _now_or_usual(self, name: str) -> float | None:
        """What per cent of a figure are counted of: as it is, else as it usually is."""
        now = self._read_now(name)
        if now is None and name == "twist_kgcm2":
            return usual_twist(self.base_chosen.measured, self.outline)
        return now

    def _is_as_shown(self, field: str) -> bool:
        """Whether a box still says what was shown: then what it stands for is kept, unrounded."""
        return (self.cleaned_data.get(field) or "").strip() == (self.initial.get(field) or "")

    def _most_g(self) -> float | None:
        if self._is_as_shown("most"):
            return self.asked.most_g
        most = self._read("most", lambda text: units.read_mass(text, the_reader().mass).value)
        if most is not None and most < 0:
            self.add_error("most", "Write how many grams may be added at most, or leave it empty.")
        return most

    def _most(self, key: str, site: Site) -> float | None:
        """The longest strip wished at a site, mm."""
        if self._is_as_shown(f"most-{key}"):
            return self.limited.site_wishes.get(key, SiteWish()).most_mm
        most = self._read(
            f"most-{key}", lambda text: units.read_length(text, the_reader().length).value
        )
        if most is None:
            return None
        longest = 2000.0
        if isinstance(site, StripSite):
            longest = self.outline.path(site.line).length / (2 if site.mirror else 1)
        if not 3 <= most <= longest:
            unit = the_reader().length
            least, top = length_number(3.0), length_number(longest)
            self.add_error(f"most-{key}", f"Strips here are {least} to {top} {unit} long.")
            return None
        return most

    def _kept_free(self, key: str) -> tuple[tuple[float, float], ...]:
        """Stretches to keep free, from the site's centre: ``-8 to 8; 20 to 30``."""
        field = f"free-{key}"
        if self._is_as_shown(field):
            return self.limited.site_wishes.get(key, SiteWish()).keep_out_mm
        found = []
        for stretch in re.split(r"[;\n]", self.cleaned_data.get(field) or ""):
            if not stretch.strip():
                continue
            ends = re.split(r"\s+to\s+|…|\s+[-–]\s+", stretch.strip())
            try:
                low, high = (
                    units.read_length(end.replace("−", "-"), the_reader().length).value
                    for end in ends
                )
            except (UnreadableError, ValueError):
                self.add_error(
                    field, f"“{stretch.strip()}”: write from where to where, like −8 to 8."
                )
                return ()
            if not low < high:
                self.add_error(field, f"“{stretch.strip()}”: the end lies before the start.")
                return ()
            found.append((low, high))
        return tuple(found)

    def _read(self, field: str, reader: Any) -> float | None:
        text = (self.cleaned_data.get(field) or "").strip()
        if not text:
            return None
        try:
            return float(reader(text))
        except UnreadableError as error:
            self.add_error(field, str(error))
            return None

    def wish(self) -> Asked:
        """What is asked now. Call after ``is_valid``."""
        cleaned = self.cleaned_data
        sites, places = self.with_place(self.asked.places)
        return Asked(
            base=cleaned["base"], goals=cleaned["goals"], sites=sites, places=places,
            parts=tuple(cleaned["parts"]), materials=tuple(cleaned["materials"]),
            priority=cleaned["priority"], most_g=cleaned["most_g"], said=self.asked.said,
        )  # fmt: skip

    def limits(self) -> Limited:
        """What the frame allows now. Call after ``is_valid``."""
        flags = {name: self.cleaned_data[name] for name in FLAGS}
        wishes = {**self._out_of_sight(), **self.cleaned_data["site_wishes"]}
        return replace(self.limited, site_wishes=wishes, **flags)

    def _out_of_sight(self) -> dict[str, SiteWish]:
        """What was wished of sites that may not be used now: kept for when they may again."""
        kept = self.limited.site_wishes.items()
        return {key: wish for key, wish in kept if key not in self.all_sites}

    # --- showing ---

    @property
    def base_chosen(self) -> Base:
        return chosen_base(self.bases, self["base"].value() or "")

    @property
    def assumed(self) -> list[str]:
        """Figures of the base nobody has read yet, in words."""
        return [FIGURES[name].title.lower() for name in self.base_chosen.state.assumed]

    def aims(self) -> Iterator[Aim]:
        """The figures of the wish: what was typed, what it comes to, and where its vial stands."""
        measured = self.base_chosen.measured
        now = plain_figures(measured.body(), self.axis, known(measured.twist_kgcm2 is not None))
        for name in FIGURES:
            goal, value = self.asked.goals.get(name), now.get(name)
            fault = first_fault(self, f"goal-{name}") if self.is_bound else ""
            read, unit = "not measured", ""
            if value is not None:
                read, unit = Amount(name, nominal(value), length_mm=self.outline.length_mm).parts
            change = (
                self._value(name, goal) - self._now(name, goal)
                if goal and value is not None
                else 0.0
            )
            at = max(-PULLS, min(PULLS, round(change / FIGURES[name].pull)))
            yield Aim(
                name,
                FIGURES[name].title,
                self[f"goal-{name}"],
                at,
                self.said(name, goal) if value is not None else self._from_usual(name, goal),
                fault,
                f"{read} {unit}".strip(),
                goal is None,
                value is not None,
            )

    def _from_usual(self, name: str, goal: Goal | None) -> str:
        """Beside a wish for a figure nobody read: what it is counted of."""
        usual = self._now_or_usual(name)
        if goal is None or usual is None:
            return ""
        return f"from an assumed {Amount(name, usual).told()}"

    def _now(self, name: str, goal: Goal) -> float:
        axis = self.axis if goal.axis_mm is None else goal.axis_mm
        return nominal(figure(name, self.base_chosen.measured.body(), axis))

    def _value(self, name: str, goal: Goal) -> float:
        return (
            goal.value if goal.value is not None else self._now(name, goal) + (goal.change or 0.0)
        )

    def said(self, name: str, goal: Goal | None) -> str:
        """A goal the other way round: a value as a change, a change as a value."""
        if goal is None:
            return ""
        value = self._value(name, goal)
        if goal.value is None:
            text, unit = Amount(name, value, length_mm=self.outline.length_mm).parts
            return f"to {text} {unit}"
        return say_goal(name, Goal(change=value - self._now(name, goal), tol=goal.tol), self.axis)

    @property
    def has_limits(self) -> bool:
        """Whether a length, a place to keep free or a foam handle was given, or given wrongly."""
        return bool(self.limited.site_wishes) or any(
            name.startswith(("most-", "free-")) for name in self.errors
        )

    def site_rows(self) -> Iterator[SiteRow]:
        on = self.sites_on
        for key, site in self.all_sites.items():
            most, free = (
                self[name] if (name := f"{box}-{key}") in self.fields else None
                for box in ("most", "free")
            )
            yield SiteRow(key, site.name, key in on, most, free, self._usual(site))

    def site_words(self) -> list[Message]:
        """What is worth knowing of the places that are chosen."""
        chosen = {key: site for key, site in self.all_sites.items() if key in self.sites_on}
        body = plain_body(self.base_chosen.measured)
        return list(site_words(chosen, self.outline, body, self.axis).values())

    def _usual(self, site: Site) -> str:
        """The longest strip there is taken where nothing is written."""
        longest = site.to_mm - site.from_mm if isinstance(site, ThroatSite) else site.max_length_mm  # type: ignore[union-attr]
        return length_number(longest)
