"""Plain values to the core's dataclasses, by their type hints; every fault with its path.

What a document may hold is written once, as a dataclass: read here, and described for others by
``schemas.py``. Strict as JSON is: no ``"12"`` or ``true`` for a number, no unknown key.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields, is_dataclass
from functools import cache
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

from kentrobar.core.errors import DocumentError

Reader = Callable[[Any, str], Any]
"""Takes a plain value and its path; raises DocumentError."""


@dataclass(frozen=True, eq=False)
class OneOf:
    """Stands in an annotation: the members of the union are told apart by what ``key`` says."""

    table: Mapping[str, Any]
    key: str = "kind"


def read(structure: Any, value: Any, path: str = "") -> Any:
    """A plain value as a structure: a dataclass or a union of them.
    Raises DocumentError with the path of the first thing wrong."""
    return reader(structure)(value, path)


@cache
def reader(structure: Any) -> Reader:
    """What reads values of a structure, made when the first of them is read."""
    if structure in _PLAIN:
        types, what = _PLAIN[structure]
        return _plain(types, what, structure)
    if is_dataclass(structure):
        return _object(structure)
    origin, inside = get_origin(structure), get_args(structure)
    if origin is Annotated:
        told = next((one for one in structure.__metadata__ if isinstance(one, OneOf)), None)
        return _one_of(told) if told else reader(inside[0])
    if origin in (Union, UnionType):
        return _either(inside)
    if origin is Literal:
        return _literal(inside)
    if origin is list:
        return _list(reader(inside[0]))
    if origin is tuple and inside[-1] is ...:
        every = _list(reader(inside[0]))
        return lambda value, path: tuple(every(value, path))
    if origin is tuple:
        return _tuple([reader(one) for one in inside])
    if origin is dict:
        return _mapping(reader(inside[1]))
    raise TypeError(f"no document holds {structure}")


_PLAIN: dict[Any, tuple[tuple[type, ...], str]] = {
    float: ((float, int), "a number"),
    int: ((int,), "a whole number"),
    bool: ((bool,), "true or false"),
    str: ((str,), "a text"),
}


def _is_object(structure: Any) -> bool:
    told = getattr(structure, "__metadata__", ())
    return is_dataclass(structure) or any(isinstance(one, OneOf) for one in told)


def _plain(types: tuple[type, ...], what: str, made: Callable[[Any], Any]) -> Reader:
    def read(value: Any, path: str) -> Any:
        if type(value) not in types:
            raise DocumentError(path, f"{quoted(value)} is not {what}")
        return made(value)

    return read


def _object(structure: Any) -> Reader:
    hints = get_type_hints(structure, include_extras=True)
    known = [
        (one.name, reader(hints[one.name]), one.default is one.default_factory)  # both MISSING
        for one in fields(structure)
    ]

    def read(value: Any, path: str) -> Any:
        if not isinstance(value, dict):
            raise DocumentError(path, "must be an object")
        start = f"{path}." if path else ""
        given = {}
        for name, of_field, needed in known:
            if name in value:
                given[name] = of_field(value[name], start + name)
            elif needed:
                raise DocumentError(start + name, "missing")
        if len(given) < len(value):
            unknown = next(key for key in value if key not in given)
            raise DocumentError(f"{start}{unknown}", "unknown key")
        return structure(**given)

    return read


def _one_of(told: OneOf) -> Reader:
    def read(value: Any, path: str) -> Any:
        if not isinstance(value, dict):
            raise DocumentError(path, "must be an object")
        at = f"{path}.{told.key}" if path else told.key
        if told.key not in value:
            raise DocumentError(at, "missing")
        name = value[told.key]
        if not isinstance(name, str) or name not in told.table:
            raise DocumentError(at, f"{quoted(name)} is not one of {', '.join(told.table)}")
        return reader(told.table[name])(value, path)

    return read


def _either(members: tuple[Any, ...]) -> Reader:
    """Nothing, an object or something plain: what is given says which is meant."""
    given = [one for one in members if one is not NoneType]
    objects = [reader(one) for one in given if _is_object(one)]
    plain = [reader(one) for one in given if not _is_object(one)]
    if len(objects) > 1 or len(plain) > 1:
        raise TypeError(f"which of {members} is meant is not told")
    of_object, of_plain = (objects or plain)[0], (plain or objects)[0]

    def read(value: Any, path: str) -> Any:
        if value is None and NoneType in members:
            return None
        return (of_object if isinstance(value, dict) else of_plain)(value, path)

    return read


def _literal(members: tuple[Any, ...]) -> Reader:
    *first, last = [repr(one) for one in members]
    expected = f"{', '.join(first)} or {last}" if first else last

    def read(value: Any, path: str) -> Any:
        if not any(value == one and type(value) is type(one) for one in members):
            raise DocumentError(path, f"{quoted(value)} is not {expected}")
        return value

    return read


def _list(inner: Reader) -> Reader:
    def read(value: Any, path: str) -> list[Any]:
        if not isinstance(value, list | tuple):
            raise DocumentError(path, "must be a list")
        return [inner(one, f"{path}[{i}]") for i, one in enumerate(value)]

    return read


def _tuple(inner: list[Reader]) -> Reader:
    def read(value: Any, path: str) -> tuple[Any, ...]:
        if not isinstance(value, list | tuple) or len(value) != len(inner):
            raise DocumentError(path, f"must be a list of {len(inner)}")
        return tuple(
            of(one, f"{path}[{i}]") for i, (of, one) in enumerate(zip(inner, value, strict=True))
        )

    return read


def _mapping(inner: Reader) -> Reader:
    def read(value: Any, path: str) -> dict[str, Any]:
        if not isinstance(value, dict):
            raise DocumentError(path, "must be an object")
        start = f"{path}." if path else ""
        return {key: inner(one, f"{start}{key}") for key, one in value.items()}

    return read


def quoted(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 60 else text[:57] + "…"
