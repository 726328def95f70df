"""Open documents and the core's values: JSON to plain values to values, every fault with its
path."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from pydantic import Discriminator, TypeAdapter, ValidationError

from kentrobar.core.errors import Fault, Refusal
from kentrobar.core.numbers import Number, nominal, uncertainty

MOST = 1e12
"""No number of a document is larger."""


def load_json(text: str | bytes) -> Any:
    """JSON to plain values, refusing keys given twice and numbers that are not finite."""
    try:
        if isinstance(text, bytes):
            text = text.decode("utf-8-sig")
        value = json.loads(text, object_pairs_hook=_unique)
    except UnicodeDecodeError as error:
        raise Fault("", f"not UTF-8 text (byte {error.start})") from None
    except json.JSONDecodeError as error:
        raise Fault(
            "", f"not JSON: {error.msg}, line {error.lineno}, column {error.colno}"
        ) from None
    except RecursionError:
        raise Fault("", "nested too deeply") from None
    except Fault:
        raise
    except ValueError as error:  # a number with thousands of digits
        raise Fault("", f"not JSON: {error}") from None
    _check_finite(value)
    return value


# Union members carry «tags», which pydantic puts into the path of an error and _fault takes out.


def by_kind(table: Mapping[str, object], key: str = "kind") -> Discriminator:
    """Tells the members of a union apart by what their ``key`` says."""

    def tag(value: Any) -> str:
        # A dict when reading, a value of the core when pydantic looks at its own result.
        kind = value.get(key) if isinstance(value, dict) else getattr(value, key, None)
        return f"«{kind}»" if isinstance(kind, str) and kind in table else "«?»"

    return Discriminator(tag)


Tables = Mapping[Any, tuple[Mapping[str, object], str]]
"""By the first step of a path: what tells the members of the union there apart, and by which key;
``...`` for every other step."""


def parse(adapter: TypeAdapter[Any], value: Any, tables: Tables, root: str = "") -> Any:
    """Plain values by their structure. Raises Fault with the path of the first thing wrong."""
    try:
        # Strict JSON mode takes objects and lists, but no "12" or true for a number.
        return adapter.validate_json(json.dumps(value), strict=True, extra="forbid")
    except ValidationError as error:
        raise _fault(error.errors(include_url=False)[0], root, tables) from None


def _fault(error: Any, root: str, tables: Tables) -> Fault:
    """The first thing pydantic found wrong, in the words and the path form of our documents."""
    loc = [step for step in error["loc"] if not str(step).startswith("«")]
    path = root
    for step in loc:
        path += f"[{step}]" if isinstance(step, int) else f".{step}" if path else str(step)
    kind = error["type"]
    if kind == "missing":
        return Fault(path, "missing")
    if kind in ("unexpected_keyword_argument", "extra_forbidden"):
        return Fault(path, "unknown key")
    if kind == "union_tag_invalid":
        given = error["input"]
        if not isinstance(given, dict):
            return Fault(path, "must be an object")
        table, key = tables.get(loc[0] if loc else "") or tables[...]
        reason = (
            f"{_quoted(given[key])} is not one of {', '.join(table)}" if key in given else "missing"
        )
        return Fault(f"{path}.{key}" if path else key, reason)
    given = _quoted(error["input"])
    if kind in ("float_type", "float_parsing"):
        return Fault(path, f"{given} is not a number")
    if kind in ("int_type", "int_from_float", "int_parsing"):
        return Fault(path, f"{given} is not a whole number")
    if kind == "bool_type":
        return Fault(path, f"{given} is not true or false")
    if kind == "literal_error":
        return Fault(path, f"{given} is not {error['ctx']['expected']}")
    if kind in ("dataclass_type", "dataclass_exact_type"):
        return Fault(path, "must be an object")
    if kind == "list_type":
        return Fault(path, "must be a list")
    if kind == "string_type":
        return Fault(path, f"{given} is not a text")
    return Fault(path, f"{given}: {error['msg']}")


def _quoted(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 60 else text[:57] + "…"


def _unique(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for key, value in pairs:
        if key in found:
            raise Fault(key, "given twice")
        found[key] = value
    return found


def _check_finite(value: Any, path: str = "") -> None:
    if isinstance(value, dict):
        for key, inner in value.items():
            _check_finite(inner, f"{path}.{key}" if path else key)
    elif isinstance(value, list):
        for i, inner in enumerate(value):
            _check_finite(inner, f"{path}[{i}]")
    elif isinstance(value, (int, float)) and not abs(value) <= MOST:
        # Its square, and that of its u, must still be numbers.
        is_number = abs(value) < 1e300
        beyond = (
            Refusal("outside", float(value), -MOST, MOST) if is_number else "not a finite number"
        )
        raise Fault(path, beyond)


# --- writing -------------------------------------------------------------------------------------


def dump_number(value: Number | None) -> Any:
    """A number as documents hold it: plain, or with its uncertainty; nine decimals are plenty."""
    if value is None:
        return None
    if hasattr(value, "nominal_value"):
        return {"value": round(nominal(value), 9), "u": round(uncertainty(value) or 0.0, 9)}
    return round(value, 9)
