"""SVG: shapes, paths, groups, `use`, style by attribute, `style` and CSS classes; Bézier curves stay splines, arcs
arcs.

The tree is read by a parser that refuses entities which refer to anything outside; nothing is ever fetched. `use` is
counted before it is laid out. Path data is parsed by svg_path.py. Lengths come out in the drawing's own user units, y
upwards from the page's lower edge.
"""

from __future__ import annotations

import contextlib
import math
import re
import zlib
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import Element, ParseError

import cssselect2
import numpy as np
import svgelements
import tinycss2
from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from tectogon.curves import Curve, Line, affine
from tectogon.curves.affine import FloatArray
from tectogon.curves.shapes import TURN
from tectogon.errors import Note, OverLimit, UnreadableFile
from tectogon.formats.graphics import Art
from tectogon.formats.options import ReadOptions
from tectogon.formats.result import ReadLimits, ReadResult
from tectogon.formats.signatures import is_svg
from tectogon.formats.svg_path import ellipse_by_axes, parse_path
from tectogon.linework import Written
from tectogon.profiles.stroke import Pen
from tectogon.units import MM_PER_UNIT, show_count

_MAX_DEPTH = 120
_MAX_NUMBERS = 3_000_000
_MOST_STYLE, _MOST_RULES = 1_000_000, 20_000
_LARGEST_UNPACKED = 100_000_000
_NUMBER = re.compile(r"[-+]?(?:\d++(?:\.\d*+)?+|\.\d++)(?:[eE][-+]?\d++)?+")
_LENGTH = re.compile(
    r"\s*+([-+]?(?:\d++(?:\.\d*+)?+|\.\d++)(?:[eE][-+]?\d++)?+)\s*+(px|mm|cm|in|pt|pc|em|ex|%|q|)\s*+$", re.IGNORECASE
)
_PX = {
    "": 1.0,
    "px": 1.0,
    "mm": 96 / 25.4,
    "cm": 96 / 2.54,
    "in": 96.0,
    "pt": 96 / 72,
    "pc": 16.0,
    "em": 16.0,
    "ex": 8.0,
    "q": 96 / 101.6,
}
_PLAIN_ENTITY = re.compile(r"<!ENTITY\s+([\w.-]+)\s+(?:\"([^\"&%<]{0,500})\"|'([^'&%<]{0,500})')\s*>")
_INHERITED = (
    "fill",
    "stroke",
    "stroke-width",
    "fill-rule",
    "stroke-linejoin",
    "stroke-linecap",
    "stroke-miterlimit",
    "stroke-dasharray",
    "visibility",
    "color",
    "fill-opacity",
    "stroke-opacity",
    "font-size",
)
_OWN = ("display", "opacity", "clip-path", "mask", "filter", "transform")
_NOT_DRAWN = {
    "defs",
    "symbol",
    "clippath",
    "mask",
    "pattern",
    "marker",
    "metadata",
    "title",
    "desc",
    "style",
    "script",
    "filter",
    "namedview",
    "lineargradient",
    "radialgradient",
}
_SHAPES = {"path", "rect", "circle", "ellipse", "line", "polyline", "polygon"}
_DEFAULTS = {
    "fill": "black",
    "stroke": "none",
    "stroke-width": "1",
    "fill-rule": "nonzero",
    "stroke-linejoin": "miter",
    "stroke-linecap": "butt",
    "stroke-miterlimit": "4",
    "stroke-dasharray": "none",
    "visibility": "visible",
    "color": "black",
    "fill-opacity": "1",
    "stroke-opacity": "1",
}


def read(path: Path, limits: ReadLimits, options: ReadOptions) -> ReadResult:
    """The shapes of an SVG file in its user units. Raises UnreadableFile or OverLimit."""
    root = _tree(path, limits)
    if _tag(root) != "svg":
        raise UnreadableFile(f"{path.name} is XML, but not an SVG drawing.")
    reader = _Reader(root, limits, path.name)
    reader.walk()
    linework = reader.art.linework(outlines=options.strokes == "outline")
    return ReadResult(
        linework=linework,
        format="SVG",
        version=root.get("version", "1.1")[:10],
        declared_unit=reader.page.declared,
        kind_says=reader.page.says,
    )


