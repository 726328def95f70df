"""Places on a frame as they are said: ``10 and 2, inside``, ``21 inches up, under the grommets``,
``hole 8 to 10``, ``all four corners``, ``in the handle``; each read as the site a recipe may use.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from difflib import get_close_matches

from kentrobar.core.errors import PlacementError, UnreadableError
from kentrobar.core.geometry.kinds import kind_of
from kentrobar.core.geometry.outline import Outline, RimLine
from kentrobar.core.pieces import holes
from kentrobar.core.pieces.piece import LINE_WORDS
from kentrobar.core.pieces.sites import STRINGS_IN, Access
from kentrobar.core.pieces.strip import ACROSS_HOURS, Strip
from kentrobar.core.recipes.brief import Site, StripSite
from kentrobar.core.recipes.usual import CUT_STEP_MM, LEAST_CUT_MM, usual_sites
from kentrobar.core.units import read_clock, read_length

ROOM = 0.08
"""The longest strip of a place that is told by where it is, as a share of its line."""
LONGEST_NAME = 60
AS_SAID = "said-"
"""Before the key of a place that is no usual site."""
COMMON = {
    "handle": "in the handle|inside the handle|the handle|handle|counterbalance|counterweight|butt"
    "|im griff|griff",
    "cap": "under the butt cap|in the butt cap|inside the cap|in the cap|butt cap|cap|endkappe",
    "under-grip": "under the grip|under grip|round the handle|around the handle"
    "|unter dem griffband",
    "tip": "top of the hoop|top of the head|12 oclock|12|the tip|tip|kopf",
    "sides": "3 and 9|9 and 3|3 & 9|the sides|sides|seiten",
    "throat": "the throat|throat|neck|herz",
}
SAID: dict[str, dict[str, str]] = {
    "racket": COMMON | {
        "shoulders": "10 and 2|2 and 10|10 & 2|the shoulders|shoulders|schultern",
        "lower-sides": "4 and 8|8 and 4|lower sides",
        "bottom": "bottom of the hoop|foot of the hoop|bridge|6 oclock|6",
        "ends": "12 and 6|6 and 12|12 & 6|both ends of the hoop|both ends",
    },
    "paddle": COMMON | {
        "high-corners": "high corners|top corners|upper corners|obere ecken",
        "low-corners": "low corners|bottom corners|lower corners|untere ecken",
        "corners": "all four corners|all 4 corners|four corners|all corners|the corners|corners"
        "|ecken",
        "bottom": "bottom edge|6 oclock|6",
        "12 and 6": "12 and 6|6 and 12|12 & 6",
    },
}  # fmt: skip
"""By kind: what each usual site is called; several at once where the key is no site."""
SEVERAL = {"corners": ("high-corners", "low-corners"), "12 and 6": ("tip", "bottom")}
LINES: dict[RimLine, str] = {
    "inner": "on the inside|inside|inner|innen",
    "face": "on both faces|on the faces|on the face|both faces|faces|face|front and back"
    "|vorn und hinten",
    "edge": "on the edge|on the outside|outside|edge|in the channel|channel|außen",
}
COVERED = (
    "under the bumper guard|under the bumper|under the grommet strip|under the strip"
    "|under the grommets|under grommets|hidden|out of sight|unter den ösen"
)
BOTH = "on both sides|both sides|each side|mirrored|beide seiten"
ONE = "on one side|one side only|one side|one strip"
FILLER = "and|at|on|the|a|of|tape|lead|weight|strip|strips|some|only|put|to|und|mit|bei"
_MUCH = r"(?P<much>\d[\d.,/ ]*?(?:mm|cm|inches|inch|in|\"))\s*"
_DISTANCE = re.compile(
    _MUCH
    + r"(?:up from the butt|from the butt|from butt|from the bottom|above the butt|up|vom griffende"
    r"|(?P<tip>from the tip|from tip|down))(?!\w)"
)
_LONG = re.compile(_MUCH + r"(?:long|strips?|each)(?!\w)")
_NUMBER = r"\d+(?:\.\d+)?"
_HOLES = re.compile(rf"holes?\s*(?P<low>{_NUMBER})(?:\s*(?:to|-|–|and|bis)\s*(?P<high>{_NUMBER}))?")
_CLOCK = r"\d{1,2}(?::\d\d)?"
_HOURS = re.compile(rf"(?P<one>{_CLOCK})\s*(?:and|&|und|\+)\s*(?P<other>{_CLOCK})(?![\w.%])")
_HOUR = re.compile(rf"(?P<one>{_CLOCK})\s*oclock")


@dataclass(frozen=True, slots=True)
class _Draft:
    """A place as far as it is told: usual sites by their keys; an hour on the rim; or how far it
    lies from the butt, or along its line from the tip, mm."""

    keys: tuple[str, ...] = ()
    hour: float | None = None
    up_mm: float | None = None
    tip_mm: float | None = None
    is_both: bool | None = None
    line: RimLine | None = None
    is_covered: bool = False
    long_mm: float | None = None
    is_one_hour: bool = False
    """Whether an hour of one side alone was said: which may mean that side, or both."""

    @property
    def is_somewhere(self) -> bool:
        return bool(self.keys) or (self.hour, self.up_mm, self.tip_mm) != (None, None, None)


def read_places(
    text: str,
    outline: Outline,
    access: Access = STRINGS_IN,
) -> dict[str, Site]:
    """The sites somebody names, by a key of each; a usual one said plainly by its usual key.

    Raises:
        UnreadableError: with words for the person at the bench.
    """
    whole = " ".join(text.split())
    drafts: list[_Draft] = []
    now = _Draft()
    for found in _told(whole, outline, access.holes_mm):
        if found.is_somewhere and now.is_somewhere:
            drafts.append(now)
            now = _Draft()
        now = _joined(now, found)
    drafts.append(now)
    if not all(one.is_somewhere for one in drafts):
        raise UnreadableError(f"“{whole}”: where? {_examples(outline)}")
    if any(one.is_one_hour and one.is_both is None for one in drafts):
        raise UnreadableError(f"“{whole}”: on both sides, or on one side? Say which.")
    usual = usual_sites(outline, access)
    sites: dict[str, Site] = {}
    for one in drafts:
        is_one = len(drafts) == 1 and len(one.keys) < 2
        name = whole[:LONGEST_NAME] if is_one else ""
        sites |= _sites(one, outline, usual, name)
    return sites


def _examples(outline: Outline) -> str:
    near = "10 and 2, inside" if outline.is_strung else "all four corners"
    return f"Say it so: {near}; 21 in up; 5 cm from the tip; in the handle."


def _plain(text: str) -> str:
    text = re.sub(r"[’']", "", text.lower())
    return " ".join(re.sub(r"[-;,.](?!\d)", " ", text).split())


def _told(whole: str, outline: Outline, holes_mm: Sequence[float]) -> Iterator[_Draft]:
    """What each word, or several, tell of a place."""
    text, at = _plain(whole), 0
    table = _words(outline)
    longest = max(len(words.split()) for words in table)
    while at < len(text):
        rest = text[at:]
        if rest[0] == " ":
            at += 1
            continue
        told, length = _measured(rest, outline, holes_mm)
        if told is None:
            words = list(re.finditer(r"\S+", rest))[:longest]
            for count in range(len(words), 0, -1):
                phrase = rest[: words[count - 1].end()]
                if phrase in table:
                    told, length = table[phrase], len(phrase)
                    break
        if told is None:
            told, length = _measured(rest, outline, holes_mm, with_hours=True)
        if told is None:
            word = rest.split()[0]
            near = get_close_matches(word, {w for one in table for w in one.split()}, 1, 0.75)
            meant = f" “{word}”: {near[0]}?" if near else f" “{word}” is not known."
            raise UnreadableError(f"“{whole}” is no place.{meant} {_examples(outline)}")
        yield told
        at += length


def _words(outline: Outline) -> dict[str, _Draft]:
    found = dict.fromkeys(FILLER.split("|"), _Draft())
    for key, words in SAID[kind_of(outline).plays_like].items():
        found |= dict.fromkeys(words.split("|"), _Draft(keys=SEVERAL.get(key, (key,))))
    for site in kind_of(outline).sites:
        found[site.name.lower()] = _Draft(keys=(site.key,))
    for line, words in LINES.items():
        found |= dict.fromkeys(words.split("|"), _Draft(line=line))
    found |= dict.fromkeys(COVERED.split("|"), _Draft(is_covered=True))
    found |= dict.fromkeys(BOTH.split("|"), _Draft(is_both=True))
    return found | dict.fromkeys(ONE.split("|"), _Draft(is_both=False))


def _measured(
    rest: str, outline: Outline, holes_mm: Sequence[float], with_hours: bool = False
) -> tuple[_Draft | None, int]:
    """What a number at the start of a text tells, and how much of the text does."""
    if found := _LONG.match(rest):
        return _Draft(long_mm=_length(found["much"])), found.end()
    if found := _DISTANCE.match(rest):
        mm = _length(found["much"])
        return (_Draft(tip_mm=mm) if found["tip"] else _Draft(up_mm=mm)), found.end()
    if found := _HOLES.match(rest):
        return _by_holes(found, outline, holes_mm), found.end()
    if with_hours and (found := _HOURS.match(rest)):
        one, other = (read_clock(found[which]) for which in ("one", "other"))
        if abs((one + other) % 12) > 0.02:
            raise UnreadableError(
                f"“{found[0]}” are not opposite one another: name one side, it is laid on both."
            )
        return _Draft(hour=min(one, other), is_both=True), found.end()
    if with_hours and (found := _HOUR.match(rest)):
        return _Draft(hour=read_clock(found["one"]), is_one_hour=True), found.end()
    return None, 0


def _length(text: str) -> float:
    return read_length(text).value


def _hour(draft: _Draft, outline: Outline, line: RimLine) -> float:
    """Its clock hour on its line, on the 3 o'clock side."""
    if draft.hour is not None:
        return draft.hour
    strip = Strip(mass_g=1.0, clock=3.0, length_mm=1.0, line=line)
    try:
        if draft.tip_mm is not None:
            return strip.placed(outline, "from_tip", draft.tip_mm).clock
        return strip.placed(outline, "middle", draft.up_mm or 0.0).clock
    except PlacementError:
        path = outline.path(line)
        low, high = (path.point(arc)[0] for arc in (path.length / 2, 0.0))
        what = "hoop" if outline.is_strung else "face"
        raise UnreadableError(
            f"The {what} lies {low:.0f}–{high:.0f} mm from the butt: say a place there."
        ) from None


