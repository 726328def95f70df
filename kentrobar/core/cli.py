"""The command line: ``python -m kentrobar.core predict plan.json``.

Reads a file or ``-`` and prints one JSON document. A bad document exits 2 with one line on standard
error that names the path of the fault. With ``--lines``, one document a line in, one answer a line
out, a bad one answered by ``{"error": "…"}`` in its place.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from typing import Any, BinaryIO

from kentrobar.core.errors import DocumentError
from kentrobar.core.io.parsing import load_json
from kentrobar.core.io.plans import plan_of, prediction_document


def predict(document: Any) -> dict[str, Any]:
    return prediction_document(plan_of(document))


def reduce(document: Any) -> dict[str, Any]:
    # Measuring brings methods that planning does not need at the start.
    from kentrobar.core.io.readings import measurement_document

    return measurement_document(document)


def solve(document: Any) -> dict[str, Any]:
    from kentrobar.core.io.recipes import recipes_document

    return recipes_document(document)


def match(document: Any) -> dict[str, Any]:
    from kentrobar.core.io.recipes import match_document

    return match_document(document)


COMMANDS: dict[str, tuple[Callable[[Any], dict[str, Any]], str]] = {
    "predict": (predict, "what a plan does: kentrobar-plan/1 in, kentrobar-prediction/1 out"),
    "reduce": (
        reduce,
        "what a raw reading comes to: kentrobar-reading/1 in, kentrobar-measurement/1 out",
    ),
    "solve": (solve, "recipes that reach targets: kentrobar-brief/1 in, kentrobar-recipes/1 out"),
    "match": (
        match,
        "one target for a set, and a recipe for each: kentrobar-set/1 in, kentrobar-match/1 out",
    ),
}


def main(argv: list[str] | None = None, prog: str = "python -m kentrobar.core") -> int:
    """Run one command. Returns the exit status: 0, or 2 for what could not be read."""
    parser = argparse.ArgumentParser(prog=prog, description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True)
    for name, (_, summary) in COMMANDS.items():
        sub = commands.add_parser(name, help=summary, description=summary)
        sub.add_argument("file", help="a JSON document, or - for standard input")
        sub.add_argument(
            "--lines", action="store_true", help="one document a line, one answer a line"
        )
        if name == "reduce":
            _film_options(sub)
    options = parser.parse_args(argv)
    if options.command == "predict":
        _spare_numpy()
    answer = COMMANDS[options.command][0]
    sys.stdout.reconfigure(encoding="utf-8")  # type: ignore[union-attr]
    sys.stderr.reconfigure(encoding="utf-8", errors="backslashreplace")  # type: ignore[union-attr]
    try:
        if options.file == "-":
            return _answer(sys.stdin.buffer, answer, options.lines)
        with open(options.file, "rb") as source:
            # No text holds a NUL, and every film does.
            if options.command == "reduce" and b"\0" in source.peek(256)[:256]:
                return _film(options)
            return _answer(source, answer, options.lines)
    except BrokenPipeError:  # the reader, `head` say, had enough
        sys.stderr.close()
        return 0
    except OSError as error:
        return _refuse(f"{options.file}: {error.strerror or error}")
    except DocumentError as fault:
        return _refuse(str(fault))


def _spare_numpy() -> None:
    """Let ``uncertainties`` load as where numpy is not installed: no plan needs what it would do
    with arrays, and numpy takes longer to load than a plan to be predicted."""
    if "numpy" not in sys.modules:
        sys.modules["numpy"] = None  # type: ignore[assignment]
        import uncertainties  # noqa: F401

        del sys.modules["numpy"]


def _film_options(reduce: argparse.ArgumentParser) -> None:
    reduce.epilog = "FILE may be a film of a swing as well: mp4, mov, webm or avi."
    reduce.add_argument(
        "--with", dest="setup", metavar="READING", help="of a film: the set-up it was swung in,"
        " a kentrobar-reading/1 without its period",
    )  # fmt: skip
    reduce.add_argument("--expect", type=float, metavar="S", help="the period it should have, s")
    reduce.add_argument(
        "--slowed", type=int, choices=(1, 2, 4, 8), default=1, help="how many times slow motion"
    )
    reduce.add_argument("--keep", metavar="FILE", help="write the reading itself there as well")


def _film(options: argparse.Namespace) -> int:
    # A film brings libraries no document needs.
    from kentrobar.core.io.films import reading_of_film

    setup = None
    if options.setup:
        with open(options.setup, "rb") as file:
            setup = load_json(file.read())
    reading = reading_of_film(options.file, setup, options.expect, options.slowed)
    if options.keep:
        with open(options.keep, "w", encoding="utf-8") as kept:
            json.dump(reading, kept)
    _write(reduce(reading))
    return 0


def _answer(source: BinaryIO, answer: Callable[[Any], dict[str, Any]], lines: bool) -> int:
    if not lines:
        _write(answer(load_json(source.read())))
        return 0
    for line in source:
        try:
            _write(answer(load_json(line)))
        except DocumentError as fault:
            _write({"error": str(fault)})
    return 0


def _write(document: dict[str, Any]) -> None:
    # ASCII escapes keep the answer printable whatever odd text a document carried.
    sys.stdout.write(json.dumps(document) + "\n")
    sys.stdout.flush()


def _refuse(message: str) -> int:
    sys.stderr.write(" ".join(message.split()) + "\n")
    return 2
