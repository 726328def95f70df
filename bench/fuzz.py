"""Odd bodies for every document and form: whatever is sent, the answer is a sentence, never a
traceback. Repeatable by its seed."""

from __future__ import annotations

import copy
import json
import random
import re
from collections import Counter
from collections.abc import Callable, Iterator
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

from kentrobar.core.errors import DocumentError

ODD: tuple[Any, ...] = (
    -1, 1.5, 0, 1e308, -1e308, 10**400, True, None, "", "x", "\0", "½", "1e400", "NaN", "٣",
    "a" * 3000,
    [], {}, [[]], [None], [{}], {"value": 1}, {"value": None, "u": -1}, {"kind": []}, [1, "x"],
)  # fmt: skip
TYPED = (
    "", " ", "-1", "1.5", "0", "1e308", "1e400", "NaN", "inf", "x", "½", "٣", "1,5", "1.5.5",
    "27 in",
    "8 oz", "9" * 30, "\0", "\u202e", "a" * 3000, "null", "[]", "{}", "mass_g", "swing_kgcm2",
    "racket",
    "2026-02-30", "9999-12-31", "12:61", "-0", "1/0", "<b>", "'", "%00", "as-played",
)  # fmt: skip


KIT: dict[str, Any] = {
    "targets": {"mass_g": {"value": 315, "tol": 1}, "swing_kgcm2": {"value": 312, "tol": 1}},
    "materials": [
        {"name": "tape", "kind": "tape", "g_per_mm": 0.0098, "step_mm": 6.35, "max_layers": 2},
        {"name": "putty", "kind": "putty", "step_g": 0.5, "max_g": 30},
    ],
    "sites": [
        {"name": "tip", "kind": "strip", "clock": 12, "line": "edge", "max_length_mm": 150,
         "keep_out_mm": [[-8, 8]]},
        {"name": "handle", "kind": "plug", "from_mm": 5, "to_mm": 40},
    ],
    "priority": "swing", "recipes": 3,
}  # fmt: skip


def documents(count: int, seed: int = 1) -> Counter[str]:
    """Mutated documents of every kind, parsed; what was raised that is no DocumentError."""
    from kentrobar.core.io.parsing import load_json
    from kentrobar.core.io.plans import plan_of, prediction_document
    from kentrobar.core.io.readings import measurement_document
    from kentrobar.core.io.recipes import brief_of, set_of

    def predicted(value: Any) -> Any:
        return prediction_document(plan_of(value))

    vectors = Path(__file__).parent.parent / "tests/core/vectors"
    plan = _cases(vectors / "predict.json")[0]
    brief = {
        "format": "kentrobar-brief/1",
        **{name: plan[name] for name in ("frame", "measured")},
    } | KIT
    kinds: list[tuple[Callable[[Any], Any], list[Any]]] = [
        (predicted, _cases(vectors / "predict.json")),
        (measurement_document, _cases(vectors / "reduce.json")),
        (brief_of, [brief]), (set_of, [_set_of(brief)]),
    ]  # fmt: skip
    lot, failed = random.Random(seed), Counter[str]()
    for number in range(count):
        read, sound = kinds[number % len(kinds)]
        odd = mutated(copy.deepcopy(lot.choice(sound)), lot)
        try:
            read(load_json(json.dumps(odd)))
        except DocumentError:
            pass
        except Exception as error:
            failed[f"{read.__name__}: {type(error).__name__}: {error}"[:140]] += 1
    return failed


def _cases(path: Path) -> list[Any]:
    cases = json.loads(path.read_text())["cases"]
    return [one.get("plan") or one.get("reading") or one.get("input") for one in cases]


def _set_of(brief: dict[str, Any]) -> dict[str, Any]:
    member = {"frame": brief["frame"], "measured": brief["measured"]}
    return {
        "format": "kentrobar-set/1",
        "frames": [{"name": "A"} | member, {"name": "B"} | member],
        "tolerances": {"mass_g": 1, "balance_mm": 1, "swing_kgcm2": 1}, "target": "least-mass",
        "materials": brief["materials"], "sites": brief["sites"], "priority": "inertia",
    }  # fmt: skip


def mutated(value: Any, lot: random.Random) -> Any:
    """The document with one to three of its values exchanged, dropped or added."""
    for _ in range(lot.randint(1, 3)):
        holder, key = lot.choice(list(_places(value)) or [(None, None)])
        match lot.random():
            case _ if holder is None:
                return copy.deepcopy(lot.choice(ODD))
            case share if share < 0.8:
                holder[key] = copy.deepcopy(lot.choice(ODD))
            case share if share < 0.9 and isinstance(holder, dict):
                del holder[key]
            case _ if isinstance(holder, dict):
                holder[lot.choice(["more", "value", "u", "kind", "__class__"])] = copy.deepcopy(
                    lot.choice(ODD)
                )
    return value


def _places(value: Any) -> Iterator[tuple[Any, Any]]:
    entries: Any = value.items() if isinstance(value, dict) else ()
    for key, one in list(enumerate(value) if isinstance(value, list) else entries):
        yield value, key
        yield from _places(one)


