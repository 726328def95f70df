"""Open documents: JSON to plain values and numbers back to JSON. ``structure.py`` makes the core's
values of them."""

from __future__ import annotations

import json
from typing import Any

from kentrobar.core.errors import DocumentError, Refusal
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
        raise DocumentError("", f"not UTF-8 text (byte {error.start})") from None
    except json.JSONDecodeError as error:
        raise DocumentError(
            "", f"not JSON: {error.msg}, line {error.lineno}, column {error.colno}"
        ) from None
    except RecursionError:
        raise DocumentError("", "nested too deeply") from None
    except DocumentError:
        raise
    except ValueError as error:  # a number with thousands of digits
        raise DocumentError("", f"not JSON: {error}") from None
    _check_finite(value)
    return value


def _unique(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for key, value in pairs:
        if key in found:
            raise DocumentError(key, "given twice")
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
        raise DocumentError(path, beyond)


# --- writing -------------------------------------------------------------------------------------


def dump_number(value: Number | None) -> Any:
    """A number as documents hold it: plain, or with its uncertainty; nine decimals are plenty."""
    if value is None:
        return None
    if hasattr(value, "nominal_value"):
        return {"value": round(nominal(value), 9), "u": round(uncertainty(value) or 0.0, 9)}
    return round(value, 9)
