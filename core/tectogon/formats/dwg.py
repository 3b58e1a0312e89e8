"""DWG, R13 to 2018, decoded by ezdwg and read as the same drawing in DXF would be: one reader of entities serves both.

The decoder gives entities by kind without the names of their layers and blocks; they are put back in the file's order
here. What it can't decode is counted. Damage it does not notice, so objects are held against their check sums where the
version has them.
"""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdwg
import numpy as np
from ezdwg import raw
from ezdxf.entities import factory
from ezdxf.entities.dxfentity import DXFEntity
from ezdxf.math import Vec3

from tectogon.errors import Note, OverLimit, TectogonError, UnreadableFile
from tectogon.formats import dwg_check
from tectogon.formats.dwg_columns import PlainEntities
from tectogon.formats.dxf_columns import Columns
from tectogon.formats.entities import VERSIONS, Block, Content, EntityReader, hex_colour, shown_index
from tectogon.formats.options import ReadOptions
from tectogon.formats.result import ReadLimits, ReadResult
from tectogon.linework import Layer
from tectogon.units import show_count

_READABLE = VERSIONS.keys() - {"AC1006", "AC1009"}
_PARTS = {
    "VERTEX_2D",
    "VERTEX_3D",
    "VERTEX_MESH",
    "VERTEX_PFACE",
    "VERTEX_PFACE_FACE",
    "SEQEND",
    "BLOCK",
    "ENDBLK",
    "ATTRIB",
    "VIEWPORT",
}
_MODEL_SPACE = 2
_PAPER_SPACE = 1


def read(path: Path, limits: ReadLimits, options: ReadOptions) -> ReadResult:
    """The model space of a DWG file as linework in file units. Raises UnreadableFile or OverLimit."""
    mark = path.open("rb").read(6).decode("latin-1")
    if mark not in _READABLE:
        raise UnreadableFile(
            f"{path.name} is a DWG of a version that is not read ({mark}); R13 to 2018 are. Ask for it in one of those,"
            " or as DXF."
        )
    ezdwg.clear_decode_caches()
    try:
        headers = raw.list_object_headers_with_type(str(path))
        entities = sum(1 for h in headers if h[5] == "E" and h[4] not in _PARTS)
        if entities > limits.max_entities:
            raise OverLimit(
                f"{path.name} holds {show_count(entities)} entities; up to {show_count(limits.max_entities)}"
                " are read in one file. Split"
                " the drawing."
            )
        content, seen = _content(path, mark)
    except (TectogonError, MemoryError):
        raise
    except Exception:
        raise UnreadableFile(
            f"{path.name} starts like a DWG but breaks off or is damaged, and could not be decoded. Ask for it once"
            " more."
        ) from None
    notes = _doubts(path, mark, headers, seen)
    result = EntityReader(content, limits, notes).result()
    if not len(result.linework) and not result.linework.entities:
        raise UnreadableFile(f"{path.name} is a damaged DWG: nothing in it could be decoded. Ask for it once more.")
    return result


def _doubts(path: Path, mark: str, headers: list[Any], seen: Counter[str]) -> list[Note]:
    """What was not decoded, and what can't be trusted."""
    notes = []
    held = Counter(h[4] for h in headers if h[5] == "E" and h[4] not in _PARTS)
    lost = {
        kind.removeprefix("DIM_").lower(): n - seen[kind]
        for kind, n in held.items()
        if n > seen[kind] and not kind.startswith("DIM_")
    }
    if lost:
        told = ", ".join(f"{n} {kind}" for kind, n in sorted(lost.items()))
        notes.append(
            Note(
                "not_decoded",
                f"{sum(lost.values())} entities could not be decoded and are missing: {told}. Ask for the drawing as"
                " DXF to have them.",
            )
        )
    if mark in dwg_check.VERSIONS and headers:
        data = path.read_bytes()
        bad = dwg_check.damaged(
            data, np.array([h[1] for h in headers], np.int64), np.array([h[2] for h in headers], np.int64)
        )
        if len(bad):
            kinds = Counter(headers[i][4].lower() for i in bad.tolist())
            told = ", ".join(f"{n} {kind}" for kind, n in kinds.most_common(5))
            notes.append(
                Note(
                    "check_sum",
                    f"The file is damaged: {len(bad)} of {len(headers)} objects do not fit their check sums ({told})."
                    " Sizes may be wrong; ask for it once more.",
                )
            )
    return notes


