"""Which body is which: keys that say what made a body, never its place in a list.

    20:p1f3a…          the body that step 20 raised from that profile (several profiles in one body: a mark of them all)
    20:p1f3a…/30:9c2   the piece of it that step 30 left when it parted it; the mark is of the faces that no other piece
    has

A pick may also say just "20": the only body that step 20 made.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Iterable, Sequence

from tectogon.errors import PickGone
from tectogon.solids import measure
from tectogon.solids.body import Body, NamedShape


def made_bodies(parts: Sequence[NamedShape], step: int, *, before: int) -> list[Body]:
    """Bodies that step `step` made; `before` is how many there were already, for their names."""
    keys = _apart([f"{step}:{_profiles(part, step)}" for part in parts], parts)
    return [Body.of(key, f"Body {before + n + 1}", part) for n, (key, part) in enumerate(zip(keys, parts, strict=True))]


def parted_body(body: Body, parts: Sequence[NamedShape], step: int) -> list[Body]:
    """What a step left of a body: the body itself changed, or its pieces."""
    if len(parts) == 1:
        return [Body.of(body.key, body.name, parts[0], body.item)]
    keys = [f"{body.key}/{step}:{mark}" for mark in _own_faces(parts)]
    return [
        Body.of(key, f"{body.name}, piece {n + 1}", part, body.item)
        for n, (key, part) in enumerate(zip(_apart(keys, parts), parts, strict=True))
    ]


def body_called(bodies: Sequence[Body], wanted: str) -> Body:
    """The body of a key, or the only one of a step's number. Raises PickGone saying what became of it."""
    exact = next((b for b in bodies if b.key == wanted), None)
    if exact is not None:
        return exact
    pieces = [b for b in bodies if b.key.startswith(f"{wanted}/")]
    if pieces:
        raise PickGone(
            f"The body this operation works on was parted into {len(pieces)} pieces by an operation before it. Choose"
            " one of them."
        )
    of_step = [b for b in bodies if step_of(b.key) == wanted]
    if len(of_step) == 1:
        return of_step[0]
    if of_step:
        raise PickGone(f"Operation {wanted} makes {len(of_step)} bodies now. Choose which of them is meant.")
    raise PickGone(
        "The body this operation works on is no longer there; an operation before it was changed. Choose another body."
    )


def step_of(key: str) -> str:
    """The number of the step that made a body, as text."""
    return key.partition(":")[0]


def _profiles(part: NamedShape, step: int) -> str:
    profiles = sorted({name.profile for name in part.names if name.operation == step and name.profile})
    return profiles[0] if len(profiles) == 1 else _mark(profiles)


def _own_faces(parts: Sequence[NamedShape]) -> list[str]:
    """A mark for each piece from the faces that only it has."""
    keys = [{name.key for name in part.names} for part in parts]
    common = Counter(key for some in keys for key in some)
    return [_mark(sorted(key for key in some if common[key] == 1)) for some in keys]


def _apart(keys: Sequence[str], parts: Sequence[NamedShape]) -> list[str]:
    """Keys that no two parts share. Parts that nothing but their place tells apart get it into their key, so that one
    which moved counts as gone."""
    twice = {key for key, n in Counter(keys).items() if n > 1}
    return [f"{key}@{_place(part)}" if key in twice else key for key, part in zip(keys, parts, strict=True)]


def _place(part: NamedShape) -> str:
    return _mark([f"{v:.4g}" for v in measure.bounds(part.shape)])


def _mark(texts: Iterable[str]) -> str:
    return hashlib.blake2b("\n".join(texts).encode(), digest_size=4).hexdigest()