def _by_holes(found: re.Match[str], outline: Outline, holes_mm: Sequence[float]) -> _Draft:
    """From one grommet hole to another, or about one."""
    if not holes_mm:
        raise UnreadableError("This frame’s grommet holes are not noted: say it by clock or mm.")
    low = float(found["low"])
    high = float(found["high"] or low)
    try:
        first, last = (holes.arc_of(hole, holes_mm) for hole in sorted((low, high)))
    except PlacementError:
        raise UnreadableError(f"“{found[0]}”: holes are counted 1–{len(holes_mm)}.") from None
    hour = outline.path("edge").clock_of_arc((first + last) / 2)
    return _Draft(hour=hour, long_mm=last - first if last > first else None)


def _joined(now: _Draft, more: _Draft) -> _Draft:
    """A place with what else was told of it."""
    blank = _Draft()
    told = {
        one.name: value
        for one in fields(_Draft)
        if (value := getattr(more, one.name)) != getattr(blank, one.name)
    }
    return replace(now, **told)


def _sites(
    draft: _Draft, outline: Outline, usual: Mapping[str, Site], name: str
) -> dict[str, Site]:
    found: dict[str, Site] = {}
    for key in draft.keys:
        if key == "bottom":
            site = _strip(replace(draft, hour=6.0), outline, name)
        elif key not in usual:
            raise UnreadableError(f"There is no {key.replace('-', ' ')} on this frame.")
        elif draft == _Draft(keys=draft.keys):
            found[key] = usual[key]
            continue
        else:
            site = _told_more(usual[key], draft, outline, name)
        found[_key(site)] = site
    if not draft.keys:
        site = _strip(draft, outline, name)
        found[_key(site)] = site
    return found


