"""Mass on the centre line: putty or silicone in the handle, strips inside the butt cap."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.reader import translated

from . import cautions
from .body import Body
from .materials import is_set_in
from .piece import Cover, Shape, Stretch
from .work import CUT, Task, WorkPlace

CAP_ON = "Cap on, the cap weighed with the rest."


@dataclass(frozen=True, slots=True, kw_only=True)
class Plug(Stretch):
    """Even along x. Packed longer, putty keeps its grams."""

    keeps_grams: ClassVar[bool] = True
    place_u_mm: ClassVar[float] = 4.0  # putty is pushed in, not measured
    is_at_the_hand: ClassVar[bool] = True
    is_dosed: ClassVar[bool] = True

    kind: Literal["plug"] = "plug"

    def unit(self, outline: Outline) -> Body:
        return self.even(0.0, 0.0)

    def words(self, outline: Outline) -> str:
        if self.is_cap:
            return translated("Butt cap")
        held = self.to_mm <= outline.handle_length_mm
        return translated("Inside the handle" if held else "On the centre line")

    def shape(self, outline: Outline) -> Shape:
        r, x0, x1 = outline.handle_radius_mm, self.from_mm, self.to_mm
        badge = (((x0 + x1) / 2, -r), (0.0, -1.0))
        return Shape(
            (((x0, 0.0), (x1, 0.0)),), r, (badge,), (("start", (x0, 0.0)), ("end", (x1, 0.0)))
        )

    def cover(self, outline: Outline) -> Cover:
        return {"handle": ((self.from_mm, self.to_mm),)}

    @property
    def is_cap(self) -> bool:
        """Whether it is what another butt cap weighs more, or less, than the one that is on."""
        return "butt cap" in (self.material or "").lower()

    @property
    def needs_cavity(self) -> bool:
        """Whether it needs a handle that is hollow."""
        return self.mass_g > 0 and not self.is_cap and is_set_in(self.material)

    def cautions(self) -> tuple[str, ...]:
        stays = self.mass_g > 0 and "silicone" in (self.material or "").lower()
        return ((cautions.SILICONE,) if stays else ()) + Stretch.cautions(self)

    @property
    def order(self) -> tuple[int, float]:
        return 0, 0.0

    def put_on(self, at: WorkPlace) -> Task:
        if self.is_cap:
            return self._swap(at)
        known = at.shelf.get(self.material or "")
        kind = known.kind if known else "putty"
        span = f"{at.length(self.from_mm, self.to_mm)} from the butt"
        grams = at.mass(self.mass_g)
        if kind == "silicone":
            lines = (
                "Cap off. Weigh the frame on the scale, set it to zero.",
                (
                    f"Inject until it reads {grams}, spread {span}; cotton behind it so"
                    " that it stays."
                ),
                CAP_ON,
            )
        elif kind in CUT:
            lines = (
                (
                    "Cap off, strips laid on the inside of the cap side by side: the handle is"
                    " filled with foam."
                ),
                f"{grams} in total, pressed down with a roller.",
                CAP_ON,
            )
        else:
            lines = (
                f"Cap off. Roll {grams} to fit, press it to the wall {span}.",
                "Cotton before and behind it against rattle. Shake it: nothing may knock.",
                CAP_ON,
            )
        title = f"{grams} of {self.material or 'putty'} in the handle"
        care = (cautions.SOLVENT,) if kind == "silicone" else ()
        if at.is_foam and self.needs_cavity:
            care = (cautions.FOAM, *care)
        return Task(title, lines, self.cautions() + care, minutes=8)

    def taken_off(self, at: WorkPlace) -> Task:
        return self._swap(at) if self.is_cap else Stretch.taken_off(self, at)

    def _swap(self, at: WorkPlace) -> Task:
        by = "lighter" if self.mass_g < 0 else "heavier"
        lines = (
            "Grip back by three fingers. Stapled: draw the staples; trap door: open it; moulded on:"
            " it does not come off, so put the grams under the grip.",
            f"Weigh both caps: the new one must be {at.mass(abs(self.mass_g))} {by}.",
            "The same size and flare, on square and tight; the grip back over its edge.",
        )
        return Task(f"Swap the butt cap, {by} by {at.mass(abs(self.mass_g))}", lines, minutes=10)
