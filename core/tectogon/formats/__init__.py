"""Files in and out: one module a format, all behind `read_drawing` and `FORMATS`.

A reader returns what the file holds in the file's own units, and says what it skipped; it never guesses a unit
silently, prints or exits.
"""

from tectogon.formats.options import OPTIONS, ReadOptions
from tectogon.formats.registry import FORMATS, FileFormat, format_of, read_drawing
from tectogon.formats.result import CurveSet, ReadLimits, ReadResult

__all__ = [
    "FORMATS",
    "OPTIONS",
    "CurveSet",
    "FileFormat",
    "ReadLimits",
    "ReadOptions",
    "ReadResult",
    "format_of",
    "read_drawing",
]