def _content(path: Path, mark: str) -> tuple[Content, Counter[str]]:
    """The file as content, and how many entities of each kind the decoder gave."""
    document = ezdwg.read(str(path))
    layers = {layer.handle: layer for layer in document.layers}
    names = {handle: layer.name for handle, layer in layers.items()}
    blocks = {b["handle"]: b for b in raw.decode_write_blocks(str(path))}
    held: dict[str, list[tuple[int, DXFEntity]]] = {}
    plain: dict[str, PlainEntities] = defaultdict(PlainEntities)
    homes: dict[tuple[int, int | None] | None, str] = {}
    kinds: list[str] = []
    place_of = document.entity_placement
    for entity in document.entities().query():
        kind = entity.dxftype
        kinds.append(kind)
        if kind in ("ATTRIB", "VIEWPORT"):
            continue
        place = place_of(entity.handle)
        home = homes.get(place)
        if home is None:
            mode, owner = place or (_MODEL_SPACE, None)
            home = homes[place] = _home(mode, blocks[owner]["name"] if owner in blocks else "")
        if home == "paper" or not plain[home].takes(kind, entity.handle, entity.dxf):
            held.setdefault(home, []).append((entity.handle, _made(entity, names)))
    numbers: dict[str, int] = {}
    bulks = {
        "" if home == "model" else home.removeprefix("block ").lower(): entities.bulk(names, numbers)
        for home, entities in plain.items()
        if entities.handle
    }
    order = {home: [e for _, e in sorted(found, key=lambda pair: pair[0])] for home, found in held.items()}
    return (
        Content(
            format="DWG",
            version=VERSIONS[mark],
            insunits=int(document.insunits or 0),
            layers=[_layer(layer) for layer in layers.values()],
            linetypes=[
                (name, tuple(float(d) for d in lt["dashes"]))
                for name, lt in document.linetypes().items()
                if name.upper() not in ("BYLAYER", "BYBLOCK")
            ],
            model=order.get("model", []),
            papers=[("Layout", order["paper"])] if "paper" in order else [],
            blocks={
                b["name"]: Block(tuple(b["base_point"]), order.get(f"block {b['name']}", []))
                for b in blocks.values()
                if not _is_space(b["name"])
            },
            columns=Columns(
                bulks, tuple(numbers), b"", {f"{handle:X}": handle for found in held.values() for handle, _ in found}
            ),
        ),
        Counter(kinds),
    )


def _is_space(block: str) -> bool:
    return block.lower().startswith(("*model_space", "*paper_space"))


def _home(mode: int, block: str) -> str:
    if mode == _MODEL_SPACE or block.lower().startswith("*model_space"):
        return "model"
    if mode == _PAPER_SPACE or block.lower().startswith("*paper_space"):
        return "paper"
    return f"block {block}" if block else "model"


def _layer(layer: Any) -> Layer:
    colour = hex_colour(layer.rgb) if layer.rgb else shown_index(abs(layer.color or 7))
    return Layer(layer.name, layer.linetype or "CONTINUOUS", colour, bool(layer.on) and not layer.frozen)


# entities ----------------------------------------------------------------------


class _Attributes:
    """Attributes of a light entity, asked for as those of a whole one are."""

    def __init__(self, values: dict[str, Any]) -> None:
        self.__dict__ = values

    def get(self, name: str, default: Any = None) -> Any:
        return self.__dict__.get(name, default)


class _Light:
    """What the entity reader asks of the common kinds, and no more: making a whole entity takes 50 µs, this 1."""

    __slots__ = ("closed", "dxf", "kind", "lwpoints")

    closed: bool
    lwpoints: _Corners

    def __init__(self, kind: str, values: dict[str, Any]) -> None:
        self.kind = kind
        self.dxf = _Attributes(values)

    def dxftype(self) -> str:
        return self.kind


class _Corners:
    """Corners of a polyline as the entity reader asks for them: x, y, two widths and the bulge of each, in a row."""

    __slots__ = ("values",)

    def __init__(self, values: list[float]) -> None:
        self.values = values


_POINTS = ("start", "end", "center", "insert")


def _light(kind: str, *copied: str) -> Callable[[dict[str, Any], dict[str, Any]], DXFEntity]:
    """A maker of light entities with these attributes."""

    def make(d: dict[str, Any], common: dict[str, Any]) -> DXFEntity:
        for name in copied:
            value = d.get(name)
            if value is not None:
                common[name] = Vec3(value) if name in _POINTS else value
        return _Light(kind, common)  # type: ignore[return-value]

    return make


def _made(entity: Any, layers: dict[int, str]) -> DXFEntity:
    """An entity of the decoder as one of the reader's."""
    maker = _MAKERS.get(entity.dxftype)
    if maker is None:
        return _Light(entity.dxftype, {"handle": f"{entity.handle:X}"})  # type: ignore[return-value]
    d = entity.dxf
    common: dict[str, Any] = {"handle": f"{entity.handle:X}", "layer": layers.get(d.get("layer_handle"), "0")}
    if d.get("linetype") and d["linetype"] != "BYLAYER":
        common["linetype"] = d["linetype"]
    if d.get("color_index") not in (None, 256):
        common["color"] = int(d["color_index"])
    if d.get("true_color") is not None:
        common["true_color"] = int(d["true_color"]) & 0xFFFFFF
    if d.get("invisible"):
        common["invisible"] = 1
    if tuple(d.get("extrusion") or (0, 0, 1)) != (0.0, 0.0, 1.0):
        common["extrusion"] = d["extrusion"]
    return maker(d, common)


