"""What the Plan view shows, worked out from a plan's state: vials, rows, totals, notices.

Only words and figures as the reader wants them; the sums are the core's.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

from kentrobar.core.frame.condition import Part, is_on
from kentrobar.core.frame.notices import Notice, notices
from kentrobar.core.frame.predict import LadenFrame, Prediction, body_after, predict
from kentrobar.core.frame.standing import standing
from kentrobar.core.frame.targets import Level, Target, level
from kentrobar.core.geometry.kinds import kind_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import nominal
from kentrobar.core.numbers import uncertainty as u_of
from kentrobar.core.pieces import starters
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.cutting import cut_text, grams_of, wanted_of
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.pieces.piece import CUT_MM, FINE_MM, SLIDE_MM, Piece
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.quantities import FIGURES, READ, figure
from kentrobar.core.reader import (
    axis_text,
    fixed,
    in_points,
    length_text,
    mass_text,
    percent_of_length,
    the_reader,
)
from kentrobar.core.words import message
from kentrobar.core.words.amounts import Amount, change_of, mass_in_other_unit
from kentrobar.frames import above, fitted
from kentrobar.frames.above import SetTargets
from kentrobar.frames.choices import Condition
from kentrobar.frames.models import Person, read_in_shop
from kentrobar.stock import shelf
from kentrobar.ui.formatting import change_text, level_word

from . import desk
from .forms import PieceForm, TargetForm, wanted_text
from .hand import Hand
from .models import Plan
from .state import PlanState


@dataclass(frozen=True, slots=True)
class FigureVial:
    """One figure: ``value unit``, its change, another way to say it, and its level."""

    name: str
    label: str
    value: str
    unit: str
    change: str
    aside: str
    level: Level
    word: str
    aim: str
    """Its target as it stands in its box."""
    fault: str
    """What is wrong with that."""
    set_href: str
    """The set that decides it, where one does."""
    is_fresh: bool
    is_known: bool = True
    is_assumed: bool = False

    @property
    def spoken(self) -> str:
        """The vial in words, for those who hear the page."""
        return f"{self.label} {self.value} {self.unit}, {self.word or self.change}"


@dataclass(frozen=True, slots=True)
class PieceRow:
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
    state: PlanState
    outline: Outline
    pick: str | None = None
    before: PlanState | None = None
    said: str = ""
    was_refused: bool = False
    undo: str = ""
    redo: str = ""
    piece_form: PieceForm | None = None
    target_form: TargetForm | None = None
    hand: Hand = field(default_factory=Hand)

    def __post_init__(self) -> None:
        if self.pick and self.state.piece(self.pick) is None:
            self.pick = None
        if self.piece_form is None and self.picked is not None:
            self.piece_form = PieceForm(self.picked, self.outline, hand=self.hand)

    @property
    def picked(self) -> Piece | None:
        return self.state.piece(self.pick) if self.pick else None

    @property
    def picked_number(self) -> int:
        return self.state.number(self.pick)

    @property
    def axis(self) -> float:
        return the_reader().axis_mm(self.outline.kind)

    @cached_property
    def prediction(self) -> Prediction:
        return predict(self._core)

    @cached_property
    def _core(self) -> LadenFrame:
        """The plan for the core, every strip as surely known as its roll."""
        return self.state.to_plan(self.outline, self.hand.rolls(self.state.tapes))

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
        return notices(
            self._core, self.prediction, self.axis, self.plan.frame.is_foam, self._strings
        )

    @cached_property
    def standings(self) -> list[tuple[float, str]]:
        """How the planned figures stand among such frames, and whether they suit the player."""
        frame = self.plan.frame
        own = read_in_shop(frame.kind, self.state.condition, self.axis)
        found = standing(self.outline, self.prediction.after.plain, self.axis, own)
        told = [(one.share, str(one.message)) for one in found]
        demanding = [FIGURES[one.figure].label for one in found if one.is_demanding]
        player = frame.player
        if player and demanding and player.level in (Person.Level.JUNIOR, Person.Level.CLUB):
            words = " and ".join(demanding).capitalize()
            level = player.get_level_display()
            said = message("level", figures=words, player=player.name, level=level)
            told.append((1.0, str(said)))
        return told

    @property
    def _strings(self) -> Body | None:
        """What is strung into it yet, as noted or as usual; None where the plan has its strings, or
        needs none."""
        has_strings = any(piece.kind == "strings" for piece in self.state.pieces)
        if not self.outline.is_strung or is_on("strings", self.state.condition) or has_strings:
            return None
        noted = (part for part in self.plan.frame.all_parts() if part.kind == "strings")
        part = next((one.core() for one in noted if one.was_on(None)), None)
        return (part or Part(kind="strings", mass_g=PARTS["strings"].grams[1])).body(self.outline)

    @cached_property
    def since(self) -> tuple[str, str]:
        """What happened to the frame since its figures were read, and what is counted in; asked for
        only where it is shown."""
        return desk.since(self.plan, self.state)

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
    def other_ways(self) -> list[tuple[str, str]]:
        """(key, words) of other ways to cut the grams of the strip in hand, where it lies in layers
        or is longer than is usual there."""
        piece = self.picked
        if piece is None or piece.weighed or not piece.strips()[1]:
            return []
        length, _ = piece.tape()
        if (piece.layers or 1) == 1 and length <= piece.room_mm(self.outline):
            return []
        found = []
        for way in self.hand.ways(piece, wanted_of(piece), self.outline):
            layers = way.piece.layers or 1
            if way.piece.tape() == piece.tape():
                continue
            found.append((f"{way.length_mm:.2f} {layers}", cut_text(way.piece)))
        return found

    @property
    def cut_words(self) -> str:
        """What grams and cut of the strip in hand say of one another."""
        piece = self.picked
        if piece is None or not piece.strips()[1]:
            return ""
        roll = self.hand.roll(piece.material)
        if roll is None:
            tape = piece.material or "this tape"
            return f"No weight per length is known of {tape}: its grams stand as typed."
        if piece.weighed:
            of_roll = Amount("mass_g", grams_of(piece, roll)).fine()
            return f"Weighed {mass_text(piece.mass_g)}; the roll says {of_roll}."
        if piece.wanted_g is not None:
            return wanted_text(piece)
        return ""

    @property
    def steps(self) -> dict[str, float]:
        """How far one press slides or cuts, mm."""
        return {"slide_mm": SLIDE_MM, "fine_mm": FINE_MM, "cut_mm": CUT_MM}

    @property
    def put_on(self) -> list[starters.Starter]:
        return starters.for_kind(starters.PUT_ON, self.outline)

    @property
    def take_off(self) -> list[starters.Starter]:
        return starters.for_kind(starters.TAKE_OFF, self.outline)

    @property
    def swap(self) -> list[starters.Starter]:
        return starters.for_kind(starters.SWAP, self.outline)

    @property
    def needs_cavity(self) -> bool:
        """Whether the piece in hand needs a hollow handle."""
        return isinstance(self.picked, Plug) and self.picked.needs_cavity

    # --- vials ---

    @cached_property
    def by_set(self) -> SetTargets:
        return above.rooms().set_targets(self.plan) if self.state.of_set else SetTargets()

    def target(self, name: str) -> Target | None:
        """What a figure is to reach: what the plan's set leaves it, else its own target."""
        own: Target | None = getattr(self.state.targets, name)
        return self.by_set.targets.get(name, own)

    def set_href(self, name: str) -> str:
        return self.by_set.href if name in self.by_set.targets else ""

    @cached_property
    def vials(self) -> list[FigureVial]:
        earlier = body_after(self.before.to_plan(self.outline)) if self.before else None
        return [self._vial(name, earlier) for name in READ]

    @property
    def is_level(self) -> bool:
        """Whether there are targets and every one is met."""
        judged = [vial.level for vial in self.vials if vial.level.tol is not None]
        return bool(judged) and all(level.is_level for level in judged)

    def _vial(self, name: str, earlier: Body | None) -> FigureVial:
        prediction = self.prediction
        target = self.target(name)
        is_known = self.twist_known or name != "twist_kgcm2"
        aim, fault = self._aim(name)
        if not is_known:
            change = change_of("twist_kgcm2", nominal(prediction.added.twist_kgcm2)).number()
            free = level(name, prediction.before, prediction.after, target, self.axis)
            aside = f"the pieces change it by {change}" if prediction.shares else ""
            return FigureVial(
                name,
                FIGURES[name].title,
                "not measured",
                "",
                "",
                aside,
                free,
                level_word(name, free) if target else "",
                aim,
                fault,
                self.set_href(name),
                False,
                False,
            )
        now = figure(name, prediction.after, self.axis)
        was = figure(name, prediction.before.plain, self.axis)
        standing = level(name, prediction.before, prediction.after, target, self.axis)
        fresh = earlier is not None and self._moved(name, earlier)
        value, unit = Amount(name, nominal(now), length_mm=self.outline.length_mm).parts
        u = Amount(name, 0.0, u_of(now) or 0.0, self.outline.length_mm).spread
        if u:
            unit = f"± {u} {unit}"
        assumed = name in self.state.assumed
        change = change_text(name, nominal(now), nominal(was), self.outline, assumed)
        word = level_word(name, standing) if target else ""
        if target and target.axis_mm not in (None, self.axis):
            word += f" at {axis_text(target.axis_mm)}"
        return FigureVial(
            name,
            FIGURES[name].title,
            value,
            unit,
            change,
            self._aside(name),
            standing,
            word,
            aim,
            fault,
            self.set_href(name),
            fresh,
            is_assumed=assumed,
        )

    def _aim(self, name: str) -> tuple[str, str]:
        """What stands in a target's box, and what is wrong with it."""
        if self.target_form and self.target_form.name == name:
            faults = self.target_form.errors.get("target")
            return str(self.target_form["target"].value() or ""), str(faults[0]) if faults else ""
        target = self.target(name)
        if target is None:
            return "", ""
        by_set = self.by_set.targets.get(name)
        return TargetForm(name, self.state, self.outline, by_set=by_set).text(), ""

    def _moved(self, name: str, earlier: Body) -> bool:
        then = figure(name, earlier, self.axis)
        return abs(figure(name, self.prediction.after.plain, self.axis) - then) > 0.004

    def _aside(self, name: str) -> str:
        """The same figure said another way."""
        after, before = self.prediction.after, self.prediction.before
        if name == "mass_g":
            return mass_in_other_unit(nominal(after.mass))
        if name == "balance_mm":
            if the_reader().balance == "length":
                return self.in_points
            return length_text(nominal(after.balance))
        if name == "swing_kgcm2":
            return f"recoil {fixed(nominal(after.recoil_kgcm2), 1)}"
        change = nominal(after.twist / before.twist) * 100 - 100
        return f"{fixed(change, 1, True)} %"

    @property
    def heard(self) -> str:
        """What is read aloud once: what was done, and the figures it changed."""
        fresh = [vial for vial in self.vials if vial.is_fresh]
        figures = [
            ", ".join(part for part in (f"{vial.label.lower()} {vial.value}", vial.word) if part)
            for vial in fresh
        ]
        return ". ".join([*([self.said] if self.said else []), *figures])

    # --- the table ---

    @cached_property
    def rows(self) -> list[PieceRow]:
        rows = []
        for number, share in enumerate(self.prediction.shares, 1):
            piece = share.piece
            rows.append(
                PieceRow(
                    number,
                    piece.id or "",
                    piece.name(self.outline),
                    piece.where(),
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
            change_of("mass_g", nominal(body.mass)).number(),
            change_of("balance_mm", balance_mm).number(),
            change_of("swing_kgcm2", nominal(body.swing_kgcm2(self.axis))).number(),
            change_of("twist_kgcm2", nominal(body.twist_kgcm2)).number(),
        )

    @property
    def in_points(self) -> str:
        """The balance as people of this sport say it: points for rackets, % of length for
        paddles."""
        told = in_points if kind_of(self.outline).balance_in == "pt" else percent_of_length
        return told(self.prediction.after.balance, self.outline.length_mm)

    @property
    def recoil(self) -> str:
        return fixed(nominal(self.prediction.after.recoil_kgcm2), 1)

    @property
    def spin(self) -> str:
        if not self.twist_known:
            return ""
        return fixed(nominal(self.prediction.after.spin_kgcm2(self.axis)), 1)
