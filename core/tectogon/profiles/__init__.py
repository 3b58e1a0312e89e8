"""Closed regions of linework, found on the true curves.

Glossary
    node: a point where ends meet, within the joining distance.
    piece: part of one curve between two nodes.
    ring: pieces that close, without passing a node twice.
    region: what one outer ring encloses, less the rings directly inside it (its holes).
    level: how many boundaries enclose a region's own outer ring: 0 outside, 1 in a hole, 2 an island in a hole.
    profile: a region that is material: one of an even level.
"""

from tectogon.profiles.fills import Filled, Outline, painted
from tectogon.profiles.regions import Region, Regions, Ring, find_regions

__all__ = ["Filled", "Outline", "Region", "Regions", "Ring", "find_regions", "painted"]
