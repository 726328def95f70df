"""What the Plan view shows, worked out from a plan's state: vials, rows, totals, notices.

Only words and figures as the reader wants them; the sums are the core's.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from kentrobar.core.frame.notices import Notice, notices
from kentrobar.core.frame.predict import LadenFrame, Prediction, predict
from kentrobar.core.frame.targets import Level, level
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import nominal
from kentrobar.core.numbers import uncertainty as u_of
from kentrobar.core.pieces import starters
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.piece import CUT_MM, FINE_MM, SLIDE_MM, Piece
from kentrobar.core.quantities import FIGURES, READ, figure
from kentrobar.core.units import (
    LENGTH,
    MASS,
    POINT_MM,
    Shown,
    fixed,
    show_length,
    show_mass,
    show_percent,
    show_points,
)
from kentrobar.frames import fitted
from kentrobar.frames.models import Condition
from kentrobar.stock import shelf
from kentrobar.ui.by_key import ByKey

from . import desk
from .forms import PieceForm, TargetForm
from .models import Plan
from .state import State


@dataclass(frozen=True, slots=True)
class FigureVial(ByKey):
    """One figure: ``value unit``, its change, another way to say it, and its level."""

    name: str
    label: str
    value: str
    unit: str
    change: str
    aside: str
    level: Level
    word: str
    form: TargetForm
    is_fresh: bool
    is_known: bool = True
    is_assumed: bool = False

    @property
    def spoken(self) -> str:
        """The vial in words, for those who hear the page."""
        return f"{self.label} {self.value} {self.unit}, {self.word or self.change}"


@dataclass(frozen=True, slots=True)
class Row(ByKey):
    """One piece in the table, with its share of every figure."""

    number: int
    id: str
    name: str
    where: str
    material: str
    mass: str
    balance: str
    swing: str
    twist: str
    is_picked: bool
    is_off: bool


@dataclass
class Board:
    """Everything the Plan view shows of one plan at one moment."""

    plan: Plan
    state: State
    outline: Outline
    shown: Shown
    pick: str | None = None
    before: State | None = None
    said: str = ""
    was_refused: bool = False
    undo: str = ""
    redo: str = ""
    piece_form: PieceForm | None = None
    target_form: TargetForm | None = None

    def __post_init__(self) -> None:
        if self.pick and self.state.piece(self.pick) is None:
            self.pick = None
        if self.piece_form is None and self.picked is not None:
            self.piece_form = PieceForm(self.picked, self.outline, self.shown)

    @property
    def picked(self) -> Piece | None:
        return self.state.piece(self.pick) if self.pick else None

    @property
    def picked_number(self) -> int:
        return self.state.number(self.pick)

    @property
    def axis(self) -> float:
        return self.shown.axis_mm(self.outline.kind)

    @cached_property
    def prediction(self) -> Prediction:
        return predict(self._core)

    @cached_property
    def _core(self) -> LadenFrame:
        """The plan for the core, every strip as surely known as its roll."""
        return self.state.to_plan(self.outline, shelf.rolls(self.state.tapes))

    @property
    def condition(self) -> str:
        return Condition(self.state.condition).label

    @property
    def twist_known(self) -> bool:
        return self.state.measured.twist_kgcm2 is not None

    @property
    def assumed(self) -> list[str]:
        """Figures nobody has read yet, in words."""
        return [FIGURES[name].title.lower() for name in READ if name in self.state.assumed]

    @cached_property
    def notices(self) -> list[Notice]:
        return notices(self._core, self.prediction, self.axis)

    @property
    def newer(self) -> str:
        """What happened to the frame since its figures were read; asked for only where it is
        shown."""
        return desk.newer(self.plan, self.state)

    @property
    def short(self) -> list[str]:
        """What the plan needs more of than is left on the shelf, in words; nothing once it is on
        the frame."""
        on = [one.plan for one in fitted.fittings(self.plan.frame) if one.off_at is None]
        return [] if self.plan.pk in on else shelf.short(self.state.pieces)

    @property
    def picked_notices(self) -> list[Notice]:
        number = self.picked_number
        return [notice for notice in self.notices if number and notice.piece == number - 1]

    @property
    def steps(self) -> dict[str, float]:
        """How far one press slides or cuts, mm."""
        return {"slide": SLIDE_MM, "fine": FINE_MM, "cut": CUT_MM}

    @property
    def put_on(self) -> list[starters.Starter]:
        return starters.for_kind(starters.PUT_ON, self.outline)

    @property
    def take_off(self) -> list[starters.Starter]:
        return starters.for_kind(starters.TAKE_OFF, self.outline)

    # --- vials ---

    @cached_property
    def vials(self) -> list[FigureVial]:
        earlier = predict(self.before.to_plan(self.outline)).after.plain if self.before else None
        return [self._vial(name, earlier) for name in READ]

    @property
    def is_level(self) -> bool:
        """Whether there are targets and every one is met."""
        judged = [vial.level for vial in self.vials if vial.level.tol is not None]
        return bool(judged) and all(level.is_level for level in judged)

    def _vial(self, name: str, earlier: Body | None) -> FigureVial:
        prediction = self.prediction
        target = getattr(self.state.targets, name)
        is_known = self.twist_known or name != "twist_kgcm2"
        form = (
            self.target_form
            if self.target_form and self.target_form.name == name
            else TargetForm(name, self.state, self.outline, self.shown)
        )
        if not is_known:
            change = share_text("twist_kgcm2", nominal(prediction.added.twist_kgcm2), self.shown)
            free = Level(0.0, 0.0, None, None)
            aside = f"the pieces change it by {change}"
            return FigureVial(
                name,
                FIGURES[name].title,
                "not measured",
                "",
                "",
                aside,
                free,
                "",
                form,
                False,
                False,
            )
        now = figure(name, prediction.after, self.axis)
        was = figure(name, prediction.before.plain, self.axis)
        standing = level(name, prediction.before, prediction.after, target, self.axis)
        fresh = earlier is not None and self._moved(name, earlier)
        value, unit = figure_text(name, nominal(now), self.shown, self.outline)
        u = u_text(name, u_of(now) or 0.0, self.shown, self.outline)
        if u:
            unit = f"± {u} {unit}"
        assumed = name in self.state.assumed
        change = _change_text(name, nominal(now), nominal(was), self.shown, self.outline, assumed)
        word = level_word(name, standing, self.shown) if target else ""
        if target and target.axis_mm not in (None, self.axis):
            word += f" at {target.axis_mm:g} mm"
        return FigureVial(
            name,
            FIGURES[name].title,
            value,
            unit,
            change,
            self._aside(name),
            standing,
            word,
            form,
            fresh,
            is_assumed=assumed,
        )

    def _moved(self, name: str, earlier: Body) -> bool:
        then = figure(name, earlier, self.axis)
        return abs(figure(name, self.prediction.after.plain, self.axis) - then) > 0.004

    def _aside(self, name: str) -> str:
        """The same figure said another way."""
        after, before = self.prediction.after, self.prediction.before
        if name == "mass_g":
            other = "oz" if self.shown.mass == "g" else "g"
            return f"{show_mass(after.mass, other)} {other}"
        if name == "balance_mm":
            if self.shown.balance == "length":
                return self.points
            return f"{show_length(after.balance, self.shown.length)} {self.shown.length}"
        if name == "swing_kgcm2":
            return f"recoil {fixed(nominal(after.recoil_kgcm2), 1)}"
        change = nominal(after.twist / before.twist) * 100 - 100
        return f"{fixed(change, 1, True)} %"

    # --- the table ---

    @cached_property
    def rows(self) -> list[Row]:
        rows = []
        for number, share in enumerate(self.prediction.shares, 1):
            piece = share.piece
            rows.append(
                Row(
                    number,
                    piece.id or "",
                    piece.name(self.outline),
                    piece.where(self.shown),
                    (piece.material or "")
                    + (f", {piece.layers} layers" if (piece.layers or 1) > 1 else ""),
                    *self._share_texts(share.body, nominal(share.balance_mm)),
                    is_picked=piece.id == self.pick,
                    is_off=piece.mass_g < 0,
                )
            )
        return rows

    @property
    def total(self) -> tuple[str, ...]:
        """Mass, balance, swing and twist added in all."""
        moved = nominal(self.prediction.after.balance - self.prediction.before.balance)
        return self._share_texts(self.prediction.added, moved)

    def _share_texts(self, body: Body, balance_mm: float) -> tuple[str, str, str, str]:
        return (
            share_text("mass_g", nominal(body.mass), self.shown),
            share_text("balance_mm", balance_mm, self.shown),
            share_text("swing_kgcm2", nominal(body.swing_kgcm2(self.axis)), self.shown),
            share_text("twist_kgcm2", nominal(body.twist_kgcm2), self.shown),
        )

    @property
    def balance_unit(self) -> str:
        """What changes of balance are told in: % of length serves a balance, not a change of
        one."""
        return "pt" if self.shown.balance == "pt" else self.shown.length

    @property
    def points(self) -> str:
        """The balance as people of this sport say it: points for rackets, % of length for
        paddles."""
        if self.outline.kind == "paddle":
            return show_percent(self.prediction.after.balance, self.outline.length_mm)
        return show_points(self.prediction.after.balance, self.outline.length_mm)

    @property
    def recoil(self) -> str:
        return fixed(nominal(self.prediction.after.recoil_kgcm2), 1)

    @property
    def spin(self) -> str:
        if not self.twist_known:
            return ""
        return fixed(nominal(self.prediction.after.spin_kgcm2(self.axis)), 1)


def figure_text(name: str, value: float, shown: Shown, outline: Outline) -> tuple[str, str]:
    if name == "mass_g":
        return show_mass(value, shown.mass), shown.mass
    if name == "balance_mm":
        if shown.balance == "pt":
            words = show_points(value, outline.length_mm)
            number, _, rest = words.partition(" ")
            return number, rest or "balance"
        if shown.balance == "%":
            return show_percent(value, outline.length_mm).split(" ")[0], "% of length"
        return show_length(value, shown.length), shown.length
    return fixed(value, FIGURES[name].places), "kg·cm²"


def share_text(name: str, value: float, shown: Shown) -> str:
    """A signed change in the unit of its column."""
    if name == "mass_g":
        return fixed(value / MASS[shown.mass], 3 if shown.mass == "oz" else 2, True)
    if name == "balance_mm":
        if shown.balance == "pt":
            # Fewer millimetres are more points head-light.
            return fixed(-value / POINT_MM, 2, True)
        return fixed(value / LENGTH[shown.length], {"mm": 1, "cm": 2, "in": 3}[shown.length], True)
    return fixed(value, 2, True)


def _change_text(
    name: str, now: float, was: float, shown: Shown, outline: Outline, is_assumed: bool
) -> str:
    if abs(now - was) < 1e-9:
        return "assumed, not read" if is_assumed else "as measured"
    old, _ = figure_text(name, was, shown, outline)
    if is_assumed:
        old = f"an assumed {old}"
    if name == "balance_mm" and shown.balance == "%":
        return f"{fixed((now - was) / outline.length_mm * 100, 1, True)} from {old}"
    return f"{share_text(name, now - was, shown)} from {old}"


def u_text(name: str, u: float, shown: Shown, outline: Outline) -> str:
    """One standard uncertainty in the unit its figure is shown in, '' where it is below the last
    digit of that."""
    if name == "mass_g":
        u, least = u / MASS[shown.mass], 0.005 if shown.mass == "oz" else 0.05
    elif name == "balance_mm":
        whole = {"pt": POINT_MM, "%": outline.length_mm / 100}
        u /= whole.get(shown.balance, LENGTH[shown.length])
        least = 0.05 if shown.balance_unit in ("mm", "pt", "%") else 0.005
    else:
        least = 0.005 if name == "twist_kgcm2" else 0.05
    return f"{u:.2g}" if u >= least else ""


def level_word(name: str, standing: Level, shown: Shown) -> str:
    if standing.is_level:
        return "on target"
    if name == "balance_mm":
        amount = f"{show_length(abs(standing.off), shown.length)} {shown.length}"
        return f"{amount} too {'far up' if standing.off > 0 else 'far back'}"
    if name == "mass_g":
        return f"{show_mass(abs(standing.off), shown.mass)} {shown.mass} {_side(standing)}"
    return f"{fixed(abs(standing.off), 2 if name == 'twist_kgcm2' else 1)} {_side(standing)}"


def _side(standing: Level) -> str:
    return "over" if standing.off > 0 else "under"
