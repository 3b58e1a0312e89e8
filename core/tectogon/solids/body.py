"""A body: a solid whose faces have names that stay."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

from OCP.TopAbs import TopAbs_ShapeEnum

from tectogon.linework import identity
from tectogon.solids import kernel, measure
from tectogon.solids.kernel import Shape
from tectogon.tolerances import MOST_EDGES_CHECKED


@dataclass(frozen=True)
class FaceName:
    """Where a face comes from: the role it had, the step that made it, the piece of a curve it stands on, and the
    profile that was raised."""

    role: str
    operation: int
    curve: str | None = None
    profile: str | None = None

    @property
    def key(self) -> str:
        """What picks name the face by."""
        return "/".join((self.role, str(self.operation), self.profile or "", self.curve or ""))

    @property
    def text(self) -> str:
        """The name as people read it."""
        if self.role == "side":
            return f"side of {self.curve}, operation {self.operation}"
        return f"{self.role} of operation {self.operation}"

    def is_called(self, name: str) -> bool:
        """Whether a pick means this face: by its key, or as cards of the first version name it."""
        return name in (self.key, self.text) or (
            self.curve is not None and name == f"side of {identity.whole(self.curve)}, operation {self.operation}"
        )


@dataclass(frozen=True)
class Item:
    """What a body is counted as in a parts list: one of a part of the shelf, or of a section. `copy` tells one from the
    next, `volume` (mm³) is that of the body as it came: one that was changed since is counted apart."""

    name: str
    issue: str
    size: str
    copy: str
    volume: float


@dataclass(frozen=True, eq=False)
class Body:
    """One solid. `names` has an entry for each face, in the kernel's own order of faces; `item` where it stands for
    something that is kept elsewhere."""

    key: str
    name: str
    shape: Shape
    names: tuple[FaceName, ...]
    item: Item | None = None

    @staticmethod
    def of(key: str, name: str, made: NamedShape, item: Item | None = None) -> Body:
        """A body of a named shape, with its volume (mm³) and surface (mm²) measured by the kernel."""
        body = Body(key, name, made.shape, made.names, item)
        if "volume" in made.__dict__:
            body.__dict__["volume"] = made.volume
        return body

    def __getstate__(self) -> dict[str, Any]:
        figures: dict[str, Any] = {name: self.__dict__[name] for name in ("volume", "surface") if name in self.__dict__}
        return {
            "key": self.key,
            "name": self.name,
            "names": self.names,
            "item": self.item,
            "bytes": kernel.to_bytes(self.shape),
            **figures,
        }

    def __setstate__(self, state: dict[str, Any]) -> None:
        shape = kernel.from_bytes(state.pop("bytes"))
        self.__dict__.update(state, shape=shape)

    @cached_property
    def volume(self) -> float:
        """mm³."""
        return measure.volume(self.shape)

    @cached_property
    def surface(self) -> float:
        """mm²."""
        return sum(self.areas)

    @cached_property
    def areas(self) -> list[float]:
        """The area of each face, mm²."""
        return [measure.area(face) for face in self.faces]

    @cached_property
    def faces(self) -> list[Shape]:
        """Its faces, in the order of `names`."""
        return kernel.faces_of(self.shape)

    @cached_property
    def edges(self) -> list[Shape]:
        """Its edges, each once."""
        return kernel.edges_of(self.shape)

    @property
    def checked_whole(self) -> bool:
        """Whether it has few enough edges for the kernel's own check; larger ones rest on their volume and their
        witnesses alone."""
        return len(self.edges) <= MOST_EDGES_CHECKED

    @cached_property
    def neighbours(self) -> list[set[int]]:
        """For each face the numbers of the faces that meet it along an edge."""
        out: list[set[int]] = [set() for _ in self.names]
        for numbers in kernel.faces_along_edges(self.shape):
            for n in numbers:
                out[n].update(m for m in numbers if m != n)
        return out

    @property
    def named(self) -> NamedShape:
        """Its shape with the names of its faces."""
        return NamedShape(self.shape, self.names)

    def renamed(self, key: str, name: str) -> Body:
        """The same body under another key and name."""
        return Body.of(key, name, NamedShape(self.shape, self.names), self.item)


@dataclass(frozen=True, eq=False)
class NamedShape:
    """A shape of the kernel with names for its faces, on the way to becoming bodies."""

    shape: Shape
    names: tuple[FaceName, ...]

    @cached_property
    def volume(self) -> float:
        """mm³; 0 where there is no solid."""
        return measure.volume(self.shape) if kernel.solids_of(self.shape) else 0.0

    @staticmethod
    def all_of(parts: list[NamedShape]) -> NamedShape:
        """Several side by side, as a compound."""
        if len(parts) == 1:
            return parts[0]
        named = [(face, name) for part in parts for face, name in part.pairs()]
        return NamedShape.of(kernel.compound_of(p.shape for p in parts), named)

    @staticmethod
    def of(shape: Shape, pairs: list[tuple[Shape, FaceName]]) -> NamedShape:
        """Names for the faces of a shape, from pairs of face and name; the first name of a face holds."""
        found = kernel.map_of(shape, TopAbs_ShapeEnum.TopAbs_FACE)
        names: list[FaceName | None] = [None] * found.Extent()
        for face, name in pairs:
            at = found.FindIndex(face)
            if at and names[at - 1] is None:
                names[at - 1] = name
        return NamedShape(shape, tuple(name or FaceName("face", 0) for name in names))

    def pairs(self) -> list[tuple[Shape, FaceName]]:
        """Each face with its name."""
        return list(zip(kernel.faces_of(self.shape), self.names, strict=True))

    def solids(self) -> list[NamedShape]:
        """One by one."""
        found = kernel.solids_of(self.shape)
        pairs = self.pairs()
        return [NamedShape.of(solid, pairs) for solid in found]
