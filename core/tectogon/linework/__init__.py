"""The drawing as it came in: curves with their layers, line types and colours, and everything beside them that is not
geometry.

Glossary
    linework: the curves of one drawing, in millimetres.
    layer, line type, block: as the file names them.
    curve id: "source:handle", with the block path before it and a number after it where one entity gave several curves.
    skipped: things of the file that are known for what they are and are not curves.
"""

from tectogon.linework.model import Layer, LineType, Linework, Mark, Picture, StatedSize, Written

__all__ = ["Layer", "LineType", "Linework", "Mark", "Picture", "StatedSize", "Written"]