def _tree(path: Path, limits: ReadLimits) -> Element:
    data = path.read_bytes()
    if data[:2] == b"\x1f\x8b":
        data = _unpacked(data, path.name)
    if data.count(b"<") > 4 * limits.max_entities:
        raise OverLimit(f"{path.name} holds more than {show_count(4 * limits.max_entities)} tags; split it.")
    text = _without(data, b"<!--", b"-->") if b"<!ENTITY" in data else data
    try:
        if b"<!ENTITY" in text:
            return _with_plain_entities(text, path.name)
        root: Element = fromstring(text)
        return root
    except DefusedXmlException:
        raise UnreadableFile(
            f"{path.name} defines XML entities or refers to things outside of itself; such a file is not opened. Save"
            " it again as plain SVG."
        ) from None
    except (ParseError, ValueError, LookupError) as problem:
        place = getattr(problem, "position", None)
        where = f" at line {place[0]}" if place else ""
        raise UnreadableFile(
            f"{path.name} breaks off or is damaged{where}: it is not well-formed XML. Ask for it once more."
        ) from None


def _unpacked(data: bytes, name: str) -> bytes:
    opened = zlib.decompressobj(31)
    try:
        out = opened.decompress(data, _LARGEST_UNPACKED)
    except zlib.error:
        raise UnreadableFile(f"{name} is a packed file that can't be unpacked; it is damaged.") from None
    if opened.unconsumed_tail:
        raise OverLimit(f"{name} unpacks to more than {_LARGEST_UNPACKED // 1_000_000} MB.")
    if not is_svg(out[:4096]) or out[:2] == b"\x1f\x8b":
        raise UnreadableFile(f"{name} is a packed file, but there is no SVG drawing in it.")
    return out


def _with_plain_entities(data: bytes, name: str) -> Element:
    """Short literal entities (editors put namespaces into them) are written out; any other refuses the file."""
    text = data.decode("utf-8", "replace")
    plain = {m[1]: m[2] or m[3] or "" for m in _PLAIN_ENTITY.finditer(text)}
    if len(plain) != text.count("<!ENTITY") or len(plain) > 100:
        raise UnreadableFile(
            f"{name} defines XML entities or refers to things outside of itself; such a file is not opened. Save it"
            " again as plain SVG."
        )
    begin = text.find("<!DOCTYPE")
    end = text.find("]", begin)
    close = text.find(">", end)
    body = text[:begin] + text[close + 1 :] if 0 <= begin < end < close else text
    used = sum(body.count(f"&{key};") * len(value) for key, value in plain.items())
    if used > 1_000_000:
        raise OverLimit(f"{name} repeats its XML entities too often.")
    for key, value in plain.items():
        body = body.replace(f"&{key};", value)
    if body.lstrip().startswith("<?xml"):
        body = body.partition("?>")[2]
    root: Element = fromstring(body)
    return root


def _without(data: bytes, begin: bytes, end: bytes) -> bytes:
    """The data without everything between two marks; an open one at the end stays."""
    out, at = [], 0
    while (start := data.find(begin, at)) >= 0 and (stop := data.find(end, start + len(begin))) >= 0:
        out.append(data[at:start])
        at = stop + len(end)
    return b"".join([*out, data[at:]])


def _tag(element: Element) -> str:
    tag = element.tag
    return tag.rsplit("}", 1)[-1].lower() if isinstance(tag, str) else ""


@dataclass(frozen=True)
class _Page:
    """The page: user units to the sheet, what one user unit is, and what speaks for it."""

    matrix: FloatArray
    declared: str | None
    says: str
    width: float
    height: float


