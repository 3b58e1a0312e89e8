"""Keys of what a card makes, by what goes into it: a key names the same content for ever, and a change of anything that
was read changes it.

A workpiece has three facets: the linework, the placements (views and planes, and what lies in them), and the bodies.
The first two are each sheet's own.
Each kind of operation says which it reads and which it writes; a step that writes a facet gives it a key made of the
step itself and the keys of all it reads or writes. So a changed length leaves the key of the linework alone, but
changes that of a plane laid on the face that moved.

A key also holds who it is for (results are never shared between workshops), the program's own code and its libraries (a
newer program starts anew), and the hash of the bytes that a source really has, so that a run without them does not pass
for one with them.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

import tectogon
from tectogon.operations import OPERATIONS
from tectogon.route.card import Card, Step
from tectogon.workpiece.model import FIRST_SHEET
from tectogon.workpiece.operation import FACETS, Facet

_LIBRARIES = (
    "numpy",
    "scipy",
    "shapely",
    "ezdxf",
    "ezdwg",
    "svgelements",
    "pypdfium2",
    "gerbonara",
    "opencv-python-headless",
    "cadquery-ocp-novtk",
    "pillow",
    "tinycss2",
    "ortools",
    "trimesh",
)


@dataclass(frozen=True)
class Keys:
    """The keys after a step: of the whole workpiece, and of each facet; linework and placements are each sheet's own,
    the bodies are common to all."""

    whole: str
    start: str
    """What the keys of an empty sheet are made of."""
    facets: Mapping[tuple[str, Facet], str] = field(default_factory=dict)

    def of(self, sheet: str, facet: Facet) -> str:
        """The key of one facet of one sheet."""
        place = _place(sheet, facet)
        return self.facets.get(place) or _digest(self.start, *place)

    def linework(self, sheet: str = FIRST_SHEET) -> str:
        """Of the linework on a sheet."""
        return self.of(sheet, "linework")

    def placements(self, sheet: str = FIRST_SHEET) -> str:
        """Of the placements on a sheet's linework: views hold curves."""
        return _digest(self.of(sheet, "linework"), self.of(sheet, "placements"))


def _place(sheet: str, facet: Facet) -> tuple[str, Facet]:
    return ("" if facet == "bodies" else sheet), facet


def first_keys(scope: str = "") -> Keys:
    """The keys of an empty workpiece, for one workshop."""
    start = _digest(scope, code_fingerprint())
    return Keys(start, start)


def next_keys(before: Keys, step: Step, sources: Mapping[str, str]) -> Keys:
    """The keys after a step; one that is off changes nothing. `sources`: the hashes of the files that are there, by
    name."""
    if not step.on:
        return before
    file = sources.get(str(step.params.get("source"))) or None
    content = json.dumps([step.number, step.kind, step.sheet, step.params, file], sort_keys=True)
    kind = OPERATIONS.get(step.kind)
    reads, writes = (kind.reads, kind.writes) if kind else (frozenset[Facet](), frozenset[Facet]())
    made_of = _digest(content, *(before.of(step.sheet, facet) for facet in FACETS if facet in reads | writes))
    written = {_place(step.sheet, facet): _digest(made_of, facet) for facet in FACETS if facet in writes}
    return Keys(_digest(before.whole, content), before.start, {**before.facets, **written})


def regions_key(linework: str, apart: Sequence[frozenset[str]]) -> str:
    """The key of what linework closes: its own, and which curves lie in planes apart."""
    return _digest(linework, *("\n".join(sorted(curves)) for curves in apart)) if apart else linework


def key_of(card: Card, scope: str = "") -> str:
    """The key of a whole card all of whose sources are there."""
    keys = first_keys(scope)
    for step in card.steps:
        keys = next_keys(keys, step, card.sources)
    return keys.whole


@lru_cache(maxsize=1)
def code_fingerprint() -> str:
    """A hash of this package's code and of the libraries that compute."""
    digest = hashlib.blake2b(digest_size=16)
    root = Path(tectogon.__file__).parent
    for path in sorted(root.rglob("*.py")):
        digest.update(str(path.relative_to(root)).encode() + b"\0" + path.read_bytes() + b"\0")
    for name in _LIBRARIES:
        try:
            digest.update(f"{name} {version(name)}".encode())
        except PackageNotFoundError:
            digest.update(name.encode())
    return digest.hexdigest()


def _digest(*parts: str) -> str:
    return hashlib.blake2b("\0".join(parts).encode("utf-8", "surrogatepass"), digest_size=16).hexdigest()
