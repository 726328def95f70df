"""What recipes are made of and what they answer, held against a kept list (``kept.py``):
``python -m tests.core.test_every_recipe`` writes it again."""

from dataclasses import replace

import pytest
from uncertainties import ufloat

from kentrobar.core.errors import DocumentError
from kentrobar.core.frame.condition import Part
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.sites import Access
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.recipes import feel, usual
from kentrobar.core.recipes.advice import advise
from kentrobar.core.recipes.brief import Brief, Goal, Goals, PartSite, Putty, kit_faults
from kentrobar.core.recipes.candidates import candidates_of
from kentrobar.core.recipes.chance import sureness
from kentrobar.core.recipes.explain import solve
from kentrobar.core.recipes.feel import Hits, Noticed
from kentrobar.core.recipes.frame_set import FrameSet, Member
from kentrobar.core.recipes.one_gram import effects
from kentrobar.core.recipes.player_words import WISHES
from kentrobar.core.recipes.rest import rest
from kentrobar.core.recipes.strokes import best_hit, worth
from tests.core.frames import PADDLE_READ, READ, SHOAL, TERN
from tests.core.kept import keep, kept, lines

KEPT = "recipes.txt"
FRAMES = {"racket": (TERN, READ, 100.0), "paddle": (SHOAL, PADDLE_READ, 50.0)}
UNSURE = Measured(
    mass_g=ufloat(316.8, 0.1), balance_mm=ufloat(323.5, 0.4), swing_kgcm2=ufloat(314.6, 0.8),
    axis_mm=100, twist_kgcm2=ufloat(13.4, 0.1),
)  # fmt: skip
TAPE = replace(usual.tapes()[0], u_percent=2.0)
PUTTY = usual.putty()


def wished(goals, frame=TERN, measured=UNSURE, **more):
    sites = usual.usual_sites(frame)
    chosen = more.pop("sites", ("sides", "tip", "handle"))
    return Brief(
        frame=frame, measured=measured, targets=goals,
        sites=tuple(sites[key] for key in chosen), materials=more.pop("materials", (TAPE, PUTTY)),
        **more,
    )  # fmt: skip


def brief_of(recipe):
    """A recipe in the figures that decide it."""
    pieces = [(p.site, p.material, p.layers, p.strips(), round(p.mass_g, 3)) for p in recipe.pieces]
    return [pieces, recipe.misses, recipe.added_g, recipe.cuts, recipe.price, recipe.sure.u,
            recipe.sure.chance, recipe.is_ok, recipe.gap]  # fmt: skip


def answered(answer):
    yield "status", [answer.status, answer.is_whole, answer.why.code, answer.why.figures]
    for i, recipe in enumerate(answer.recipes):
        yield f"recipe {i + 1}", brief_of(recipe)
    yield "blocks", list(answer.blocks)
    for one in answer.openings:
        yield f"open {one.kind} {one.name}", [one.to, one.message.figures,
                                              one.recipe and brief_of(one.recipe)]  # fmt: skip


def of_sites():
    for kind, (frame, _, _) in FRAMES.items():
        for how, access in {
            "": Access(),
            " in foam": Access(is_foam=True),
            " unstrung": Access(strings_in=False),
        }.items():
            for key, site in usual.usual_sites(frame, access).items():
                yield f"{kind} {key}{how}", site
        for key, site in usual.usual_sites(frame).items():
            for grams in (0.2, 2.0, 6.0, 14.0):
                yield f"{kind} {grams} g at {key}", usual.laid(site, grams)
    heavy = usual.tapes(5.0, 10.0, 3)[1]
    yield "tape", [*usual.tapes(5.0, 10.0, 3), PUTTY]
    yield "heavy", usual.laid(usual.usual_sites(TERN)["tip"], 7.0, heavy)
    yield "part", usual.laid(PartSite(name="x", piece=Point(mass_g=2, x_mm=9), less_g=[2]), 3.0)
    parts = [Part(kind=kind, mass_g=part.grams[2], u_g=0.2) for kind, part in PARTS.items()]
    parts.append(Part(kind="overgrip", mass_g=5, from_mm=10, to_mm=120))
    parts.append(Part(kind="grip", mass_g=14))
    yield "lighter", usual.lighter_parts(parts, TERN)
    yield "lighter placed", usual.lighter_parts(parts[-2:], TERN)


