"""JSON Schema of every open document, made of what reads and writes them.

`python -m kentrobar.core.io.schemas DIR` writes one file a document.
"""

from __future__ import annotations

import functools
import json
import sys
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from . import answers, plans, readings, recipes

ABOUT = ("$defs", "$schema", "$id", "discriminator", "description")
DIALECT = "https://json-schema.org/draft/2020-12/schema"


STRUCTURES: dict[str, Any] = {
    plans.PLAN_FORMAT: plans.PlanDocument,
    readings.READING_FORMAT: readings.AnyReading,
    recipes.BRIEF_FORMAT: recipes.BriefDocument,
    recipes.SET_FORMAT: recipes.SetDocument,
    plans.PREDICTION_FORMAT: answers.PredictionDocument,
    readings.MEASUREMENT_FORMAT: answers.MeasurementDocument,
    recipes.RECIPES_FORMAT: answers.RecipesDocument,
    recipes.MATCH_FORMAT: answers.MatchedDocument,
}


def schemas() -> dict[str, dict[str, Any]]:
    """By the document's format: ``kentrobar-plan/1`` and its like."""
    return {name: schema_of(name) for name in STRUCTURES}


def schema_of(name: str) -> dict[str, Any]:
    made = TypeAdapter(STRUCTURES[name]).json_schema()
    schema: dict[str, Any] = _clean(made, is_open=name == readings.MEASUREMENT_FORMAT)
    if name == readings.READING_FORMAT:
        schema = _with_format(schema)
    return {"$schema": DIALECT, "$id": name, "title": name} | schema


def _clean(schema: Any, is_open: bool = False) -> Any:
    """Without the titles a program gives; unknown keys are refused, as they are when read; what
    tells kinds apart must be there."""
    if isinstance(schema, list):
        return [_clean(one, is_open) for one in schema]
    if not isinstance(schema, dict):
        return schema
    kept = {
        key: {name: _clean(one, is_open) for name, one in value.items()}
        if key in ("properties", "$defs")
        else _clean(value, is_open)
        for key, value in schema.items()
        if not (key == "title" and isinstance(value, str))
    }
    properties = kept.get("properties")
    if properties:
        kept.setdefault("additionalProperties", is_open)
        told = [key for key in ("kind", "method") if "const" in properties.get(key, {})]
        needed = [*told, *(key for key in kept.get("required", ()) if key not in told)]
        if needed:
            kept["required"] = needed
    return kept


def _with_format(schema: dict[str, Any]) -> dict[str, Any]:
    """Every kind of reading begins with the format, and may say that its figures are typed."""
    for of_method in schema["$defs"].values():
        if "method" in of_method["properties"]:
            more = {"format": {"const": readings.READING_FORMAT}, "typed": {"type": "boolean"}}
            of_method["properties"] = more | of_method["properties"]
            of_method["required"] = ["format", *of_method["required"]]
    return schema


@functools.cache
def inlined(form: str) -> dict[str, Any]:
    """A document's schema without references, to stand inside another."""
    whole = schema_of(form)

    def without(part: Any) -> Any:
        if isinstance(part, list):
            return [without(one) for one in part]
        if not isinstance(part, dict):
            return part
        if "$ref" in part:
            return without(whole["$defs"][part["$ref"].removeprefix("#/$defs/")])
        return {key: without(one) for key, one in part.items() if key not in ABOUT}

    found: dict[str, Any] = without(whole)
    return found


def file_name(form: str) -> str:
    """``kentrobar-plan/1`` is in ``kentrobar-plan-1.json``."""
    return form.replace("/", "-") + ".json"


def text(schema: dict[str, Any]) -> str:
    return json.dumps(schema, indent=2, ensure_ascii=False) + "\n"


def main(folder: str) -> None:
    for form, schema in schemas().items():
        Path(folder, file_name(form)).write_text(text(schema))


if __name__ == "__main__":
    main(sys.argv[1])
