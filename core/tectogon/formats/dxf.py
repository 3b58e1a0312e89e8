"""DXF, ASCII and binary, R12 to the newest: plain entities as columns, all else through ezdxf; its recovery reader
takes over when the strict one refuses."""

from __future__ import annotations

import re
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

from ezdxf import recover
from ezdxf.document import Drawing
from ezdxf.filemanagement import readfile
from ezdxf.lldxf.const import DXFError, DXFStructureError
from ezdxf.lldxf.validator import is_binary_dxf_file

from tectogon.errors import Note, OverLimit, UnreadableFile
from tectogon.formats.dxf_columns import read_columns
from tectogon.formats.entities import VERSIONS, Block, Content, EntityReader, hex_colour, shown_index
from tectogon.formats.options import ReadOptions
from tectogon.formats.result import ReadLimits, ReadResult
from tectogon.linework import Layer
from tectogon.units import show_count

_ENTITY_MARK = re.compile(rb"\n[ \t]*0\r?\n")


def read(path: Path, limits: ReadLimits, options: ReadOptions) -> ReadResult:
    """The model space of a DXF file as linework in file units (the first paper space with curves where the model is
    empty). Raises UnreadableFile."""
    data = path.read_bytes()
    _count_entities(data, path.name, limits)
    columns = read_columns(data)
    del data
    if columns is not None:
        document = _rest(columns.rest)
        if document is not None and "Model" in document.layout_names():
            return EntityReader(replace(_content(document), columns=replace(columns, rest=b"")), limits, []).result()
    document, notes = _load(path)
    try:
        content = _content(document)
    except (DXFError, KeyError, ValueError, TypeError, AttributeError):
        raise UnreadableFile(
            f"{path.name} is a damaged DXF: its tables and layouts do not fit together. Ask for it once more."
        ) from None
    return EntityReader(content, limits, notes).result()


def _rest(data: bytes) -> Drawing | None:
    """What is left of a file whose plain entities were read as columns; None where the strict reader refuses it."""
    with tempfile.NamedTemporaryFile(suffix=".dxf") as rest:
        rest.write(data)
        rest.flush()
        try:
            return readfile(rest.name)
        except MemoryError:
            raise
        except Exception:
            return None


def _count_entities(data: bytes, name: str, limits: ReadLimits) -> None:
    count = data.count(b"\n  0\n") + data.count(b"\n  0\r\n") or sum(1 for _ in _ENTITY_MARK.finditer(data))
    if count > limits.max_entities:
        raise OverLimit(
            f"{name} holds about {show_count(count)} entities; up to {show_count(limits.max_entities)} are read"
            " in one file. Split the"
            " drawing."
        )


def _load(path: Path) -> tuple[Drawing, list[Note]]:
    try:
        return readfile(path), []
    except MemoryError:
        raise
    except Exception:
        return _recovered(path)


def _recovered(path: Path) -> tuple[Drawing, list[Note]]:
    try:
        if is_binary_dxf_file(str(path)):
            raise DXFStructureError("binary files are not recovered")
        document, audit = recover.readfile(path)
    except MemoryError:
        raise
    except Exception:
        raise UnreadableFile(
            f"{path.name} starts like a DXF but breaks off or is damaged, and could not be recovered. Ask for it once"
            " more."
        ) from None
    if not any(len(layout) for layout in document.layouts):
        raise UnreadableFile(
            f"{path.name} is a damaged DXF: after recovery nothing was left to draw. Ask for it once more."
        )
    fixes = len(audit.errors) + len(audit.fixes)
    return document, [
        Note("recovered", f"The file is damaged; {fixes} faults were passed over, so something may be missing.")
    ]


def _content(document: Drawing) -> Content:
    """A document of ezdxf as content; what it holds is read when it is asked for."""
    layers = []
    for layer in document.layers:
        dxf = layer.dxf
        rgb = layer.rgb
        colour = hex_colour(rgb) if rgb else shown_index(abs(dxf.get("color", 7)))
        layers.append(
            Layer(
                str(dxf.name), str(dxf.get("linetype", "CONTINUOUS")), colour, not (layer.is_off() or layer.is_frozen())
            )
        )
    version = document.dxfversion
    return Content(
        format="DXF",
        version=VERSIONS.get(version, version),
        insunits=int(document.header.get("$INSUNITS", 0) or 0),
        layers=layers,
        linetypes=[(str(lt.dxf.name), _pattern_of(lt)) for lt in document.linetypes],
        model=document.modelspace(),
        papers=[(layout.name, layout) for layout in document.layouts if not layout.is_modelspace],
        blocks={
            b.name: Block(tuple(b.block.dxf.get("base_point", (0, 0, 0))) if b.block else (0.0, 0.0, 0.0), b)
            for b in document.blocks
        },
    )


def _pattern_of(linetype: Any) -> tuple[float, ...]:
    try:
        if not hasattr(linetype, "simplified_line_pattern"):
            return ()
        return tuple(-float(v) if n % 2 else float(v) for n, v in enumerate(linetype.simplified_line_pattern()))
    except Exception:
        return ()
