"""Which layers of a drawing are what of a circuit board, by what the files call themselves."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from tectogon.curves.table import BoolArray
from tectogon.linework import Linework

EDGE = "the board's edge"
_EDGES = re.compile(r"\bedge|outline|profile|\bgko\b|\bgm1\b", re.IGNORECASE)
_DRILLS = re.compile(r"\bdrill|\bholes?\b|\b[np]?pth\b", re.IGNORECASE)
_COPPER = re.compile(r"copper|\bcu\b|\bg[tb]l\b", re.IGNORECASE)
_TOP = re.compile(r"\btop\b|\bf[-_. ]?cu\b|front|\bgtl\b", re.IGNORECASE)
_BOTTOM = re.compile(r"\bbot(tom)?\b|\bb[-_. ]?cu\b|back|\bgbl\b", re.IGNORECASE)


@dataclass(frozen=True)
class BoardLayers:
    """Names of layers: the edge, drills, copper of the upper and of the lower face."""

    edge: tuple[str, ...]
    drills: tuple[str, ...]
    top: tuple[str, ...]
    bottom: tuple[str, ...]


def board_layers(linework: Linework, edge: str = "") -> BoardLayers:
    """The layers of a board by their names; `edge` where somebody has said which one that is."""
    names = [layer.name for layer in linework.layers]
    edges = [edge] if edge in names else [name for name in names if _EDGES.search(_spaced(name))][:1]
    others = [name for name in names if name not in edges]
    copper = [name for name in others if _COPPER.search(_spaced(name))]
    return BoardLayers(
        tuple(edges),
        tuple(name for name in others if name not in copper and _DRILLS.search(_spaced(name))),
        tuple(name for name in copper if _TOP.search(_spaced(name))),
        tuple(name for name in copper if _BOTTOM.search(_spaced(name))),
    )


def on_layers(linework: Linework, names: tuple[str, ...]) -> BoolArray:
    """Which curves lie on layers of these names (n,)."""
    named = np.array([layer.name in names for layer in linework.layers], bool)
    return named[linework.layer_of] if len(named) else np.zeros(len(linework), bool)


def _spaced(name: str) -> str:
    """A name with its words apart."""
    return re.sub(r"[-_.]+", " ", name)
