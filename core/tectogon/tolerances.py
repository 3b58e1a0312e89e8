"""The one tolerance policy: every length that decides "the same" is named and defaulted here (millimetres, radians).

Resolution
    The distance below which two points of a file are one point: what rounding in the file itself can cause.
Joining distance
    The distance below which two ends are pulled together; the designer chooses it, it is never below the resolution.
Chord tolerance
    The largest distance between a true curve and the straight pieces that stand for it, for display and topology.
Kernel tolerance
    What the solid kernel takes for coincident.
"""

TINY = 1e-300
"""Stands below a division in the place of nothing; no length is that small."""

LEAST_SIZE = 1e-9
"""The size that counts for a drawing, a view or a span that has none (mm)."""

LEAST_AREA = 1e-12
"""The area that counts for a region that has none (mm²)."""

ROUNDING = 1e-12
"""What floating point loses in a few steps of a computation, as a share."""

HAIR = 1e-9
"""What a file's own digits lose, as a share: nothing is told apart by less."""

SAME_SHARE = 1e-6
"""Two sizes that differ by less than this share are meant to be one."""

ANGLE_TOL = 1e-9
"""Two angles that differ by less are one (radians)."""

EXPLAINED = 99.9
"""A view counts as explained where so much of its drawn length (per cent) lies on edges of the part."""

SEEN_CHORD = 1e-4
"""Chord tolerance for holding lines of views against each other and against the part, as a share of the view's size."""

SEEN_TOL = 1e-3
"""Lines of two views, or of a view and the part, fall together within this share of the view's size."""

SEEN_LOOSE = 2e-3
"""The same where both of two lines may be off."""

SEEN_SLACK = 1e-2
"""How far a tool stands over the part, and how near a depth is that is meant, as a share of the part's size."""

KERNEL_TOL = 1e-6
"""Shorter pieces than this are never handed to the kernel (mm)."""

MESH_CHORD_TOL = 0.05
"""Default largest distance between a body and its mesh (mm)."""

MESH_ANGLE_TOL = 0.35
"""Default largest angle between neighbouring facets of a mesh (radians)."""

ON_FACE_TOL = 1e-3
"""A pressed point lies on a face or an edge that is no further away (mm)."""

TOUCHING = 1e-6
"""Bodies no further apart (mm) touch."""

LEVEL_TOL = 1e-6
"""Two heights that differ by less are one (mm, and as a share of the height)."""

ALIKE_NORMAL = 0.9
"""Two faces look the same way if the cosine between their normals is more than this."""

CLEARLY_NEARER = 0.5
"""Of two things that could be meant, one is if it is less than this share of the other's distance away."""

VOLUME_TOL = 1e-6
"""Relative difference above which a volume is taken to be wrong."""

MOST_EDGES_CHECKED = 1000
"""The kernel's own check of a body is asked for up to so many edges: at 5,000 it takes 22 s."""

TANGENT_TOL = 1e-7
"""Directions closer than this are ordered by curvature, not by angle (radians)."""

MAX_COORDINATE = 1e9
"""Coordinates beyond this (mm) leave no digits for a part and are refused."""


def resolution(size_mm: float) -> float:
    """The distance (mm) below which two points of a drawing of this size are one point.

    A ten-millionth of the drawing, between a nanometre's thousandfold and a micrometre: drawings are written with 6 to
    16 digits, and neither loses more than that.
    """
    return min(max(size_mm * 1e-7, 1e-6), 1e-3)


def display_chord(size_mm: float) -> float:
    """Chord tolerance (mm) that looks round when the whole drawing of this size fills a screen several times over."""
    return max(size_mm * 5e-5, 1e-6)