@dataclass(frozen=True)
class _State:
    """What a shape inherits."""

    matrix: FloatArray
    style: dict[str, str]
    layer: str
    path: str
    depth: int
    opacity: float = 1.0


class _Reader:
    def __init__(self, root: Element, limits: ReadLimits, name: str) -> None:
        self.root, self.limits, self.name = root, limits, name
        self.art = Art(limits.max_curves)
        self.by_id = {key: e for e in root.iter() if (key := e.get("id"))}
        self.sheet = _Sheet(root)
        self.page = _page_of(root)
        self.drawn = 0
        self.numbers = 0
        self._check_uses()

    def _check_uses(self) -> None:
        """Count what `use` lays out, before anything is laid out."""
        counts: dict[int, float] = {}
        open_now: set[int] = set()

        def count(element: Element, depth: int) -> float:
            key = id(element)
            if key in counts:
                return counts[key]
            if key in open_now:
                raise UnreadableFile(
                    f"{self.name}: “{element.get('id', '')[:60]}” uses itself; such a drawing has no end."
                )
            if depth > _MAX_DEPTH:
                raise OverLimit(
                    f"{self.name} nests groups deeper than {_MAX_DEPTH}; open some of them and save it again."
                )
            open_now.add(key)
            total = 1.0
            if _tag(element) == "use" and (target := self._target(element)) is not None:
                total += count(target, depth + 1)
            for child in element:
                total += count(child, depth + 1)
            open_now.discard(key)
            counts[key] = total
            return total

        total = count(self.root, 0)
        if total > self.limits.max_entities:
            raise OverLimit(
                f"{self.name} draws {total:.3g} shapes once every `use` is laid out; up to"
                f" {show_count(self.limits.max_entities)}"
                " are taken."
            )

    def _target(self, element: Element) -> Element | None:
        href = next((value for key, value in element.attrib.items() if key.rsplit("}", 1)[-1] == "href"), "")
        return self.by_id.get(href[1:]) if href.startswith("#") else None

    # the tree ----------------------------------------------------------------
    def walk(self) -> None:
        state = _State(self.page.matrix, dict(_DEFAULTS), "0", "", 0)
        self._children(self.root, self._styled(self.root, state))
        if self.art.skipped.get("text"):
            n = self.art.skipped["text"]
            self.art.notes.append(
                Note(
                    "text_without_outline",
                    f"{n} text{'s have' if n > 1 else ' has'} no outline and can't become part of a profile; turn text"
                    " into paths in the drawing and save it again.",
                )
            )
        if self.art.skipped.get("clip path"):
            self.art.notes.append(
                Note(
                    "clip_path",
                    f"{self.art.skipped['clip path']} shapes are clipped; the clip is not applied, so more of them is"
                    " shown than the page shows.",
                )
            )

    def _children(self, element: Element, state: _State) -> None:
        for number, child in enumerate(element):
            tag = _tag(child)
            if not tag or tag in _NOT_DRAWN:
                continue
            if tag == "switch":
                self._children(child, self._styled(child, state))
                continue
            self._one(child, tag, state, f"{state.path}{child.get('id') or f'{tag}{number + 1}'}")

    def _one(self, element: Element, tag: str, outer: _State, key: str) -> None:
        self.art.entities[tag] += 1
        state = self._styled(element, outer)
        if self._own(element).get("display") == "none":
            self.art.skipped["not displayed"] += 1
            return
        if tag in ("g", "a", "svg"):
            if tag == "svg":
                state = replace(state, matrix=affine.after(state.matrix, _nested(element, self.page)))
            layer = element.get("id", state.layer) if outer.depth == 0 and tag == "g" else state.layer
            self._children(element, replace(state, layer=layer, depth=outer.depth + 1, path=f"{key}/"))
        elif tag == "use":
            self._use(element, state, key)
        elif tag in _SHAPES:
            self._shape(element, tag, state, key)
        elif tag in ("text", "flowroot"):
            self._text(element, state)
        else:
            self.art.skipped[tag] += 1

    def _use(self, element: Element, state: _State, key: str) -> None:
        target = self._target(element)
        if target is None:
            self.art.skipped["use of something that is not in the file"] += 1
            return
        moved = affine.moved(_px(element.get("x"), self.page.width), _px(element.get("y"), self.page.height))
        inner = replace(state, matrix=affine.after(state.matrix, moved), depth=state.depth + 1)
        if _tag(target) == "symbol":
            view = _nested(target, self.page, element)
            self._children(
                target, replace(self._styled(target, inner), matrix=affine.after(inner.matrix, view), path=f"{key}/")
            )
        else:
            self._one(target, _tag(target), replace(inner, path=f"{key}/"), f"{key}/{target.get('id', '')}")

    def _styled(self, element: Element, outer: _State) -> _State:
        own = self._own(element)
        style = outer.style
        changed = {k: v for k, v in own.items() if k in _INHERITED and v != "inherit"}
        if changed:
            style = {**style, **changed}
        matrix = outer.matrix
        if transform := own.get("transform"):
            matrix = affine.after(matrix, self._transform(transform))
        if own.get("clip-path", "none") != "none" or own.get("mask", "none") != "none":
            self.art.skipped["clip path"] += 1
        return replace(outer, matrix=matrix, style=style, opacity=outer.opacity * _share(own.get("opacity", "1")))

    def _transform(self, text: str) -> FloatArray:
        try:
            m = svgelements.Matrix(text)
            m.render(ppi=96.0, width=self.page.width, height=self.page.height)
            out = np.array([[m.a, m.c, m.e], [m.b, m.d, m.f]], float)
        except MemoryError:
            raise
        except Exception:
            self.art.skipped["transform that can't be read"] += 1
            return affine.IDENTITY
        return out if np.isfinite(out).all() else affine.IDENTITY

    def _own(self, element: Element) -> dict[str, str]:
        """An element's own style: attributes, then rules of the sheet, then its style attribute, then what the sheet
        calls important."""
        out = {k: v.strip() for k, v in element.attrib.items() if k in _INHERITED or k in _OWN}
        said = self.sheet.says(element)
        for plain, _ in said:
            out.update(plain)
        if style := element.get("style"):
            out.update(_declarations(style))
        for _, important in said:
            out.update(important)
        return out

    # shapes ------------------------------------------------------------------
    def _shape(self, element: Element, tag: str, state: _State, key: str) -> None:
        style = state.style
        if style["visibility"] in ("hidden", "collapse") or state.opacity <= 0:
            self.art.skipped["not displayed"] += 1
            return
        fill, stroke = _colour(style["fill"], style), _colour(style["stroke"], style)
        width = _px(style["stroke-width"], self.page.width) if _LENGTH.match(style["stroke-width"]) else 1.0
        if _share(style["fill-opacity"]) <= 0 or tag == "line":
            fill = None
        if width <= 0 or _share(style["stroke-opacity"]) <= 0:
            stroke = None
        if fill is None and stroke is None:
            self.art.skipped["neither filled nor stroked"] += 1
            return
        try:
            chains = self._chains(element, tag)
        except (OverLimit, MemoryError):
            raise
        except Exception:
            self.art.skipped[f"{tag} damaged"] += 1
            return
        chains = [c for c in chains if c]
        if not chains:
            self.art.skipped[f"{tag} without length"] += 1
            return
        pen = (
            Pen(
                width * affine.scale_of(state.matrix),
                _JOINS.get(style["stroke-linejoin"], "miter"),
                _CAPS.get(style["stroke-linecap"], "butt"),
                max(1.0, _number(style["stroke-miterlimit"], 4.0)),
            )
            if stroke
            else None
        )
        dashes = (
            ()
            if style["stroke-dasharray"] == "none"
            else tuple(float(x) for x in _NUMBER.findall(style["stroke-dasharray"]))
        )
        rule = "evenodd" if style["fill-rule"] == "evenodd" else "nonzero"
        shown = fill or stroke or "#000000"
        self.art.add(
            key,
            chains,
            state.matrix,
            layer=state.layer,
            colour=shown,
            fill=rule if fill else None,  # type: ignore[arg-type]
            pen=pen,
            dashes=dashes if stroke and not fill and sum(dashes) > 0 else (),
            clear=fill in _PAPER,
        )

    def _chains(self, element: Element, tag: str) -> list[list[Curve]]:
        get = element.get
        if tag == "path":
            return self._path(get("d", ""))

        def across(name: str) -> float:
            return _px(get(name), self.page.width)

        def along(name: str) -> float:
            return _px(get(name), self.page.height)

        if tag == "rect":
            w, h = across("width"), along("height")
            round_x = get("rx") not in (None, "auto")
            round_y = get("ry") not in (None, "auto")
            rx = across("rx") if round_x else along("ry") if round_y else 0.0
            ry = along("ry") if round_y else rx
            return (
                [_rectangle(across("x"), along("y"), w, h, min(rx, w / 2), min(ry, h / 2))] if w > 0 and h > 0 else []
            )
        if tag in ("circle", "ellipse"):
            rx, ry = (across("r"), across("r")) if tag == "circle" else (across("rx"), along("ry"))
            return [[ellipse_by_axes(across("cx"), along("cy"), rx, ry, 0.0, 0.0, TURN)]] if rx > 0 and ry > 0 else []
        if tag == "line":
            a, b = (across("x1"), along("y1")), (across("x2"), along("y2"))
            return [[Line(*a, *b)]]  # one without length too: with round ends it is a dot
        numbers = [float(v) for v in _NUMBER.findall(get("points", ""))]
        self._count(len(numbers))
        points = list(zip(numbers[::2], numbers[1::2], strict=False))
        return [_lines(points + points[:1] if tag == "polygon" else points)]

    def _count(self, numbers: int) -> None:
        self.numbers += numbers
        if self.numbers > _MAX_NUMBERS:
            raise OverLimit(f"{self.name} holds more than {show_count(_MAX_NUMBERS)} numbers in its paths; split it.")

    def _path(self, d: str) -> list[list[Curve]]:
        path = parse_path(d)
        self._count(path.numbers)
        if path.broken:
            self.art.skipped["path with damaged data"] += 1
        return path.chains

    def _text(self, element: Element, state: _State) -> None:
        self.art.skipped["text"] += 1
        words = " ".join("".join(element.itertext()).split())
        try:
            x, y = (_px(((element.get(k) or "").split() or ["0"])[0], 1.0) for k in ("x", "y"))
            size = _px(state.style.get("font-size", "16"), 16.0) * affine.scale_of(state.matrix)
        except ValueError:
            return
        at = affine.apply(state.matrix, np.array([x, y])).tolist()
        if np.isfinite([*at, size]).all():
            self.art.texts.append(Written(words[:2000], (at[0], at[1]), size, 0.0, state.layer))