def of_feel():
    for kind, (frame, read, axis) in FRAMES.items():
        body = read.body().plain
        yield f"{kind} span", feel.face_span(frame)
        for stroke in FRAME_KINDS[kind].strokes:
            yield f"{kind} {stroke.key}", best_hit(body, frame, stroke)
        yield f"{kind} percussion", feel.percussion_mm(body, axis)
        yield f"{kind} others", [feel.polarisation(body, frame.length_mm), feel.sync(body)]
        low, high = feel.face_span(frame)
        spots = [(low, 0), (low - 1, 0), (high, 0), (high + 1, 0), (low + 60, 70), (low + 60, -95),
                 ((low + high) / 2, 100)]  # fmt: skip
        yield f"{kind} on face", [feel.is_on_face(frame, *spot) for spot in spots]
        back = [feel.rebound(body, x, y, kind) for x, y in spots]
        yield f"{kind} rebound", [*back, feel.rebound(body, *spots[0], kind, 0.7)]
        for one in effects(frame, body, axis, 3.0):
            yield f"{kind} 3 g at {one.name}", one
        for name, by in {
            "tip": Strip(mass_g=4, clock=12, length_mm=60, line="edge"),
            "handle": Plug(mass_g=9, from_mm=5, to_mm=40),
            "sides": Strip(mass_g=2, clock=3, length_mm=60, mirror=True),
        }.items():
            put_on = body_of(by, frame)
            for sign, after in (("on", body + put_on), ("off", body - put_on)):
                felt = feel.changed(body, after, axis, Noticed(), True)
                yield f"{kind} {name} {sign}", felt
            yield f"{kind} {name} unread", feel.changed(body, body + put_on, axis, Noticed(), False)
            for stroke in FRAME_KINDS[kind].strokes:
                at = [(low + 60, 70), (low + 90, 0)]
                told = worth(body, body + put_on, kind, stroke, axis, at)
                yield f"{kind} {name} {stroke.key}", told
    hits = Hits(((500.0, 10.0), (520.0, -40.0), (515.0, 30.0)))
    yield "hits", [hits.centre, hits.spread]


def of_advice():
    for kind, (frame, read, axis) in FRAMES.items():
        body = read.body().plain
        for key in WISHES:
            found = advise((key,), frame, body, axis, Noticed(), is_played=True)
            yield f"{kind} {key}", [found.changes, found.against, found.rails]
            yield f"{kind} {key} patterns", [
                [one.key, one.mass_g, one.balance_mm, one.swing_kgcm2, one.twist_kgcm2,
                 one.polarisation, one.serves, one.rails] for one in found.patterns
            ]  # fmt: skip
            for style in ("spin", "flat", "net"):
                other = advise((key,), frame, body, axis, Noticed(), style=style)
                if (other.wishes, other.patterns) != (found.wishes, found.patterns):
                    names = [one.key for one in other.patterns]
                    yield f"{kind} {key} {style}", [other.wishes[0].costs, names]
        heavy = advise(("slow", "depth"), frame, body * 1.2, axis, Noticed(1, 2), is_played=True)
        yield f"{kind} heavy", [heavy.changes, heavy.against, [p.rails for p in heavy.patterns]]
        unread = Body(body.mass, body.moment, body.second, 0.0, 0.0)
        found = advise(("twists",), frame, unread, axis, Noticed())
        yield f"{kind} unread", [found.changes, found.rails]


def of_recipes():
    reach = Goals(swing_kgcm2=Goal(value=322, tol=1, axis_mm=100), mass_g=Goal(change=6, tol=1))
    yield from _each("reached", answered(solve(wished(reach))))
    yield from _each("inertia", answered(solve(wished(reach, priority="inertia", recipes=2))))
    far = Goals(mass_g=Goal(value=311.5, tol=0.5))
    grip = PartSite(name="overgrip", piece=Point(mass_g=5.5, x_mm=95), less_g=[5.5], u_g=0.2)
    trim = PartSite(
        name="guard", piece=Point(mass_g=12, x_mm=680), less_g=[1.5], last_resort=True, u_g=0.2
    )
    yield from _each("too heavy", answered(solve(wished(far, spare_sites=(grip, trim)))))
    yield from _each("guard alone", answered(solve(wished(
        Goals(mass_g=Goal(value=315.3, tol=0.4)), spare_sites=(trim,)))))  # fmt: skip
    little = Goals(swing_kgcm2=Goal(value=340, tol=1), balance_mm=Goal(value=324, tol=0.5))
    spare = {"no. 2": Goals(mass_g=Goal(value=320, tol=1))}
    narrow = wished(
        little, sites=("tip",), materials=(TAPE,), max_added_g=2.0, spare_targets=spare,
        spare_sites=tuple(usual.usual_sites(TERN)[key] for key in ("sides", "handle", "throat")),
        spare_materials=(PUTTY, usual.tapes()[3]),
    )  # fmt: skip
    yield from _each("narrow", answered(solve(narrow)))
    recoil = Goals(recoil_kgcm2=Goal(value=172, tol=0.5), twist_kgcm2=Goal(value=13.9, tol=0.2))
    yield from _each("recoil", answered(solve(wished(recoil, priority="balance"))))
    none = wished(reach, sites=("handle",), materials=(TAPE,))
    yield from _each("nothing fits", answered(solve(none)))
    for way in candidates_of(wished(reach, sites=("tip", "throat", "handle")))[::40]:
        yield "ways", [way.site, way.body, way.cost]
    yield "sureness", sureness(wished(reach), UNSURE.body().plain, [])


