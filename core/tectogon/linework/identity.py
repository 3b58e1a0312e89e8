"""The ids of curves: where a curve comes from, built and taken apart in this one place.

    s10:2F          the curve with handle 2F of the file that step 10 read (s10:2F.3 its third piece, s10:7A/2F inside
    the block placement 7A)
    m40:3           the third curve that step 40 drew
    m40:[s10:2F]2   the second curve that step 40 made from another
    s10:2F|2        the second piece into which a step cut a curve
    s10:2F~8c1f     a piece of a curve between two meetings, as profiles are made of (never an id of the drawing itself)

An id says who made a curve, never its place in a list: a step before it that is switched off, or that gives one curve
more, changes no other's.
Handles may hold any character but the four marks of this grammar, which are written as percent codes.
"""

from __future__ import annotations

import re

_MARKS = re.compile(r"[|~\[\]]")
_HEAD = re.compile(r"([sm])(\d+):")


def of_source(step: int, handles: tuple[str, ...]) -> tuple[str, ...]:
    """Ids of the curves that a step read, from their handles in the file."""
    prefix = f"s{step}:"
    if _MARKS.search("\n".join(handles)):
        handles = tuple(_MARKS.sub(lambda m: f"%{ord(m[0]):02X}", h) for h in handles)
    return tuple([prefix + h for h in handles])


def is_of_source(key: str, step: int) -> bool:
    """Whether a curve comes from the file that a step read, whatever was made or cut of it since."""
    return (key if key.startswith("s") else origin(key)).startswith(f"s{step}:")


def drawn(step: int, number: int) -> str:
    """The id of the curve that a step drew as its `number`th, counted from 1."""
    return f"m{step}:{number}"


def made(step: int, parent: str, number: int) -> str:
    """The id of the `number`th curve, counted from 1, that a step made from the curve `parent`."""
    return f"m{step}:[{parent}]{number}"


def cut(key: str, number: int) -> str:
    """The id of a piece that a step cut from a curve, or changed: the curve's own where there is only one (number
    0)."""
    return key if number == 0 else f"{key}|{number}"


def piece(key: str, mark: str) -> str:
    """The name of a piece of a curve between two meetings; `mark` says between which."""
    return f"{key}~{mark}"


def whole(key: str) -> str:
    """The curve of the drawing that a piece between meetings belongs to; the curve itself for any other id."""
    return key.partition("~")[0]


def is_piece(key: str) -> bool:
    """Whether a key is that of a piece that a step cut from a curve."""
    return "~" in key


def parent(key: str) -> str | None:
    """What a curve was cut or made from, one step back; None for one that was read or drawn."""
    key = whole(key)
    if key[-1:].isdigit():
        head, bar, _ = key.rpartition("|")
        if bar and "]" not in key[len(head) :]:
            return head
    if _HEAD.match(key) and key.startswith("m") and "[" in key:
        return key[key.index("[") + 1 : key.rindex("]")]
    return None


def lineage(key: str) -> tuple[str, ...]:
    """A curve of the drawing and everything it was cut or made from, back to what was read or drawn."""
    out = [whole(key)]
    while (before := parent(out[-1])) is not None:
        out.append(before)
    return tuple(out)


def cut_from(key: str, known: dict[str, int]) -> str | None:
    """The nearest curve among the known ones that a curve was cut from; None where it was made otherwise."""
    while (before := parent(key)) is not None and not key.endswith("]") and key.startswith(before):
        if before in known:
            return before
        key = before
    return None


def origin(key: str) -> str:
    """The curve that was read or drawn, from which this one came in the end."""
    return lineage(key)[-1]


def handle(key: str) -> str:
    """What the file calls the curve that this one came from; "drawn" for one that a step drew."""
    first = origin(key)
    return first.partition(":")[2] if first.startswith("s") else f"a curve drawn by operation {step_of(first)}"


def step_of(key: str) -> int:
    """The number of the step that read, drew or made a curve; 0 for an id of another form.

    >>> step_of("m40:[s10:2F|2]1"), parent("m40:[s10:2F|2]1"), lineage("m40:[s10:2F|2]1~a0")[-1]
    (40, 's10:2F|2', 's10:2F')
    """
    head = _HEAD.match(key)
    return int(head[2]) if head else 0
