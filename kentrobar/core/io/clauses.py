"""What one clause of a wish says, word by word: each word that is known fills a slot (a number, its
unit, a figure, a way up or down, that it stays), in whatever order it stands, in English or German.
A word that is not known is kept as such: nothing that was said is passed over.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from difflib import get_close_matches
from itertools import chain, islice

from kentrobar.core.errors import UnreadableError
from kentrobar.core.units import LENGTH, MASS, POINT_MM, VULGAR

EXAMPLES = (
    "3 points more head-light, 10 % steadier, as no. 07, sweet spot 1 cm up, no slower, "
    "swing weight 330, keep balance"
)
UNITS = {
    "pt": "pt pts point points punkt punkte", "mm": "mm millimetres millimeters",
    "cm": "cm centimetres centimeters", "in": "in inch inches", "g": "g gram grams gramm",
    "oz": "oz ounce ounces", "%": "% percent prozent", "kgcm2": "kgcm2 kg·cm² kg cm2",
}  # fmt: skip
FIGURES = {
    "mass_g": "static weight|weight|mass|gewicht|masse",
    "balance_mm": "balance|balance point",
    "swing_kgcm2": "swing weight|swingweight|swing|sw|schwunggewicht",
    "twist_kgcm2": "twist weight|twistweight|twist|tw|drehgewicht",
    "recoil_kgcm2": "recoil weight|recoil",
    "sweet spot": "sweet spot|sweetspot",
}
SIDES = {
    "HL": "head light|headlight|hl|grifflastig",
    "HH": "head heavy|headheavy|hh|kopflastig",
    "even": "even|evenly balanced|balanced|ausgeglichen",
}
UP = (
    "more|higher|up|raise|increase|raised|mehr|höher|erhöhen|hoch|grifflastiger:HL|kopflastiger:HH"
    "|head lighter:HL|head heavier:HH"
)
DOWN = "less|lower|down|reduce|decrease|weniger|niedriger|senken|runter"
ADD, TAKE = "add|plus|put on", "take off|minus|lose|remove"
TO = "to|up to|down to|make it|bring it to|auf|total"
BY = "by|um"
KEEP = (
    "keep|kept|same|the same|at the same|unchanged|stays|stay|leave|where it is|as it is|alone"
    "|without changing|do not change|dont change|not change|no change|gleich|gleiche|gleiches"
    "|gleicher|behalten|bleibt"
)
NOT = "no|not|nicht|never"
ADJECTIVES = {
    ("twist_kgcm2", 1): "steadier|stabler|more stable|more forgiving|stabiler",
    ("mass_g", 1): "heavier|schwerer",
    ("mass_g", -1): "lighter|leichter",
    ("swing_kgcm2", -1): "quicker|faster|whippier|schneller|easier to swing",
    ("swing_kgcm2", 1): "heavier to swing|more plow|more power|slower|langsamer",
}
AS_NOW = {
    "swing_kgcm2": "as quick|as fast|just as quick|just as fast|genauso schnell",
    "mass_g": "as heavy|as light|just as heavy|just as light|genauso schwer",
}
FILLER = (
    "please|about|around|roughly|a|an|the|its|it|of|in|is|i want|id like|i would like|i|or so|just"
    "|make|bring|bringen|at the net|as now|now|should be|be|set|move|at|bitte|etwa|und|change|den"
    "|die|das|mit"
)
NUMBERS = "half|one|two|three|four|five|six|seven|eight|nine|ten"


@dataclass(slots=True)
class Clause:
    """The slots of one clause.

    Attributes:
        number: with its ``unit``, '' where none was said; ``sign`` as written before it. tol: what
            stands after ±. axis: what stands after "at", as written. way: +1 more, −1 less, 0
            neither; ``is_added`` where grams or units go on or come off.
        figure, side, adjective: which figure, where the balance lies, (figure, way) of a word as
            "heavier". is_to, is_by: what it should come to, by how much it should change.
        stays: it should not change. unknown: words nobody knows.
    """

    number: float | None = None
    unit: str = ""
    sign: str = ""
    tol: str = ""
    axis: str = ""
    figure: str = ""
    side: str = ""
    adjective: tuple[str, int] | None = None
    way: int = 0
    is_added: bool = False
    is_to: bool = False
    is_by: bool = False
    stays: bool = False
    is_not: bool = False
    unknown: list[str] = field(default_factory=list)

    @property
    def is_whole(self) -> bool:
        """Whether a number and what it is of were said."""
        of = self.figure or self.adjective or self.side or self.unit in ("g", "oz")
        return self.number is not None and bool(of)


Slot = tuple[str, object]


def _table() -> dict[str, Slot]:
    found: dict[str, Slot] = {}
    for kind, words in (
        ("to", TO), ("by", BY), ("keep", KEEP), ("not", NOT), ("filler", FILLER),
        ("number", NUMBERS),
    ):  # fmt: skip
        found |= {word: (kind, word) for word in words.split("|")}
    for unit, words in UNITS.items():
        found |= {word: ("unit", unit) for word in words.split(" ") if word != "kg"}
    found["kg cm2"] = ("unit", "kgcm2")
    for slot, table in (("figure", FIGURES), ("side", SIDES), ("as-now", AS_NOW)):
        found |= {word: (slot, key) for key, words in table.items() for word in words.split("|")}
    for adjective, words in ADJECTIVES.items():
        found |= dict.fromkeys(words.split("|"), ("adjective", adjective))
    for way, words in ((1, UP), (-1, DOWN)):
        for word in words.split("|"):
            name, _, side = word.partition(":")
            found[name] = ("way", (way, side))
    for way, words in ((1, ADD), (-1, TAKE)):
        found |= dict.fromkeys(words.split("|"), ("add", way))
    return found


KNOWN = _table()
LONGEST = max(len(word.split()) for word in KNOWN)
_NUMBER = re.compile(r"([+\-−–]?) ?(\d+ \d+/\d+|\d+/\d+|\d+(?:[.,]\d+)?)")
_TOL = re.compile(r"(?:±|\+/-|\+-) ?([\d.,/ ]+(?:mm|cm|in|pts?|g|oz|%)?)")
_AXIS = re.compile(r"at (\d[\d.,/ ]*(?:mm|cm|in))\b")
_WORD = re.compile(r"[^\W\d_]+\.?|\S")


_HOURS = re.compile(
    r"\b(\d{1,2}(?::\d\d)?)\s+(?:and|und)\s+(\d{1,2}(?::\d\d)?)(?=\s*(?:$|[,;.]|o['’]|on|inside|under))"
)
"""`10 and 2` is one place, not two clauses."""


def clauses_of(text: str) -> list[str]:
    """What is said one after the other."""
    text = _HOURS.sub(r"\1 & \2", text)
    parts = re.split(
        r",(?!\d)|[;\n]|\s(?:and|but|und|aber|with)\s|\s(?=(?:without|at the same) )", text
    )
    return [one.strip(" .!?") for one in parts if one.strip(" .!?")]


def slots_of(clause: str) -> list[Clause]:
    """A clause by its words; `sw 330 twist 15` are two, and `please` alone is none."""
    found, now = [], Clause()
    tokens = list(_tokens(_plain(clause)))
    numbers = sum(kind == "number" for kind, _ in tokens)
    for kind, value in tokens:
        if kind == "figure" and now.is_whole and numbers > 0:
            found.append(now)
            now = Clause()
        numbers -= kind == "number"
        _fill(now, kind, value)
    if now.axis and now.number is None:
        # Nothing stands at it: it is where the balance lies.
        for kind, value in _tokens(now.axis):
            _fill(now, kind, value)
        now.axis = ""
    return [one for one in (*found, now) if one != Clause()]


def _plain(text: str) -> str:
    for mark, written in VULGAR.items():
        text = text.replace(mark, f" {written}")
    text = re.sub(r"[’']", "", text.lower())
    text = re.sub(r"kg ?[·.*]? ?cm(?:²|\^?2)", " kgcm2 ", text)
    # A hyphen between words joins them; before a number it is a sign.
    text = re.sub(r"(?<=[^\W\d_])-(?=[^\W\d_])", " ", text)
    return " ".join(text.replace(":", " ").replace("=", " ").split())


def _tokens(text: str) -> Iterator[tuple[str, object]]:
    at = 0
    while at < len(text):
        if text[at] == " ":
            at += 1
            continue
        if found := _TOL.match(text, at):
            yield "tol", found[1].strip()
        elif found := _AXIS.match(text, at):
            yield "at", found[1].strip()
        elif found := _NUMBER.match(text, at):
            yield "number", (found[1].replace("-", "−").replace("–", "−"), found[2])
        else:
            words = list(islice(_WORD.finditer(text, at), LONGEST))
            for count in range(len(words), 0, -1):
                phrase = text[at : words[count - 1].end()]
                slot = KNOWN.get(phrase) or KNOWN.get(phrase.rstrip("."))
                if slot:
                    yield slot
                    at = words[count - 1].end()
                    break
            else:
                yield "unknown", words[0][0]
                at = words[0].end()
            continue
        at = found.end()


def _fill(now: Clause, kind: str, value: object) -> None:
    match kind, value:
        case "number", (sign, digits):
            if now.number is not None:
                now.unknown.append(f"{sign}{digits}")
            now.number, now.sign = _value(str(digits)), str(sign)
        case "number", str(word):
            if now.number is not None:
                now.unknown.append(word)
            now.number = 0.5 if word == "half" else float(NUMBERS.split("|").index(word))
        case "unit", str(unit):
            if now.unit and now.unit != unit:
                now.unknown.append(unit)
            now.unit = unit
            now.number = 1.0 if now.number is None else now.number
        case "figure", str(figure):
            if now.figure and now.figure != figure:
                now.unknown.append(figure)
            now.figure = figure
        case "side", str(side):
            if now.side and now.side != side:
                now.unknown.append(side)
            now.side = side
        case "way", (int(way), str(side)):
            if now.way == -way:
                now.unknown.append("more" if way > 0 else "less")
            now.way, now.side = way, side or now.side
        case "add", int(way):
            if now.way == -way:
                now.unknown.append("add" if way > 0 else "take off")
            now.way, now.is_added = way, True
        case "adjective", (str(figure), int(way)):
            now.adjective = figure, way
        case "as-now", str(figure):
            now.figure, now.stays = figure, True
        case "at", str(axis):
            now.axis = axis
        case "tol", str(tol):
            now.tol = tol
        case "unknown", str(word):
            now.unknown.append(word)
        case _:
            now.is_to |= kind == "to"
            now.is_by |= kind == "by"
            now.stays |= kind == "keep"
            now.is_not |= kind == "not"


def of_a_side(said: Clause, length_mm: float) -> tuple[float, bool] | None:
    """(mm, whether that is a change) of `10 HL`, `even`, `2 pts less head-light`: head-light and
    head-heavy say where the balance is, with more or less by how much it changes. None where the
    clause says something else."""
    if said.figure not in ("", "balance_mm") or said.adjective or said.sign or said.unknown:
        return None
    if said.side == "even":
        return (length_mm / 2, False) if said.number is None else None
    unit = said.unit or "pt"
    if not said.side or said.number is None or (unit != "pt" and unit not in LENGTH):
        return None
    away = said.number * (POINT_MM if unit == "pt" else LENGTH[unit])
    away = away if said.side == "HH" else -away
    return (said.way * away, True) if said.way else (length_mm / 2 + away, False)


def _value(digits: str) -> float:
    whole, _, part = digits.rpartition(" ")
    if "/" in part:
        top, bottom = part.split("/")
        return (float(whole) if whole else 0.0) + float(top) / float(bottom)
    return float(digits.replace(",", "."))


def words_known() -> list[str]:
    """Every word that fills a slot, for who looks for the nearest."""
    return sorted(set(chain.from_iterable(word.split() for word in KNOWN)))


def by_adjective(clause: str, said: Clause) -> Clause:
    """`10 % steadier` as 10 % more of its figure; grams alone are of the weight."""
    figure, way = said.adjective or ("", 0)
    if not said.adjective:
        of_mass = said.unit in MASS and not said.figure
        return replace(said, figure="mass_g") if of_mass else said
    fits = said.unit in ("%", *(MASS if figure == "mass_g" else ("", "pt", "kgcm2")))
    if not fits or said.way or said.figure not in ("", figure):
        raise UnreadableError(not_understood(clause))
    return replace(said, figure=figure, way=way)


def as_box(clause: str, said: Clause) -> tuple[str, str]:
    """(a figure and a number as a box of that figure would hold them, its unit). Raises
    UnreadableError."""
    # A point of swing, twist or recoil weight is a kg·cm².
    is_point = said.unit == "pt" and said.figure != "balance_mm"
    unit = "" if is_point or said.unit == "kgcm2" else said.unit
    is_change = bool(said.sign) or said.is_by or said.is_added or (said.way and not said.is_to)
    if unit == "%" and not is_change and said.figure != "balance_mm":
        raise UnreadableError(f"“{clause}”: more or less? Write + or − before it.")
    sign = ""
    if is_change:
        if said.way and said.sign == "−":
            raise UnreadableError(not_understood(clause))
        if not (said.way or said.sign):
            raise UnreadableError(f"“{clause}”: more or less? Write + or − before it.")
        sign = said.sign or ("+" if said.way > 0 else "−")
    held = f" ± {_in_unit(said.tol, unit)}" if said.tol else ""
    at = f" at {said.axis}" if said.axis else ""
    return f"{sign}{said.number:.12g}{held} {unit}".strip() + at, unit


def _in_unit(tol: str, unit: str) -> str:
    """A tolerance with a unit of its own in that of its figure."""
    found = re.fullmatch(r"(\d+(?:[.,]\d+)?) *([a-z]+)", tol)
    sizes = {**LENGTH, **MASS, "pt": POINT_MM, "pts": POINT_MM}
    if not found or found[2] not in sizes or unit not in sizes:
        return tol
    return f"{float(found[1].replace(',', '.')) * sizes[found[2]] / sizes[unit]:.9g}"


def not_understood(clause: str, unknown: list[str] | None = None) -> str:
    words = [word for word in unknown or [] if word.isalpha()]
    near = [get_close_matches(word, words_known(), 1, 0.75) for word in words]
    near = [one if one != [word] else [] for one, word in zip(near, words, strict=True)]
    meant = "".join(f" “{word}”: {one[0]}?" for word, one in zip(words, near, strict=True) if one)
    return f"“{clause}” is not understood.{meant} Say it so: {EXAMPLES}."
