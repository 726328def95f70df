"""What is worth knowing of a place before something is laid there, computed for the very frame."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import NOTHING, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.words import Message, message

from .brief import Site, StripSite
from .feel import sweet_spot_mm
from .one_gram import effect, pieces_at

TRIED_G = 2.0
LITTLE_BALANCE_MM, LITTLE_SWING_KGCM2 = 0.16, 0.8
"""Changes a gram below which a place does little but weigh."""


def site_words(
    sites: Mapping[str, Site], outline: Outline, body: Body, axis_mm: float
) -> dict[str, Message]:
    """What is said of those places there is something to say of, by their keys.

    Args:
        body: of the frame, without uncertainties.
    """
    found = {key: _said(site, outline, body, axis_mm) for key, site in sites.items()}
    return {key: one for key, one in found.items() if one}


def _said(site: Site, outline: Outline, body: Body, axis_mm: float) -> Message | None:
    pieces = pieces_at(site, TRIED_G)
    own = sum((body_of(piece, outline) for piece in pieces), NOTHING)
    if isinstance(site, StripSite) and site.both_ends:
        foot = replace(pieces[1], mass_g=TRIED_G / 2)
        at_foot = body + body_of(foot, outline)
        before, after = (sweet_spot_mm(one, outline) for one in (body, body + own))
        return message(
            "site-ends", grams=TRIED_G, before=before, longer=after - before,
            balance=(body + own).balance - body.balance, foot=at_foot.balance - body.balance,
        )  # fmt: skip
    is_tip = isinstance(site, StripSite) and site.clock % 12 == 0 and site.line == "face"
    if outline.is_strung and is_tip:
        return message("site-tip-faces")
    one = effect("", site.name, pieces, outline, body, axis_mm)
    little = abs(one.balance_mm) < LITTLE_BALANCE_MM * TRIED_G
    if little and one.swing_kgcm2 < LITTLE_SWING_KGCM2 * TRIED_G:
        return message("site-little", grams=TRIED_G, swing=one.swing_kgcm2, balance=one.balance_mm)
    return None
