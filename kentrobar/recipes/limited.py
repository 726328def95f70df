"""What a frame itself allows at its sites; every wish and every set the frame is in keeps to it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from django.utils import timezone

from kentrobar.core.frame.condition import is_on
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.sites import Access
from kentrobar.core.recipes import usual as kit
from kentrobar.core.recipes.brief import PlugSite, Site, StripSite
from kentrobar.frames.models import Frame
from kentrobar.ui.looking import cached_per_request

from .models import Limits
from .places import sites_of


@dataclass(frozen=True, slots=True)
class SiteWish:
    """What is wished of one site: the longest strip (None: as usual), and stretches to keep free,
    mm."""

    most_mm: float | None = None
    keep_out_mm: tuple[tuple[float, float], ...] = ()


FLAGS = ("hidden_only", "bumper_stays", "strings_out")


@dataclass(frozen=True, slots=True)
class Limited:
    """What a frame itself allows: what is wished of its sites, whether only what nobody sees may be
    put on, whether the bumper guard stays where it is, and whether the strings come out."""

    site_wishes: Mapping[str, SiteWish] = field(default_factory=dict)
    hidden_only: bool = False
    bumper_stays: bool = False
    strings_out: bool = False
    is_foam: bool = False
    holes_mm: tuple[float, ...] = ()
    """Of the frame itself."""

    @classmethod
    @cached_per_request
    def of(cls, frame: Frame) -> Limited:
        row = Limits.objects.filter(frame=frame).first()
        content = row.content if row else {}
        wishes = {
            key: SiteWish(wish["most_mm"], tuple((low, high) for low, high in wish["keep_out_mm"]))
            for key, wish in content.get("site_wishes", {}).items()
        }
        flags = {name: content.get(name, False) for name in FLAGS}
        return cls(wishes, **flags, is_foam=frame.is_foam, holes_mm=tuple(frame.holes_mm))

    def keep(self, frame: Frame) -> None:
        if self != Limited.of(frame):
            Limits.objects.update_or_create(
                frame=frame, defaults={"content": self._content(), "changed_at": timezone.now()}
            )

    def _content(self) -> dict[str, Any]:
        content = asdict(self)
        return {name: one for name, one in content.items() if name not in ("is_foam", "holes_mm")}

    def allows(self, site: Site, outline: Outline) -> bool:
        return not (
            (self.hidden_only and not kit.hidden(site))
            or (self.bumper_stays and kit.under_the_bumper(site, outline))
        )

    def access(self, condition: str) -> Access:
        """What a hand can get at on the frame in a condition."""
        strings_in = is_on("strings", condition) and not self.strings_out
        return Access(strings_in, self.bumper_stays, self.is_foam, self.holes_mm)

    def sites(self, outline: Outline, condition: str, said: Iterable[str] = ()) -> dict[str, Site]:
        """Every place that may be used in a condition, as limited; those somebody ``said`` among
        them."""
        there = sites_of(outline, said, self.access(condition))
        found = {key: site for key, site in there.items() if self.allows(site, outline)}
        for key, wish in self.site_wishes.items():
            site = found.get(key)
            if isinstance(site, StripSite):
                most = min(wish.most_mm or site.max_length_mm, outline.path(site.line).length)
                found[key] = replace(site, max_length_mm=most, keep_out_mm=wish.keep_out_mm)
            elif isinstance(site, PlugSite) and wish.most_mm:
                found[key] = replace(site, max_length_mm=wish.most_mm)
        return found