_JOINS: dict[str, Any] = {"miter": "miter", "round": "round", "bevel": "bevel", "miter-clip": "miter", "arcs": "miter"}
_CAPS: dict[str, Any] = {"butt": "butt", "round": "round", "square": "square"}
_PAPER = ("#ffffff",)


def _lines(points: list[tuple[float, float]]) -> list[Curve]:
    return [Line(*points[n], *points[n + 1]) for n in range(len(points) - 1) if points[n] != points[n + 1]]


def _rectangle(x: float, y: float, w: float, h: float, rx: float, ry: float) -> list[Curve]:
    if rx <= 0 or ry <= 0:
        return _lines([(x, y), (x + w, y), (x + w, y + h), (x, y + h), (x, y)])
    out: list[Curve] = []
    quarter = math.pi / 2
    corners = (
        (x + w - rx, y + ry, -quarter),
        (x + w - rx, y + h - ry, 0.0),
        (x + rx, y + h - ry, quarter),
        (x + rx, y + ry, 2 * quarter),
    )
    sides = (
        ((x + rx, y), (x + w - rx, y)),
        ((x + w, y + ry), (x + w, y + h - ry)),
        ((x + w - rx, y + h), (x + rx, y + h)),
        ((x, y + h - ry), (x, y + ry)),
    )
    for side, (cx, cy, start) in zip(sides, corners, strict=True):
        out += _lines(list(side))
        out.append(ellipse_by_axes(cx, cy, rx, ry, 0.0, start, quarter))
    return out


