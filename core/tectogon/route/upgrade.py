"""Cards of earlier versions, brought to the one in force. A card says its version; one that says none is of the first.

An upgrade takes a card as plain data and gives the next version's; they run one after another, and none is ever changed
once cards were written by it.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from tectogon.errors import CardUnreadable

VERSION = 6
"""The version that is written."""


def upgraded(card: dict[str, Any]) -> dict[str, Any]:
    """The card as the version in force has it. Raises CardUnreadable for one of a later version, or without a version
    that makes sense."""
    version = card.get("version", 1)
    if not isinstance(version, int) or version < 1:
        raise CardUnreadable(
            f"The card can't be read: its version is {str(version)[:20]!r}, where a whole number is wanted."
        )
    if version > VERSION:
        raise CardUnreadable(
            f"The card is of version {version}, written by a newer program; cards up to version {VERSION} are read"
            " here."
        )
    for number in range(version, VERSION):
        card = {**_UPGRADES[number](card), "version": number + 1}
    return card


# 1 to 2: ids name the step that read a source instead of its place among the sources; values and operations are codes
# that say what they are --

_CODES = {
    phrase: phrase.replace(" ", "_")
    for phrase in (
        "one side",
        "half each side",
        "two lengths",
        "as seen",
        "half as seen",
        "next face",
        "layer off",
        "centre marks",
        "as drawn",
        "to the others",
        "arc through",
        "arc about",
        "arc of radius",
        "each way",
        "in line",
        "lower left",
        "lower right",
        "upper left",
        "upper right",
        "stainless steel",
        "nitrile rubber",
    )
}
_OPERATIONS = {"part": "separate", "true_up": "regularise", "right_view": "turn_view", "levels": "extrude_levels"}
_CODED = {"extent", "depth", "proposals", "scales", "shape", "how", "origin", "about", "material"}
"""Parameters that hold codes; names of layers, files and views are left as they are."""
_SOURCE = re.compile(r"\bs(\d+):")
_MADE = re.compile(r"\bm(\d+)\.(\d+)")
_FACE_PIECE = re.compile(r"~\d+(?=, operation \d+$)")


def _to_codes_and_steps(card: dict[str, Any]) -> dict[str, Any]:
    steps = [s for s in card.get("steps") or [] if isinstance(s, dict)]
    reads = sorted(
        s.get("number", 0)
        for s in steps
        if s.get("kind") == "read" and s.get("on", True) and isinstance(s.get("number"), int)
    )

    def with_step(match: re.Match[str]) -> str:
        place = int(match[1])
        return f"s{reads[place - 1]}:" if 1 <= place <= len(reads) else match[0]

    def identified(text: str) -> str:
        text = (
            _FACE_PIECE.sub("", text)
            if text.startswith("side of ")
            else text.replace("~", "%7E")
            if _SOURCE.match(text)
            else text
        )
        return _MADE.sub(r"m\1:\2", _SOURCE.sub(with_step, text))

    def value(name: str, given: Any) -> Any:
        if isinstance(given, str):
            return _CODES.get(given, given) if name in _CODED else identified(given) if name in _IDENTIFIED else given
        if isinstance(given, list | tuple):
            return [value(name, v) for v in given]
        if isinstance(given, dict):
            return {key: value(str(key), v) for key, v in given.items()}
        return given

    def step(given: Any) -> Any:
        if not isinstance(given, dict) or not isinstance(given.get("params"), dict):
            return given
        return {
            **given,
            "kind": _OPERATIONS.get(given.get("kind", ""), given.get("kind")),
            "params": {name: value(name, v) for name, v in given["params"].items()},
        }

    return {**card, "steps": [step(s) for s in card.get("steps") or []]}


_IDENTIFIED = {"curve", "curves", "other", "picked", "faces", "name"}
"""Parameters that hold ids of curves, or names made of them."""


# 2 to 3: scaling and turning go by the curves' own corner and middle, where they went by the sheet's origin --


def _about_the_origin(card: dict[str, Any]) -> dict[str, Any]:
    def step(given: Any) -> Any:
        if not isinstance(given, dict) or given.get("kind") not in ("scale", "turn"):
            return given
        params = given.get("params")
        return {**given, "params": {"about": "origin", **params}} if isinstance(params, dict) else given

    return {**card, "steps": [step(s) for s in card.get("steps") or []]}


# 3 to 4: profiles that touch become a body each, where they became one --


def _as_one_body(card: dict[str, Any]) -> dict[str, Any]:
    def step(given: Any) -> Any:
        if not isinstance(given, dict) or given.get("kind") not in ("extrude", "revolve"):
            return given
        params = given.get("params")
        return {**given, "params": {"result": "new", **params}} if isinstance(params, dict) else given

    return {**card, "steps": [step(s) for s in card.get("steps") or []]}


# 4 to 5: the length of a mitred bar is that overall, where it was that along its line --


def _length_along_the_line(card: dict[str, Any]) -> dict[str, Any]:
    def step(given: Any) -> Any:
        if not isinstance(given, dict) or given.get("kind") != "bar":
            return given
        params = given.get("params")
        return {**given, "params": {"measured": "axis", **params}} if isinstance(params, dict) else given

    return {**card, "steps": [step(s) for s in card.get("steps") or []]}


# 5 to 6: an axis is the drawing's centre line, as deep as other views show it, where it was two points in the plane --


def _turned_in_its_plane(card: dict[str, Any]) -> dict[str, Any]:
    def step(given: Any) -> Any:
        if not isinstance(given, dict) or given.get("kind") != "revolve":
            return given
        params = given.get("params")
        return {**given, "params": {"axis": "points", "plane": "own", **params}} if isinstance(params, dict) else given

    return {**card, "steps": [step(s) for s in card.get("steps") or []]}


_UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: _to_codes_and_steps,
    2: _about_the_origin,
    3: _as_one_body,
    4: _length_along_the_line,
    5: _turned_in_its_plane,
}
