"""Solids out of STEP files: parts and assemblies, in millimetres, with their names."""

from __future__ import annotations

import mmap
import re
from pathlib import Path
from typing import Any

from OCP.collections import Sequence_TDF_Label
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.Interface import Interface_Static
from OCP.STEPCAFControl import STEPCAFControl_Reader
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_Label
from OCP.TDocStd import TDocStd_Document
from OCP.TopLoc import TopLoc_Location
from OCP.XCAFDoc import XCAFDoc_DocumentTool, XCAFDoc_ShapeTool

from tectogon.errors import Note, NothingToBuild, OverLimit, Place, UnreadableFile, UnsupportedFile
from tectogon.solids import kernel, measure, proof
from tectogon.solids.body import Body, FaceName, NamedShape
from tectogon.solids.kernel import Shape

MOST_BYTES = 200 * 1024 * 1024
MOST_SOLIDS = 2000
_HEAD = 4096
_UNIT = re.compile(rb"SI_UNIT\s*\(\s*(\$|\.\w+\.)\s*,\s*\.METRE\.\s*\)")
_PREFIXES = (b"$", b".DECI.", b".CENTI.", b".MILLI.", b".MICRO.", b".NANO.")


def bodies_of_step(path: Path, step: int = 10, *, called: str = "") -> tuple[tuple[Body, ...], list[Note]]:
    """The solids of a STEP file (mm), as brought in by step `step`, and what is to be said of them: which the kernel
    does not find sound. `called`: what the file is called, where that is not its name.

    Raises UnreadableFile, UnsupportedFile for what is no STEP, OverLimit, NothingToBuild where it holds surfaces alone.
    """
    name = called or path.name
    try:
        size = path.stat().st_size
        with path.open("rb") as file:
            head = file.read(_HEAD)
            file.seek(max(0, size - _HEAD))
            tail = file.read()
    except OSError as problem:
        raise UnreadableFile(f"{name} can't be opened: {problem.strerror}.") from None
    if size > MOST_BYTES:
        raise OverLimit(f"{name} has {size / 1e6:.0f} MB; STEP files up to {MOST_BYTES / 1e6:.0f} MB are read.")
    if b"ISO-10303-21" not in head[:256]:
        raise UnsupportedFile(f"{name} is no STEP file: its first line is not ISO-10303-21.")
    if b"END-ISO-10303-21" not in tail:
        raise UnreadableFile(f"{name} is cut off: its last line, END-ISO-10303-21, is missing.")
    _check_unit(path, name)
    found = _solids(path, name)
    if not found:
        raise NothingToBuild(f"{name} holds no solid: surfaces or curves alone enclose nothing. Ask for it as a solid.")
    if len(found) > MOST_SOLIDS:
        raise OverLimit(f"{name} holds {len(found)} solids; up to {MOST_SOLIDS} are read.")
    bodies, notes = [], []
    for n, (known, shape) in enumerate(found, 1):
        named = NamedShape(shape, tuple(FaceName("brought", step, None, str(k)) for k in range(_count(shape))))
        body = Body.of(f"{step}:b{n}", known or f"Body {n}", named)
        bodies.append(body)
        if not proof.is_sound(shape) or body.volume <= 0.0:
            x, y, z = measure.bounds(shape)[:3]
            notes.append(Note("solid_unsound", f"{body.name} is not sound in the file.", Place(point=(x, y, z))))
    return tuple(bodies), notes


def _check_unit(path: Path, name: str) -> None:
    """Raises UnreadableFile where one unit of a file is a kilometre or more: no part is drawn in that, and the kernel
    does not end on solids so large."""
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as text:
        for found in _UNIT.finditer(text):
            if found[1] not in _PREFIXES:
                prefix = found[1].decode("ascii", "replace").strip(".").lower()
                raise UnreadableFile(
                    f"{name} says that one unit is a {prefix}metre, in which no part is drawn: it is damaged, or was"
                    " written wrong. Ask for it in millimetres."
                )


def _count(shape: Shape) -> int:
    return len(kernel.faces_of(shape))


def _solids(path: Path, name: str) -> list[tuple[str, Shape]]:
    Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
    document = TDocStd_Document(TCollection_ExtendedString("part"))
    reader = STEPCAFControl_Reader()
    reader.SetNameMode(True)
    with kernel.refusals(f"{name} could not be read: it breaks off, or its parts do not belong together."):
        if reader.ReadFile(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone or not reader.Transfer(document):
            raise UnreadableFile(f"{name} could not be read: its lines are not those of a STEP file.")
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    free = Sequence_TDF_Label()
    tool.GetFreeShapes(free)
    out: list[tuple[str, Shape]] = []
    for n in range(1, free.Length() + 1):
        _collect(free.Value(n), TopLoc_Location(), "", out)
    return out


def _collect(label: Any, at: Any, name: str, out: list[tuple[str, Shape]]) -> None:
    """The solids below a label of an assembly, each where it stands."""
    own = _name(label) or name
    if XCAFDoc_ShapeTool.IsAssembly_s(label):
        parts = Sequence_TDF_Label()
        XCAFDoc_ShapeTool.GetComponents_s(label, parts)
        for n in range(1, parts.Length() + 1):
            part, target = parts.Value(n), TDF_Label()
            XCAFDoc_ShapeTool.GetReferredShape_s(part, target)
            _collect(target, at.Multiplied(XCAFDoc_ShapeTool.GetLocation_s(part)), _name(part) or own, out)
        return
    shape = XCAFDoc_ShapeTool.GetShape_s(label)
    if shape is None or shape.IsNull():
        return
    solids = kernel.solids_of(shape.Moved(at))
    for n, solid in enumerate(solids, 1):
        out.append((own if len(solids) == 1 else f"{own} {n}".strip(), solid))


def _name(label: Any) -> str:
    found = TDataStd_Name()
    if not label.FindAttribute(TDataStd_Name.GetID_s(), found):
        return ""
    return " ".join(found.Get().ToExtString().split())[:80]
