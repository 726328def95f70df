"""The house has one direction for templates and relations too, not only for imports."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import pytest
from django.apps import apps
from django.template.engine import Engine
from django.urls import URLPattern, get_resolver

ROOT = Path(__file__).parents[2] / "kentrobar"
ORDER = [
    "core",
    "ui",
    "shop",
    "frames",
    "measuring",
    "stock",
    "plans",
    "recipes",
    "workshop",
    "devices",
    "accounts",
    "backups",
    "api",
    "api",
    "demo",
    "site",
]
RANK = {name: i for i, name in enumerate(ORDER)}
TEMPLATES = sorted(ROOT.glob("*/templates/**/*.html"))


def room(path: Path) -> str:
    return path.relative_to(ROOT).parts[0]


def addresses() -> dict[str, str]:
    """By the name of an address: the room it leads to; the site's own are Django's, of ``ui``."""

    def walk(patterns):
        for one in patterns:
            if isinstance(one, URLPattern):
                module = one.callback.__module__
                yield one.name, module.split(".")[1] if module.startswith("kentrobar.") else "ui"
            else:
                yield from walk(one.url_patterns)

    return dict(walk(get_resolver().url_patterns))


def libraries() -> dict[str, str]:
    found = Engine.get_default().libraries
    return {
        name: path.split(".")[1] for name, path in found.items() if path.startswith("kentrobar.")
    }


def templates_of(name: str) -> str | None:
    found = next((path for path in TEMPLATES if str(path).endswith(f"/templates/{name}")), None)
    return room(found) if found else None


@pytest.mark.parametrize("path", TEMPLATES, ids=lambda path: "/".join(path.parts[-2:]))
def test_a_template_knows_nothing_of_the_rooms_above(path):
    text, own = path.read_text(), RANK[room(path)]
    to, tags = addresses(), libraries()
    uses = {f"url {name}": to[name] for name in re.findall(r"{%\s*url\s+['\"]([^'\"]+)", text)}
    uses |= {
        f"load {name}": tags[name]
        for line in re.findall(r"{%\s*load ([^%]+)%}", text)
        for name in line.split()
        if name in tags
    }
    uses |= {
        f"include {name}": there
        for name in re.findall(r"{%\s*(?:include|extends)\s+['\"]([^'\"]+)", text)
        if (there := templates_of(name))
    }
    assert not {use: to for use, to in uses.items() if RANK[to] > own}


def test_no_room_reaches_up_through_a_reverse_relation():
    """A foreign key of a room above puts an attribute on a model below; no code below may use
    it."""
    above: dict[str, tuple[str, str]] = {}
    for model in apps.get_models():
        if not model.__module__.startswith("kentrobar."):
            continue
        own = model.__module__.split(".")[1]
        for part in model._meta.related_objects:
            by = part.related_model.__module__.split(".")
            name = part.get_accessor_name()
            if by[0] == "kentrobar" and name and RANK[by[1]] > RANK[own]:
                above[name] = (own, by[1])
    assert above, "there are such relations"
    used = [
        f"{path.relative_to(ROOT)}:{node.lineno} {name}"
        for path in sorted(ROOT.glob("*/**/*.py"))
        if room(path) != "core" and "migrations" not in path.parts
        for node, name in _names(path)
        if name in above and RANK[above[name][0]] <= RANK[room(path)] < RANK[above[name][1]]
    ]
    assert not used


def _names(path: Path):
    """Attributes, and the first steps of looked-up strings and keywords of queries."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Attribute):
            yield node, node.attr
        elif isinstance(node, ast.keyword) and node.arg and "__" in node.arg:
            yield node.value, node.arg.split("__")[0]
        elif isinstance(node, ast.Call) and getattr(node.func, "id", "") in (
            "Count",
            "Prefetch",
            "Exists",
        ):
            for arg in node.args:
                if isinstance(arg, ast.Constant) and isinstance(arg.value, str):
                    yield arg, arg.value.split("__")[0]
