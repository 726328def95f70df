"""The places of a frame that a recipe may use: the usual ones, those the shop named for itself, and
those somebody typed as they say them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from kentrobar.core.errors import UnreadableError
from kentrobar.core.geometry.kinds import FRAME_KINDS, default_outline
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.places import LONGEST_NAME, read_places
from kentrobar.core.pieces.sites import STRINGS_IN, Access
from kentrobar.core.recipes.brief import Site
from kentrobar.core.recipes.usual import usual_sites
from kentrobar.ui.looking import cached_per_request
from kentrobar.ui.request import Request
from kentrobar.ui.undo import remove

from .models import Place

TYPICAL_HOLES = tuple(20.0 * hole for hole in range(1, 20))
"""To judge a place of the shop by, which may be said by holes of a frame that is not here yet."""


def sites_of(
    outline: Outline,
    said: Iterable[str] = (),
    access: Access = STRINGS_IN,
) -> dict[str, Site]:
    """Every place of a frame by its key: usual, the shop's own, as somebody ``said``. What this
    frame does not have is left out."""
    found = usual_sites(outline, access)
    own = own_places(outline, access)
    for text in said:
        try:
            found |= as_said(text, outline, access, own)
        except UnreadableError:
            continue  # of a set, another frame has it
    return found | own


def as_said(
    text: str,
    outline: Outline,
    access: Access = STRINGS_IN,
    own: dict[str, Site] | None = None,
) -> dict[str, Site]:
    """The places a text names. Raises UnreadableError."""
    own = own_places(outline, access) if own is None else own
    low = " ".join(text.lower().split())
    named = {key: site for key, site in own.items() if site.name.lower() == low}
    return named or read_places(text, outline, access)


def own_places(outline: Outline, access: Access = STRINGS_IN) -> dict[str, Site]:
    """The shop's own places, as this frame has them."""
    found: dict[str, Site] = {}
    for row in _rows():
        if row.kind != outline.kind:
            continue
        try:
            sites = read_places(row.said, outline, access)
        except UnreadableError:
            continue  # said by holes, which this frame does not tell
        for i, site in enumerate(sites.values()):
            name = row.name if len(sites) == 1 else f"{row.name}: {site.name.lower()}"
            found[f"own-{row.pk}-{i}"] = replace(site, name=name)
    return found


@cached_per_request
def _rows() -> list[Place]:
    return list(Place.live.all())


class PlaceForm(forms.ModelForm):
    class Meta:
        model = Place
        fields = ("name", "kind", "said")
        labels = {"name": "name", "kind": "on a", "said": "where, as you say it"}

    def __init__(self, data: Any = None) -> None:
        super().__init__(data, auto_id="p-%s")
        kinds = [(key, one.label) for key, one in FRAME_KINDS.items()]
        self.fields["kind"] = forms.ChoiceField(choices=kinds, label="on a")
        self.fields["said"].widget.attrs["placeholder"] = "21 in up, inside, under the grommets"

    def clean(self) -> dict[str, Any]:
        cleaned: dict[str, Any] = super().clean() or {}
        kind, said, name = (cleaned.get(box, "") for box in ("kind", "said", "name"))
        if kind and said:
            access = Access(holes_mm=TYPICAL_HOLES if FRAME_KINDS[kind].is_strung else ())
            try:
                read_places(said, default_outline(kind), access)
            except UnreadableError as error:
                self.add_error("said", str(error))
        there = {one.name.lower() for one in _rows() if one.kind == kind}
        usual = (
            {one.name.lower() for one in usual_sites(default_outline(kind)).values()}
            if kind
            else set()
        )
        if name and name.lower() in there | usual:
            self.add_error("name", f"There is a place “{name}” already.")
        return cleaned


@require_http_methods(["GET", "HEAD", "POST"])
def places(request: Request) -> HttpResponse:
    """The shop's own places, and the form of another."""
    form = PlaceForm(request.POST if request.method == "POST" else None)
    if form.is_bound and form.is_valid():
        form.save()
        return redirect("places")
    rows = [(one, FRAME_KINDS[one.kind].label) for one in _rows() if one.kind in FRAME_KINDS]
    context = {"form": form, "rows": rows}
    return render(request, "recipes/places.html", context, status=422 if form.errors else 200)


@require_POST
def drop(request: Request, pk: int) -> HttpResponse:
    one = get_object_or_404(Place.live, pk=pk)
    remove(request, one, one.name)
    return redirect("places")


class PlaceBox(forms.CharField):
    """A place typed as somebody says it. Its clean value is (text, sites), or None where empty."""

    def __init__(self, outline: Outline, access: Access) -> None:
        super().__init__(label="another place", required=False, max_length=LONGEST_NAME)
        self.outline, self.access = outline, access
        near = "21 in up, inside" if outline.is_strung else "bottom corners, on the face"
        self.widget.attrs |= {"placeholder": near, "autocomplete": "off"}

    def clean(self, value: str) -> Any:
        text = super().clean(value)
        if not text:
            return None
        try:
            return text, as_said(text, self.outline, self.access)
        except UnreadableError as error:
            raise forms.ValidationError(str(error)) from None