# style -----------------------------------------------------------------------


_Payload = tuple[tuple[int, int, int], int, None, tuple[dict[str, str], dict[str, str]]]


class _Sheet:
    """The rules of the style elements: what they say of an element, plain declarations and important ones, the
    strongest last."""

    def __init__(self, root: Element) -> None:
        self.matcher: Any = None
        self.wrapped: dict[int, Any] = {}
        texts = ["".join(e.itertext())[:_MOST_STYLE] for e in root.iter() if _tag(e) == "style"]
        if any(text.strip() for text in texts):
            self.matcher = cssselect2.Matcher()
            self.wrapped = {
                id(w.etree_element): w for w in cssselect2.ElementWrapper.from_xml_root(root).iter_subtree()
            }
        for rule in [
            rule for text in texts for rule in tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True)
        ][:_MOST_RULES]:
            if rule.type == "qualified-rule":
                self._add(rule)

    def _add(self, rule: Any) -> None:
        declared = [
            d
            for d in tinycss2.parse_declaration_list(rule.content, skip_comments=True, skip_whitespace=True)
            if d.type == "declaration"
        ]
        plain, important = (
            {d.lower_name: tinycss2.serialize(d.value).strip() for d in declared if d.important == strong}
            for strong in (False, True)
        )
        with contextlib.suppress(cssselect2.SelectorError):  # one that is not understood says nothing of anything
            for selector in cssselect2.compile_selector_list(rule.prelude):
                if selector.pseudo_element is None:
                    self.matcher.add_selector(selector, (plain, important))

    def says(self, element: Element) -> list[tuple[dict[str, str], dict[str, str]]]:
        wrapped = self.wrapped.get(id(element))
        if self.matcher is None or wrapped is None:
            return []
        found: list[_Payload] = self.matcher.match(wrapped)
        return [payload for _, _, _, payload in sorted(found, key=lambda m: m[:2])]


