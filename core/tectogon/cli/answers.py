"""What a command answers: one JSON document a file, and an exit status."""

from __future__ import annotations

import argparse
import functools
import json
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tectogon.errors import TectogonError


@dataclass
class Answer:
    """One JSON document, and the exit status it stands for."""

    file: str
    keys: dict[str, Any] = field(default_factory=dict)
    status: str = "ok"
    message: str = ""
    exit_status: int = 0
    warnings: list[dict[str, Any]] = field(default_factory=list)
    seconds: float = 0.0

    def as_json(self) -> dict[str, Any]:
        return {
            "file": self.file,
            "status": self.status,
            "message": self.message,
            "seconds": round(self.seconds, 4),
            "warnings": self.warnings,
            **self.keys,
        }


class WrongCall(TectogonError):
    """The command was called with values that don't fit."""

    code = "usage"
    exit_status = 2


def on_each(work: Callable[[Path, argparse.Namespace, Answer], None]) -> Callable[[argparse.Namespace], Any]:
    """The same work on every file; one bad file never stops the rest."""

    def over(options: argparse.Namespace) -> Any:
        for path in options.files:
            yield guarded(str(path), functools.partial(work, path, options))

    return over


def guarded(name: str, work: Callable[[Answer], None]) -> Answer:
    answer = Answer(name)
    started = time.perf_counter()
    try:
        work(answer)
    except TectogonError as problem:
        answer.status, answer.message, answer.exit_status = problem.code, problem.sentence, problem.exit_status
    except (MemoryError, RecursionError):
        answer.status, answer.message, answer.exit_status = "over_limit", "The file needs more memory than there is.", 3
    except Exception as bug:
        answer.status, answer.message, answer.exit_status = (
            "internal_error",
            f"An error of our own: {type(bug).__name__}: {bug}",
            6,
        )
    answer.seconds = time.perf_counter() - started
    return answer


def print_answer(answer: Answer, *, as_json: bool) -> None:
    if as_json:
        print(json.dumps(answer.as_json(), allow_nan=False, default=float), flush=True)
        return
    print(f"{answer.file}: {answer.status}{': ' + answer.message if answer.message else ''} ({answer.seconds:.2f} s)")
    for key, value in answer.keys.items():
        if isinstance(value, list) and value and isinstance(value[0], dict):
            print(f"  {key}:")
            for item in value[:100]:
                print("    " + ", ".join(f"{k} {_short(v)}" for k, v in item.items()))
        else:
            print(f"  {key}: {_short(value)}")
    for warning in answer.warnings:
        print(f"  note: {warning['text']}")


def _short(value: Any) -> str:
    if isinstance(value, float):
        return f"{value:.6g}"
    if isinstance(value, list):
        return "[" + ", ".join(_short(v) for v in value) + "]"
    return str(value)
