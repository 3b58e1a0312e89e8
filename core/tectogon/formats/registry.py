"""The list of formats. Adding one is a module beside this file and a line below."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from tectogon.errors import OverLimit, UnreadableFile, UnsupportedFile
from tectogon.formats import coordinates, dwg, dxf, gerber, pdf, picture, svg
from tectogon.formats.result import ReadLimits, ReadOptions, ReadResult


@dataclass(frozen=True, kw_only=True)
class FileFormat:
    """One format: its name, its endings, whether it is read or written, and how."""

    name: str
    endings: tuple[str, ...]
    reads: bool
    writes: bool
    looks_like: Callable[[bytes], bool] | None = None
    read: Callable[[Path, ReadLimits, ReadOptions], ReadResult] | None = None


FORMATS: tuple[FileFormat, ...] = (
    FileFormat(name="DXF", endings=(".dxf",), reads=True, writes=True, looks_like=dxf.looks_like, read=dxf.read),
    FileFormat(name="DWG", endings=(".dwg",), reads=True, writes=False, looks_like=dwg.looks_like, read=dwg.read),
    FileFormat(name="SVG", endings=(".svg", ".svgz"), reads=True, writes=False, looks_like=svg.looks_like, read=svg.read),
    FileFormat(name="PDF", endings=(".pdf",), reads=True, writes=False, looks_like=pdf.looks_like, read=pdf.read),
    FileFormat(name="Gerber", endings=(".gbr", ".ger", ".gtl", ".gbl", ".gko"), reads=True, writes=False, looks_like=gerber.looks_like, read=gerber.read),
    FileFormat(name="drill", endings=(".drl", ".xln"), reads=True, writes=False, looks_like=gerber.looks_like_drill, read=gerber.read_drill),
    FileFormat(
        name="picture", endings=(".png", ".jpg", ".jpeg", ".tif", ".tiff", ".bmp"), reads=True, writes=False, looks_like=picture.looks_like, read=picture.read
    ),
    FileFormat(
        name="coordinates", endings=(".dat", ".txt", ".csv", ".xyz"), reads=True, writes=False, looks_like=coordinates.looks_like, read=coordinates.read
    ),
    FileFormat(name="STEP", endings=(".step", ".stp"), reads=False, writes=True),
    FileFormat(name="STL", endings=(".stl",), reads=False, writes=True),
    FileFormat(name="3MF", endings=(".3mf",), reads=False, writes=True),
    FileFormat(name="GLB", endings=(".glb",), reads=False, writes=True),
)


def format_of(head: bytes) -> FileFormat | None:
    """The readable format whose marks the first bytes of a file carry; the name of the file is not asked."""
    return next((f for f in FORMATS if f.looks_like is not None and f.looks_like(head)), None)


def read_drawing(path: Path, options: ReadOptions | None = None, limits: ReadLimits | None = None) -> ReadResult:
    """Read any known file. Raises UnreadableFile, UnsupportedFile or OverLimit with a sentence naming the file."""
    limits = limits or ReadLimits()
    try:
        size = path.stat().st_size
        with path.open("rb") as stream:
            head = stream.read(4096)
    except OSError as problem:
        raise UnreadableFile(f"{path.name} can't be opened: {problem.strerror or 'no such file'}.") from None
    if size == 0:
        raise UnreadableFile(f"{path.name} is empty: it holds no bytes at all.")
    if size > limits.max_bytes:
        raise OverLimit(f"{path.name} has {size / 1e6:.0f} MB; files up to {limits.max_bytes / 1e6:.0f} MB are read.")
    found = format_of(head)
    if found is None or found.read is None:
        readable = ", ".join(f.name for f in FORMATS if f.reads)
        raise UnsupportedFile(f"{path.name} is not a drawing that can be read here, whatever its name says; kinds that are read: {readable}.")
    return found.read(path, limits, options or ReadOptions())
