"""What a wish and a set are asked alike: sites, parts, materials, school, places out of sight."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django import forms
from django.http import QueryDict

from kentrobar.core.recipes.brief import PartSite, Site
from kentrobar.ui.forms import choose

from .asked import on_shelf

SCHOOLS = [
    ("swing", "swing weight first"),
    ("balance", "balance, then weight, then the head"),
    ("inertia", "weight, balance and recoil together"),
]


class KitForm(forms.Form):
    """What may be used, and what comes first."""

    sites = forms.MultipleChoiceField(required=False)
    parts = forms.MultipleChoiceField(required=False, widget=forms.CheckboxSelectMultiple)
    materials = forms.MultipleChoiceField(required=False, widget=forms.CheckboxSelectMultiple)
    priority = forms.ChoiceField(label="what comes first", choices=SCHOOLS)
    hidden_only = forms.BooleanField(label="hidden places only", required=False)
    bumper_stays = forms.BooleanField(label="the bumper stays on", required=False)
    strings_out = forms.BooleanField(label="to be restrung", required=False)

    def gather(self, sites: Mapping[str, Site], parts: Sequence[PartSite]) -> None:
        """What there is to choose from. Call before the form is made."""
        self.all_sites, self.lighter, self.on_shelf = sites, parts, on_shelf()

    def posted(self, data: QueryDict) -> QueryDict:
        """What was posted; what was switched on and is no longer there is left out, not a fault."""
        data = data.copy()
        for name, there in (
            ("parts", {part.name for part in self.lighter}), ("materials", set(self.on_shelf)),
        ):  # fmt: skip
            data.setlist(name, [one for one in data.getlist(name) if one in there])
        return data

    def offer(self) -> None:
        """Put what there is to choose from into the boxes."""
        choose(self, "sites", [(key, site.name) for key, site in self.all_sites.items()])
        choose(self, "materials", [(name, name) for name in self.on_shelf])
        choose(self, "parts", [(part.name, part.name) for part in self.lighter])

    def with_place(self, before: Sequence[str]) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """(keys of the sites that are on, texts of typed places) with the one that was typed now.
        Call after ``is_valid``."""
        sites, said = tuple(self.cleaned_data["sites"]), self.cleaned_data.get("place")
        if said is None:
            return sites, tuple(before)
        text, found = said
        return tuple(dict.fromkeys((*sites, *found))), tuple(dict.fromkeys((*before, text)))

    @property
    def sites_on(self) -> tuple[str, ...]:
        return tuple(self["sites"].value() or ())
