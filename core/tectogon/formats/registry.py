"""The list of formats. Adding one is a module beside this file, its marks in signatures.py, and a line below.

A module is loaded when the first file of its kind is read: all of them together take more than a second.
"""

from __future__ import annotations

import gc
import importlib
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

from tectogon.budget import within
from tectogon.errors import OverLimit, TectogonError, UnreadableFile, UnsupportedFile
from tectogon.formats import signatures
from tectogon.formats.apart import SECONDS, SECONDS_A_MEGABYTE, apart
from tectogon.formats.options import ReadOptions
from tectogon.formats.result import BOARD_FORMATS, UNNAMED, ReadLimits, ReadResult
from tectogon.formats.sanity import sensible
from tectogon.units import mm_per_unit


@dataclass(frozen=True, kw_only=True)
class FileFormat:
    """One format: its name, its endings, whether it is written, and for those that are read their marks and reader
    ("module.function")."""

    name: str
    endings: tuple[str, ...]
    writes: bool = False
    looks_like: Callable[[bytes], bool] | None = None
    reader: str = ""
    options: tuple[str, ...] = ()
    """The fields of `ReadOptions` that it heeds."""
    solid: bool = False
    """Whether it holds solids instead of linework: its bodies are brought in, and no reader of drawings is asked."""
    apart: bool = False
    """Whether it is read in a process of its own, as a library of others unfolds it."""

    @property
    def reads(self) -> bool:
        """Whether files of it are read."""
        return bool(self.reader) or self.solid

    def read(self, path: Path, limits: ReadLimits, options: ReadOptions) -> ReadResult:
        """Read a file of this format, in file units, in a process of its own where that is asked for. Raises
        UnreadableFile, UnsupportedFile or OverLimit."""
        module, function = self.reader.split(".")
        reader = getattr(importlib.import_module(f"tectogon.formats.{module}"), function)
        if self.apart:
            return apart(lambda: reader(path, limits, options), path.name, path.stat().st_size)
        result: ReadResult = reader(path, limits, options)
        return result


FORMATS: tuple[FileFormat, ...] = (
    FileFormat(name="DXF", endings=(".dxf",), writes=True, looks_like=signatures.is_dxf, reader="dxf.read"),
    FileFormat(name="DWG", endings=(".dwg",), looks_like=signatures.is_dwg, reader="dwg.read"),
    FileFormat(
        name="SVG",
        endings=(".svg", ".svgz"),
        writes=True,
        looks_like=signatures.is_svg,
        reader="svg.read",
        options=("strokes",),
        apart=True,
    ),
    FileFormat(
        name="PDF",
        endings=(".pdf",),
        looks_like=signatures.is_pdf,
        reader="pdf.read",
        options=("strokes", "page", "drawing_scale"),
        apart=True,
    ),
    FileFormat(
        name="Gerber",
        endings=(".gbr", ".ger", ".gtl", ".gbl", ".gko", ".gm1", ".gto", ".gbo", ".gts", ".gbs"),
        looks_like=signatures.is_gerber,
        reader="gerber.read",
        options=("edge",),
        apart=True,
    ),
    FileFormat(
        name="drill", endings=(".drl", ".xln"), looks_like=signatures.is_drill, reader="gerber.read_drill", apart=True
    ),
    FileFormat(
        name="picture",
        endings=(".png", ".jpg", ".jpeg", ".tif", ".tiff", ".bmp"),
        looks_like=signatures.is_picture,
        reader="picture.read",
        options=(
            "page",
            "invert",
            "threshold",
            "contrast",
            "speckle",
            "smooth",
            "colour",
            "tolerance",
            "region",
            "polygon",
        ),
        apart=True,
    ),
    FileFormat(
        name="coordinates",
        endings=(".dat", ".txt", ".csv", ".xyz"),
        writes=True,
        looks_like=signatures.is_coordinates,
        reader="coordinates.read",
        options=("ends", "curve", "deviation_mm"),
    ),
    FileFormat(name="STEP", endings=(".step", ".stp"), writes=True, looks_like=signatures.is_step, solid=True),
    FileFormat(name="STL", endings=(".stl",), writes=True),
    FileFormat(name="3MF", endings=(".3mf",), writes=True),
    FileFormat(name="GLB", endings=(".glb",), writes=True),
)


_SAYS_NOTHING = frozenset({"", ".gbr", ".grb", ".ger", ".gerber", ".pho", ".art", ".txt"})
"""Suffixes of board files that are no names of layers."""


def format_of(head: bytes) -> FileFormat | None:
    """The readable format whose marks the first bytes of a file carry; the name of the file is not asked."""
    return next((f for f in FORMATS if f.looks_like is not None and f.looks_like(head)), None)


def read_drawing(
    path: Path, options: ReadOptions | None = None, limits: ReadLimits | None = None, *, called: str | None = None
) -> ReadResult:
    """Read any known file. Raises UnreadableFile, UnsupportedFile or OverLimit with a sentence naming the file.

    `called` is what people call the file where it is kept under another name.
    """
    try:
        return _named(_read(path, options or ReadOptions(), limits or ReadLimits()), called or path.name)
    except TectogonError as problem:
        if called is None:
            raise
        raise type(problem)(problem.sentence.replace(path.name, called[:120]), problem.place) from None


def _named(result: ReadResult, called: str) -> ReadResult:
    """A file that is one layer and does not say which is called as the file is: some say it by their suffix."""
    name = Path(called)
    title = name.stem if name.suffix.lower() in _SAYS_NOTHING else called
    if result.format not in BOARD_FORMATS:
        return result
    layers = [replace(layer, name=title) if layer.name == UNNAMED else layer for layer in result.linework.layers]
    return replace(result, linework=replace(result.linework, layers=tuple(layers)))


def _read(path: Path, options: ReadOptions, limits: ReadLimits) -> ReadResult:
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
    if found is None:
        readable = ", ".join(f.name for f in FORMATS if f.reads)
        raise UnsupportedFile(
            f"{path.name} is not a drawing that can be read here, whatever its name says; kinds that are read:"
            f" {readable}."
        )
    if found.solid:
        raise UnsupportedFile(f"{path.name} holds solids and no linework: it is brought in as a body.")
    with _no_collecting():
        seconds = SECONDS + SECONDS_A_MEGABYTE * size / 1e6
        too_long = f"{path.name} takes too long to read; split it."
        result = within(seconds, too_long, lambda: _sensibly(found, path, limits, options))
    heeded = tuple(o for o in found.options if o != "page" or result.pages > 1)
    return replace(
        result, linework=sensible(result.linework), declared_unit=_possible(result.declared_unit), options=heeded
    )


def _sensibly(found: FileFormat, path: Path, limits: ReadLimits, options: ReadOptions) -> ReadResult:
    """What a reader gives; what it stumbles over in a damaged file is a sentence."""
    try:
        return found.read(path, limits, options)
    except (TectogonError, MemoryError):
        raise
    except Exception:
        if os.environ.get("TECTOGON_STRICT"):
            raise
        raise UnreadableFile(
            f"{path.name} starts like a {found.name} file, but holds something that can't be made sense of; it is"
            " damaged. Ask for it once more."
        ) from None


@contextmanager
def _no_collecting() -> Iterator[None]:
    """A large drawing is millions of small objects, none of them garbage: looking for some takes a third of the
    time."""
    collecting = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if collecting:
            gc.enable()


def _possible(unit: str | None) -> str | None:
    """A unit that a file declares, unless it makes no sense."""
    try:
        return unit if unit is None or mm_per_unit(unit) else None
    except TectogonError:
        return None