def _declarations(text: str) -> dict[str, str]:
    pairs = (part.split(":", 1) for part in text.split(";") if ":" in part)
    return {k.strip().lower(): v.replace("!important", "").strip() for k, v in pairs}


def _colour(text: str, style: dict[str, str]) -> str | None:
    """ "#rrggbb", or None where nothing is painted. Gradients and patterns paint: their colour is taken as black."""
    text = text.strip()
    if text.lower() in ("none", "transparent", ""):
        return None
    if text.lower() in ("currentcolor", "context-fill", "context-stroke"):
        text = style["color"]
    if text.startswith("url("):
        return "#000000"
    try:
        colour = svgelements.Color(text)
        if colour.value is None or colour.alpha == 0:
            return None
        return f"#{colour.red:02x}{colour.green:02x}{colour.blue:02x}"
    except MemoryError:
        raise
    except Exception:
        return "#000000"


def _share(text: str) -> float:
    value = _number(text.rstrip("% "), 1.0)
    return value / 100.0 if text.strip().endswith("%") else value


def _number(text: str, default: float) -> float:
    try:
        value = float(text)
    except ValueError:
        return default
    return value if math.isfinite(value) else default


def _px(text: str | None, whole: float) -> float:
    """A length in user units; 0 where there is none. Raises ValueError for one that can't be read."""
    if not text:
        return 0.0
    found = _LENGTH.match(text)
    if not found:
        raise ValueError(f"{text[:30]} is not a length")
    value, unit = float(found[1]), found[2].lower()
    if not math.isfinite(value):
        raise ValueError("a length is not finite")
    return value * whole / 100.0 if unit == "%" else value * _PX[unit]


