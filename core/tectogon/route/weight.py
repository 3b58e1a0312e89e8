"""How much memory a value takes, near enough to keep a budget: arrays by their bytes, texts by their length, solids by
their faces."""

from __future__ import annotations

import sys
from typing import Any

import numpy as np

_SAMPLED = 64
_BYTES_A_FACE = 20_000
"""A face of a solid with its edges, its surface and its triangles, as measured on plates with 200 holes."""


def weight(thing: Any, seen: set[int] | None = None) -> int:
    """Bytes of a value and all it holds; what is in `seen` already weighs nothing, so that what several share is
    counted once.

    Long tuples are weighed by a sample of their members.
    """
    seen = set() if seen is None else seen
    if thing is None or isinstance(thing, bool | int | float) or id(thing) in seen:
        return 0
    seen.add(id(thing))
    if isinstance(thing, np.ndarray):
        return int(thing.nbytes)
    if isinstance(thing, str | bytes):
        return sys.getsizeof(thing)
    if isinstance(thing, tuple | list | set | frozenset):
        return sys.getsizeof(thing) + _of_many(list(thing), seen)
    if isinstance(thing, dict):
        return sys.getsizeof(thing) + _of_many(list(thing.keys()), seen) + _of_many(list(thing.values()), seen)
    faces = getattr(thing, "names", None)
    if hasattr(thing, "shape") and isinstance(faces, tuple):
        return _BYTES_A_FACE * len(faces)
    return sum(weight(value, seen) for value in getattr(thing, "__dict__", {}).values())


def _of_many(members: list[Any], seen: set[int]) -> int:
    if len(members) <= 4 * _SAMPLED:
        return sum(weight(m, seen) for m in members)
    some = members[:: len(members) // _SAMPLED]
    return round(sum(weight(m, seen) for m in some) * len(members) / len(some))
