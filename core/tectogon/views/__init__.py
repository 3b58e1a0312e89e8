"""Orthographic views: groups of linework, and the planes they stand in.

Glossary
    view: curves that show the part from one direction.
    fold: stand a view up in its plane, so that the sheet becomes the sides of a box round the part.
    frame: where a point of the sheet lies in space: origin, x direction, y direction; the normal points at the viewer.
"""

from tectogon.views.frame import VIEW_NAMES, Frame, frame_of
from tectogon.views.view import Plane, View

__all__ = ["VIEW_NAMES", "Frame", "Plane", "View", "frame_of"]