def _simple(kind: str, *copied: str, **renamed: str) -> Callable[[dict[str, Any], dict[str, Any]], DXFEntity]:
    """A maker that copies attributes, some under another name."""
    pairs = [*((name, name) for name in copied), *renamed.items()]

    def make(d: dict[str, Any], common: dict[str, Any]) -> DXFEntity:
        return factory.new(kind, {**common, **{to: d[of] for to, of in pairs if d.get(of) is not None}})

    return make


def _lwpolyline(d: dict[str, Any], common: dict[str, Any]) -> DXFEntity:
    made = _Light("LWPOLYLINE", common)
    points = d["points"]
    bulges = d.get("bulges") or [0.0] * len(points)
    made.lwpoints = _Corners([v for p, b in zip(points, bulges, strict=False) for v in (p[0], p[1], 0.0, 0.0, b)])
    made.closed = bool(d.get("closed"))
    return made  # type: ignore[return-value]


def _vertices(d: dict[str, Any]) -> list[tuple[float, float, float]]:
    points = d["points"]
    bulges = d.get("bulges") or [0.0] * len(points)
    return [(p[0], p[1], b) for p, b in zip(points, bulges, strict=False)]


def _polyline_2d(d: dict[str, Any], common: dict[str, Any]) -> DXFEntity:
    points = [(p[0], p[1], 0.0) for p in d["interpolated_points"]] if d.get("interpolation_applied") else _vertices(d)
    made: Any = factory.new("POLYLINE", {**common, "flags": 1 if d.get("closed") else 0})
    made.append_formatted_vertices(points, format="xyb")
    return made  # type: ignore[no-any-return]


def _polyline_3d(d: dict[str, Any], common: dict[str, Any]) -> DXFEntity:
    made: Any = factory.new("POLYLINE", {**common, "flags": 8 | (1 if d.get("closed") else 0)})
    made.append_formatted_vertices([tuple(p[:3]) for p in d["points"]], format="xyz")
    return made  # type: ignore[no-any-return]


def _spline(d: dict[str, Any], common: dict[str, Any]) -> DXFEntity:
    made: Any = factory.new("SPLINE", {**common, "degree": int(d["degree"])})
    if d.get("control_points"):
        made.control_points = d["control_points"]
        made.knots = d["knots"]
        if d.get("weights") and d.get("rational"):
            made.weights = d["weights"]
    else:
        made.fit_points = d.get("fit_points") or []
    return made  # type: ignore[no-any-return]


_DIMENSIONS = {
    "LINEAR": 0,
    "ALIGNED": 1,
    "ANGULAR": 2,
    "ANG2LN": 2,
    "DIAMETER": 3,
    "RADIUS": 4,
    "ANG3PT": 5,
    "ORDINATE": 6,
}


def _dimension(d: dict[str, Any], common: dict[str, Any]) -> DXFEntity:
    kind = _DIMENSIONS.get(str(d.get("dimtype", "")).upper(), 0)
    points = {
        name: d[name]
        for name in ("defpoint", "defpoint2", "defpoint3", "defpoint4", "text_midpoint")
        if d.get(name) is not None
    }
    more = (
        {"angle": math.degrees(d["angle"]) if abs(d.get("angle") or 0.0) <= math.tau else d["angle"]}
        if d.get("angle")
        else {}
    )
    return factory.new("DIMENSION", {**common, **points, **more, "dimtype": kind, "text": d.get("text") or ""})


def _mtext(d: dict[str, Any], common: dict[str, Any]) -> DXFEntity:
    made: Any = factory.new("MTEXT", {**common, "insert": d["insert"], "char_height": d.get("char_height") or 2.5})
    made.text = d.get("raw_text") or d.get("text") or ""
    return made  # type: ignore[no-any-return]


_MAKERS: dict[str, Callable[[dict[str, Any], dict[str, Any]], DXFEntity]] = {
    "LINE": _light("LINE", "start", "end"),
    "CIRCLE": _light("CIRCLE", "center", "radius"),
    "ARC": _light("ARC", "center", "radius", "start_angle", "end_angle"),
    "ELLIPSE": _simple(
        "ELLIPSE", "center", "major_axis", ratio="axis_ratio", start_param="start_angle", end_param="end_angle"
    ),
    "POINT": _simple("POINT", "location"),
    "TEXT": _simple("TEXT", "text", "insert", "height", "rotation"),
    "ATTDEF": _simple("ATTDEF", "tag", "text", "insert", "height", "rotation"),
    "MTEXT": _mtext,
    "INSERT": _light("INSERT", "name", "insert", "xscale", "yscale", "zscale", "rotation"),
    "MINSERT": _simple(
        "INSERT",
        "name",
        "insert",
        "xscale",
        "yscale",
        "zscale",
        "rotation",
        "row_count",
        "column_count",
        "row_spacing",
        "column_spacing",
    ),
    "LWPOLYLINE": _lwpolyline,
    "POLYLINE_2D": _polyline_2d,
    "POLYLINE_3D": _polyline_3d,
    "SPLINE": _spline,
    "DIMENSION": _dimension,
}
