"""Curves kept as what they are.

Glossary
    line, arc, elliptic arc, spline: one curve, running from its start (t = 0) to its end (t = 1).
    closed curve: start and end are the same point (a full circle, a full ellipse, a closed spline).
    piece: a part of a curve between two values of t.
    table: many curves at once, as columns of numbers.
"""

from tectogon.curves.shapes import Arc, Curve, EllipticArc, Line
from tectogon.curves.spline import Spline
from tectogon.curves.table import ARC, ELLIPSE, KIND_NAMES, LINE, SPLINE, CurveTable

__all__ = [
    "ARC",
    "ELLIPSE",
    "KIND_NAMES",
    "LINE",
    "SPLINE",
    "Arc",
    "Curve",
    "CurveTable",
    "EllipticArc",
    "Line",
    "Spline",
]