def _key(site: Site) -> str:
    return AS_SAID + "-".join(re.findall(r"\w+", site.name.lower()))


def _told_more(site: Site, draft: _Draft, outline: Outline, name: str) -> StripSite:
    """A usual site on another line, of another length, on one side."""
    if not isinstance(site, StripSite):
        raise UnreadableError(f"{site.name}: it has no faces, edge or sides. Say it alone.")
    line = draft.line or ("edge" if draft.is_covered and site.line == "face" else site.line)
    mirror = site.mirror and draft.is_both is not False
    longest = min(draft.long_mm or site.max_length_mm, outline.path(line).length)
    laid = replace(site, line=line, mirror=mirror, max_length_mm=longest)
    return _as_said(laid, draft, outline, name)


def _strip(draft: _Draft, outline: Outline, name: str) -> StripSite:
    """A place that is told by where it is: a pair, unless one side is said."""
    line: RimLine = draft.line or ("edge" if draft.is_covered or not outline.is_strung else "inner")
    length = outline.path(line).length
    usual = round(ROOM * length / CUT_STEP_MM) * CUT_STEP_MM
    hour = _hour(draft, outline, line) % 12 or 12.0
    is_across = abs(math.remainder(hour, 6)) < ACROSS_HOURS
    site = StripSite(
        name="", clock=round(hour, 4), line=line,
        mirror=not is_across and draft.is_both is not False,
        max_length_mm=max(min(draft.long_mm or usual, length), LEAST_CUT_MM),
    )  # fmt: skip
    return _as_said(site, draft, outline, name)


def _as_said(site: StripSite, draft: _Draft, outline: Outline, name: str) -> StripSite:
    """Named as it was said, else by where it lies; in sight unless something covers it."""
    words = f"{kind_of(outline).region(site.clock)}, {LINE_WORDS[site.line]}"
    covered = draft.is_covered or (outline.is_strung and site.line == "edge")
    return replace(site, name=name or words, seen=not covered)