FILE = "a file"
FILES = (
    b"", b"\0\xff", b"name;mass_g\nGull;300\n", b"time,x\n0,1\n0.1,nan\n1e400,2\n", b"{}",
    b"[" * 3000,
    b"\x89PNG\r\n\x1a\n" + b"\0" * 60,
    "".join(f"{i / 50},{(i % 35) - 17}\n" for i in range(900)).encode(),
)  # fmt: skip


class _Forms(HTMLParser):
    """Addresses that forms and buttons post to, with their boxes."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[tuple[str, dict[str, str]]] = []
        self.links: set[str] = set()
        self.boxes: dict[str, str] = {}

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        known = {name: value or "" for name, value in attrs}
        if tag == "form":
            self.boxes = {}
            if known.get("method", "get").lower() == "post":
                self.found.append((known.get("action", ""), self.boxes))
        elif tag in ("input", "select", "textarea", "button") and known.get("name"):
            kept = FILE if known.get("type") == "file" else known.get("value", "")
            self.boxes.setdefault(known["name"], kept)
        for name in ("formaction", "hx-post"):
            if known.get(name):
                self.found.append((known[name], self.boxes))
        if tag == "a" and known.get("href", "").startswith("/"):
            self.links.add(known["href"])


FIRST = (
    "/bench/", "/", "/plans/", "/sets/", "/jobs/", "/settings/", "/jobs/new/",
    "/frames/1/measure/?method=pendulum&quantity=swing_kgcm2",
    "/frames/1/measure/?method=bifilar&quantity=twist_kgcm2",
)  # fmt: skip
LEFT_OUT = re.compile(
    r"/(sign-out|account/password|account/end|phones/let|data/restore|simulators)"
)


def forms(count: int, seed: int = 1) -> Counter[str]:
    """Every form of the demo, sent with odd values; addresses that answered 500 or more."""
    from django.contrib.auth import get_user_model
    from django.core.files.uploadedfile import SimpleUploadedFile
    from django.test import Client

    client = Client(SERVER_NAME="127.0.0.1", raise_request_exception=False)
    client.force_login(get_user_model()._default_manager.order_by("pk")[0])
    lot, failed = random.Random(seed), Counter[str]()
    found = _crawled(client, failed)
    names = sorted({name for _, boxes in found for name in boxes})
    for number in range(count):
        address, boxes = found[number % len(found)]
        values: dict[str, Any] = {k: v for k, v in boxes.items() if lot.random() < 0.9}
        for _ in range(lot.randint(1, 4)):
            name = lot.choice([*boxes] or names) if lot.random() < 0.7 else lot.choice(names)
            values[name] = lot.choice(TYPED)
        for name, value in values.items():
            if value == FILE:
                values[name] = SimpleUploadedFile("it.csv", lot.choice(FILES))
        headers = {"HX-Request": "true"} if lot.random() < 0.5 else {}
        answer = client.post(address, values, headers=headers)
        if answer.status_code >= 500 and answer.status_code not in (503, 507):
            odd = {k: str(v)[:20] for k, v in values.items() if v and v != boxes.get(k)}
            failed[f"{answer.status_code} {address} {odd}"[:260]] += 1
    return failed


def _crawled(client: Any, failed: Counter[str]) -> list[tuple[str, dict[str, str]]]:
    """Forms of the pages that can be reached from the Bench, each address once; ``failed`` counts
    pages that break when they are only looked at."""
    found: dict[str, dict[str, str]] = {}
    seen: set[str] = set()
    waiting = [*FIRST]
    while waiting and len(seen) < 220:
        page = waiting.pop(0)
        shape = re.sub(r"\d+", "N", page)
        if page in seen or sum(re.sub(r"\d+", "N", one) == shape for one in seen) >= 3:
            continue
        seen.add(page)
        answer = client.get(page)
        failed.update([f"GET {page}: {answer.status_code}"] if answer.status_code == 500 else [])
        if not answer.get("Content-Type", "").startswith("text/html") or answer.streaming:
            continue
        forms = _Forms()
        forms.feed(answer.content.decode())
        waiting += sorted(forms.links)
        for action, boxes in forms.found:
            address = (action or page).partition("#")[0]
            if address.startswith("/") and not LEFT_OUT.search(address):
                found.setdefault(address, boxes)
    for address in _addresses():
        found.setdefault(address, {"method": "scale", "quantity": "mass_g", "file": FILE})
    return sorted(found.items())


def _addresses() -> Iterator[str]:
    """Every address, asked about the first of whatever it is about."""
    from django.urls import get_resolver

    def walk(patterns: Any, before: str = "/") -> Iterator[str]:
        for one in patterns:
            if hasattr(one, "url_patterns"):
                yield from walk(one.url_patterns, before + str(one.pattern))
            else:
                yield re.sub(
                    "<str:[^>]*>", "x", re.sub("<int:[^>]*>", "1", before + str(one.pattern))
                )

    for address in walk(get_resolver().url_patterns):
        if not LEFT_OUT.search(address) and "<" not in address and "^" not in address:
            yield address
