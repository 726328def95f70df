"""What the Recipes page shows of an answer: three cards with vials and pieces, what blocks, what
would open it."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass

from kentrobar.core.frame.predict import LadenFrame, Measured, Prediction, predict
from kentrobar.core.frame.targets import Level, Target
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.cautions import GUARD
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import FIGURES, figure, known
from kentrobar.core.reader import axis_text, fixed, the_reader
from kentrobar.core.recipes import advice
from kentrobar.core.words import Message
from kentrobar.core.words.amounts import Amount, apart, change_of, told
from kentrobar.ui.formatting import level_word

from .kept import KeptAnswer, KeptRecipe
from .stroking import Striking, change_words

SURE = ((0.97, "safe"), (0.85, "likely"), (0.6, "tight"))


@dataclass(frozen=True, slots=True)
class TargetVial:
    """One wanted figure of a recipe."""

    figure: str
    label: str
    value: str
    u: str
    unit: str
    level: Level
    was: Level
    before: str
    miss: str
    word: str
    axis: str = ""

    @property
    def spoken(self) -> str:
        return f"{self.label} {self.value} {self.unit}, {self.word}; before {self.before}"


@dataclass(frozen=True, slots=True)
class FreeFigure:
    """A figure nobody wished anything of: what it becomes, and what it was."""

    label: str
    value: str
    was: str
    unit: str


@dataclass(frozen=True, slots=True)
class PieceLine:
    """One piece of a recipe in words."""

    number: int
    name: str
    where: str
    grams: str
    unit: str
    material: str
    is_off: bool


@dataclass(frozen=True, slots=True)
class RecipeCard:
    """One recipe."""

    number: int
    is_ok: bool
    prediction: Prediction
    vials: list[TargetVial]
    free: list[FreeFigure]
    lines: list[PieceLine]
    added: str
    cuts: int
    price: str
    chance: int
    sure: str
    reason: str
    gap: str
    cautions: list[str]
    strokes: str

    @property
    def spoken(self) -> str:
        """The card in a line, for those who hear the page."""
        return (
            f"Recipe {self.number}:"
            f" {', '.join(f'{line.grams} {line.unit} {line.name}' for line in self.lines)}"
        )

    @property
    def is_nothing(self) -> bool:
        return not self.lines


def recipe_cards(found: KeptAnswer, outline: Outline, played: Striking) -> list[RecipeCard]:
    """The recipes of an answer as cards, best first."""
    return [
        card(number, recipe, found, outline, played)
        for number, recipe in enumerate(found.recipes, 1)
    ]


def card(
    number: int,
    recipe: KeptRecipe,
    found: KeptAnswer,
    outline: Outline,
    played: Striking,
) -> RecipeCard:
    prediction = predict(LadenFrame(frame=outline, measured=found.measured, pieces=recipe.pieces))
    return RecipeCard(
        number=number,
        is_ok=recipe.meets(found.wanted),
        prediction=prediction,
        vials=vials(recipe, found.wanted, outline, prediction.before, found.measured.axis_mm),
        lines=[line(i, piece, outline) for i, piece in enumerate(recipe.pieces, 1)],
        added=change_of("mass_g", recipe.added_g).number(),
        cuts=recipe.cuts,
        price=fixed(recipe.price, 2),
        free=free(found.wanted, prediction, outline, found.measured.axis_mm),
        chance=round(100 * recipe.chance),
        sure=next((word for least, word in SURE if recipe.chance >= least), "a gamble"),
        reason=_reason(recipe, found, number),
        gap=_gap_words(recipe.gap_g),
        cautions=list(dict.fromkeys(text for piece in recipe.pieces for text in piece.cautions())),
        strokes=change_words(
            prediction.before.plain,
            prediction.after.plain,
            outline,
            the_reader().axis_mm(outline.kind),
            played,
        ),
    )


def _gap_words(gap_g: float | None) -> str:
    if gap_g is None:
        return "the search was cut short: better ones may exist"
    if gap_g < 0.05:
        return ""
    return f"another might be up to {told('mass_g', gap_g, 1)} lighter"


def vials(
    recipe: KeptRecipe,
    wanted: Mapping[str, Target],
    outline: Outline,
    before: Body,
    axis_mm: float,
) -> list[TargetVial]:
    """A vial for every wanted figure: its width is what reading, cutting and placing leave open."""
    return [
        vial_of(name, recipe.misses[name], recipe.u.get(name), goal, outline, before, axis_mm)
        for name, goal in wanted.items()
    ]


def vial_of(
    name: str, miss: float, u: float | None, goal: Target, outline: Outline, before: Body,
    axis_mm: float,
) -> TargetVial:  # fmt: skip
    """A figure that lies ``miss`` off its goal, uncertain by ``u``, beside what it was."""
    level = Level(goal.value + miss, miss, goal.tol, u)
    was = nominal(figure(name, before, goal.about(axis_mm)))
    value, unit = Amount(name, level.value, length_mm=outline.length_mm).parts
    stood = Amount(name, was, length_mm=outline.length_mm).number()
    if name == "twist_kgcm2" and not before.twist:
        # Nobody read it: what is known is the change alone.
        value, stood = change_of(name, level.value).number(), "not measured"
    axis = axis_text(goal.about(axis_mm)) if name == "swing_kgcm2" else ""
    return TargetVial(
        name, FIGURES[name].title, value,
        Amount(name, 0.0, level.u or 0.0, outline.length_mm).spread, unit, level,
        Level(was, was - goal.value, goal.tol, None), stood, change_of(name, miss).number(),
        level_word(name, level), axis,
    )  # fmt: skip


def free(
    wanted: Mapping[str, Target],
    prediction: Prediction,
    outline: Outline,
    axis_mm: float,
    without: Collection[str] = (),
) -> list[FreeFigure]:
    """What becomes of every figure that is not wished, as far as it is known, ``without`` some."""
    is_read = bool(prediction.before.twist)
    found = []
    for name in known(is_read):
        if name in wanted or name in without:
            continue
        was, now = (
            Amount(name, nominal(figure(name, body, axis_mm)), length_mm=outline.length_mm).parts
            for body in (prediction.before, prediction.after)
        )
        found.append(FreeFigure(FIGURES[name].title, now[0], was[0], now[1]))
    return found


def line(number: int, piece: Piece, outline: Outline) -> PieceLine:
    off = piece.mass_g < 0
    name = (piece.site or piece.name(outline)) if off else piece.name(outline)
    made_of = [f"{piece.layers} layers"] if (piece.layers or 1) > 1 else []
    if piece.material and not off:
        made_of.append(piece.material)
    return PieceLine(
        number, name, piece.where(), change_of("mass_g", piece.mass_g).number(), the_reader().mass,
        " · ".join(made_of), off,
    )  # fmt: skip


def _reason(recipe: KeptRecipe, found: KeptAnswer, number: int) -> str:
    """Why this one stands where it stands: what it has over the first, and what it lacks."""
    first, wanted = found.recipes[0], found.wanted
    if number == 1:
        if recipe.meets(wanted):
            return _over_the_lightest(recipe, found)
        there_is = "found so far" if found.is_undecided else "there is"
        return f"The nearest {there_is}, by what comes first."
    better: list[str] = []
    worse: list[str] = []
    for name, goal in wanted.items():
        further = max(abs(recipe.misses[name]) - goal.tol, 0.0) - max(
            abs(first.misses[name]) - goal.tol, 0.0
        )
        if abs(further) >= 0.02 * goal.tol:
            amount = apart(name, float(f"{further:.2g}"))
            where = "further off" if further > 0 else "nearer"
            said = f"{FIGURES[name].label} {amount} {where}"
            (worse if further > 0 else better).append(said)
    heavier = recipe.added_g - first.added_g
    if abs(heavier) >= LEAST_G:
        amount = told("mass_g", abs(heavier), 1)
        (worse if heavier > 0 else better).append(
            f"{amount} {'heavier' if heavier > 0 else 'lighter'}"
        )
    for name, more, fewer, least in _COMPARED:
        difference = getattr(recipe, name) - getattr(first, name)
        if abs(difference) >= least:
            amount = f"{abs(difference):.{0 if least >= 1 else 1}f}"
            said = (more if difference > 0 else fewer).format(amount, "" if amount == "1" else "s")
            (worse if difference > 0 else better).append(said)
    surer = recipe.chance - first.chance
    if abs(surer) >= 0.03:
        (better if surer > 0 else worse).append(_from_to(first, recipe))
    if not better and not worse:
        return "As good as the first, at other sites."
    gain, loss = ", ".join(better), ", ".join(worse)
    return f"Beside the first: {gain}{'; but ' if gain and loss else ''}{loss}."


def _over_the_lightest(recipe: KeptRecipe, found: KeptAnswer) -> str:
    """What the first weighs more than the lightest there is, and for what."""
    lightest = min(
        (one for one in found.recipes if one.meets(found.wanted)), key=lambda one: one.moved_g
    )
    over = recipe.moved_g - lightest.moved_g
    if over >= LEAST_G:
        more = told("mass_g", over, 1)
        return f"{more} more than the lightest shown, {_from_to(lightest, recipe)} to end inside."
    over = recipe.moved_g - (found.least_g or recipe.moved_g)
    if over < LEAST_G:
        return "The lightest there is."
    return f"{told('mass_g', over, 1)} more than the lightest there is, surer or in fewer pieces."


def _from_to(one: KeptRecipe, other: KeptRecipe) -> str:
    """Both chances: `71 → 88 %`."""
    return f"{100 * one.chance:.0f} → {100 * other.chance:.0f} %"


LEAST_G = 0.05
_COMPARED = (
    ("cuts", "{} cut{} more", "{} cut{} fewer", 1),
    ("price", "costs {} more", "costs {} less", 0.1),
)
"""(figure, words for more, words for less, least difference worth a word)."""


@dataclass(frozen=True, slots=True)
class WayOut:
    """Something that would open an unreachable wish, with what its button changes."""

    index: int
    text: str
    kind: str
    caution: str = ""


def ways(found: KeptAnswer) -> Iterator[WayOut]:
    for i, opening in enumerate(found.openings):
        yield WayOut(i, opening.text, opening.kind, GUARD if opening.kind == "last-resort" else "")


@dataclass(frozen=True, slots=True)
class ShownPattern:
    """A starting pattern as the Advice page shows it."""

    key: str
    name: str
    prediction: Prediction
    lines: list[PieceLine]
    changes: list[tuple[str, str, str]]
    serves: tuple[str, ...]
    rails: tuple[Message, ...]
    strokes: str


def begun(
    one: advice.TriedPattern,
    outline: Outline,
    measured: Measured,
    played: Striking,
) -> ShownPattern:
    """A pattern with its drawing, its pieces, and what it changes."""
    prediction = predict(LadenFrame(frame=outline, measured=measured, pieces=one.pieces))
    changes = [
        *(
            (label, change_of(name, getattr(one, name)).number(), change_of(name, 0.0).unit)
            for label, name in (
                ("mass", "mass_g"),
                ("balance", "balance_mm"),
                ("swing weight", "swing_kgcm2"),
                ("twist weight", "twist_kgcm2"),
            )
        ),
        ("polarised", fixed(100 * one.polarisation, 1, True), "%"),
    ]
    lines = [line(i, piece, outline) for i, piece in enumerate(one.pieces, 1)]
    before, after = prediction.before.plain, prediction.after.plain
    strokes = change_words(before, after, outline, the_reader().axis_mm(outline.kind), played)
    return ShownPattern(
        one.key, one.name, prediction, lines, changes, one.serves, one.rails, strokes
    )