def of_rest():
    def left(swing, u, **more):
        read = replace(UNSURE, swing_kgcm2=ufloat(swing, u))
        goals = Goals(swing_kgcm2=Goal(value=325, tol=2), mass_g=Goal(value=317, tol=1))
        return rest(wished(goals, measured=read, **more))

    for name, found in {
        "inside": left(325.4, 0.3), "far": left(310.0, 0.3), "noise": left(322.8, 1.0),
        "unnoticed": left(322.0, 0.1), "over": left(333.0, 0.3),
        "own limits": rest(wished(Goals(swing_kgcm2=Goal(value=325, tol=2)),
                                  measured=replace(UNSURE, swing_kgcm2=ufloat(321.5, 0.1))),
                           {"swing_kgcm2": 2.0}),
    }.items():  # fmt: skip
        yield name, [found.misses, found.chance_now, found.chance_then, found.is_enough, found.why]


def of_sets():
    reads = [(312.0, 322.0, 310.0), (316.5, 324.0, 315.0), (319.0, 321.5, 317.5)]
    members = tuple(
        Member(
            name=f"no. {i}", frame=TERN, parts=(),
            measured=Measured(mass_g=m, balance_mm=b, swing_kgcm2=s, axis_mm=100, twist_kgcm2=13.0),
        )
        for i, (m, b, s) in enumerate(reads, 1)
    )  # fmt: skip
    sites = tuple(usual.usual_sites(TERN)[key] for key in ("sides", "tip", "handle"))
    whole = FrameSet(
        frames=members, materials=(TAPE, PUTTY), sites=sites, target="least-mass",
        tolerances={"mass_g": 1.0, "balance_mm": 1.5, "swing_kgcm2": 1.5},
    )  # fmt: skip
    wrong = {
        "one": replace(whole, frames=members[:1]),
        "twice": replace(whole, frames=(members[0], *members)),
        "no figure": replace(whole, tolerances={}),
        "unknown": replace(whole, tolerances={"wood": 1.0}),
        "below": replace(whole, tolerances={"mass_g": 0.0}),
        "nobody": replace(whole, target="frame:no. 9"),
        "odd": replace(whole, target="moon"),
        "none": replace(whole, target=""),
    }
    for name, one in wrong.items():
        yield f"faults {name}", list(one.faults())


def of_faults():
    goal = Goal(value=320, tol=1)
    for name, goals in {
        "nothing": Goals(), "both": Goals(mass_g=Goal(value=1, change=1, tol=1)),
        "axis": Goals(mass_g=replace(goal, axis_mm=100)),
        "far axis": Goals(swing_kgcm2=replace(goal, axis_mm=900)),
        "no tolerance": Goals(mass_g=replace(goal, tol=0)),
        "below": Goals(mass_g=replace(goal, value=-1)),
    }.items():  # fmt: skip
        yield name, list(wished(goals).faults())
    whole = wished(Goals(mass_g=goal))
    for name, one in {
        "many": replace(whole, recipes=11), "added": replace(whole, max_added_g=-1),
        "weights": replace(whole, weights=replace(whole.weights, seen=-1)),
        "same sites": replace(whole, sites=whole.sites + whole.sites[:1]),
        "unread": replace(whole, measured=replace(READ, twist_kgcm2=None),
                          targets=Goals(twist_kgcm2=goal)),
    }.items():  # fmt: skip
        yield name, list(one.faults())
    tape = replace(TAPE, g_per_mm=0)
    kits = {
        "tape": (tape, PUTTY), "layers": (replace(TAPE, max_layers=11),),
        "step": (replace(TAPE, step_mm=0),), "least": (replace(TAPE, least_mm=-1),),
        "fine": (replace(TAPE, step_mm=0.001),), "putty": (Putty(name="p", step_g=0, max_g=-2),),
    }  # fmt: skip
    for name, kit in kits.items():
        yield f"kit {name}", list(kit_faults(kit, whole.sites, TERN))


def _each(subject, pairs):
    return ((f"{subject} {what}", value) for what, value in pairs)


SUBJECTS = {
    "sites": of_sites, "feel": of_feel, "advice": of_advice, "recipes": of_recipes,
    "rest": of_rest, "sets": of_sets, "faults": of_faults,
}  # fmt: skip


@pytest.mark.parametrize("subject", SUBJECTS)
def test_every_recipe_is_as_kept(subject):
    assert lines(subject, SUBJECTS) == kept(KEPT, subject)


def test_a_point_off_the_face_needs_a_twist_weight():
    unread = Body(300, 96000, 32e6, 0.0, 0.0)
    with pytest.raises(ValueError, match="twist weight must be known"):
        feel.effective_mass(unread, 500, 10)
    assert DocumentError("a", "b").path == "a"


if __name__ == "__main__":
    keep(KEPT, SUBJECTS)