# the page --------------------------------------------------------------------


def _view_box(element: Element) -> tuple[float, float, float, float] | None:
    numbers = [float(v) for v in _NUMBER.findall(element.get("viewBox", ""))]
    if len(numbers) != 4 or not all(math.isfinite(v) for v in numbers) or numbers[2] <= 0 or numbers[3] <= 0:
        return None
    return numbers[0], numbers[1], numbers[2], numbers[3]


def _size(text: str | None) -> tuple[float, str] | None:
    """A length in px with its unit, or None for none or a share of what is around."""
    found = _LENGTH.match(text or "")
    if not found or found[2] == "%" or not 0 < float(found[1]) < 1e12:
        return None
    return float(found[1]) * _PX[found[2].lower()], found[2].lower()


def _page_of(root: Element) -> _Page:
    box, width, height = _view_box(root), _size(root.get("width")), _size(root.get("height"))
    if box is None:
        w, h = (width or (0.0, ""))[0], (height or (0.0, ""))[0]
        unit = next((s[1] for s in (width, height) if s and s[1] not in ("", "px")), None)
        says = "User units are pixels of 1/96 inch" + (f"; the page's size is given in {unit}" if unit else "")
        return _Page(np.array([[1.0, 0.0, 0.0], [0.0, -1.0, h]]), "px", says, w or 100.0, h or 100.0)
    x, y, w, h = box
    flip = np.array([[1.0, 0.0, -x], [0.0, -1.0, y + h]])
    scales = [size[0] / extent for size, extent in ((width, w), (height, h)) if size]
    if not scales:
        return _Page(flip, None, "The page has no size of its own, only user units", w, h)
    scale = min(scales)
    unit = next((s[1] for s in (width, height) if s and s[1] not in ("", "px", "em", "ex")), None)
    mm = scale * MM_PER_UNIT["px"]
    named = next((u for u, size in MM_PER_UNIT.items() if abs(mm / size - 1.0) < 1e-3), None)
    declared = named or f"{mm:.12g}"
    if unit is None:
        return _Page(flip, declared, "The page's size is given in pixels of 1/96 inch", w, h)
    return _Page(flip, declared, f"The page measures {w * mm:.6g} × {h * mm:.6g} mm", w, h)


def _nested(element: Element, page: _Page, user: Element | None = None) -> FloatArray:
    """The matrix of a nested svg or a used symbol: its place, and its viewBox fitted into its size (xMidYMid meet
    unless told otherwise)."""
    asked = user if user is not None else element
    move = (
        affine.IDENTITY
        if user is not None
        else affine.moved(_px(element.get("x"), page.width), _px(element.get("y"), page.height))
    )
    box = _view_box(element)
    if box is None:
        return move
    x, y, w, h = box
    width, height = asked.get("width") or element.get("width"), asked.get("height") or element.get("height")
    if not width and not height and user is None:
        width, height = "100%", "100%"
    fx = _px(width, page.width) / w if width else None
    fy = _px(height, page.height) / h if height else None
    fx, fy = fx or fy or 1.0, fy or fx or 1.0
    fit = (element.get("preserveAspectRatio") or "xMidYMid meet").split()
    if fit[0] == "none":
        return affine.after(move, affine.after(affine.scaled(fx, fy), affine.moved(-x, -y)))
    scale = max(fx, fy) if "slice" in fit else min(fx, fy)
    slack_x, slack_y = fx * w - scale * w, fy * h - scale * h
    share = {"min": 0.0, "mid": 0.5, "max": 1.0}
    dx, dy = slack_x * share.get(fit[0][1:4].lower(), 0.5), slack_y * share.get(fit[0][5:8].lower(), 0.5)
    return affine.after(
        move, affine.after(affine.moved(dx, dy), affine.after(affine.scaled(scale), affine.moved(-x, -y)))
    )
