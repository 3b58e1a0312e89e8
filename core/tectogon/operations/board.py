"""Build a circuit board of its layers in one step: the plate inside its edge, its drill holes, its copper."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from tectogon.errors import BadValue, NothingToBuild
from tectogon.tolerances import KERNEL_TOL
from tectogon.units import parse_length
from tectogon.workpiece.board_layers import EDGE, board_layers
from tectogon.workpiece.model import Material, Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, PLACEMENTS, Context, Operation
from tectogon.workpiece.parameters import Length, Params
from tectogon.workpiece.sentence import Sentence, choice_token, count_of, length_token, words

LAMINATE = Material("epoxy glass laminate", 1.85)
COPPER = Material("copper", 8.94)
COPPERS = {"own": "its copper as bodies", "none": "no copper"}


class BoardParams(Params):
    """How thick the laminate is, and its copper (mm); `edge`: the layer of the board's edge, where not the one that is
    called so."""

    thickness: Length = 1.6
    copper: Literal["own", "none"] = "own"
    copper_thickness: Length = 0.035
    edge: str = ""


def apply(workpiece: Workpiece, params: BoardParams, context: Context) -> Workpiece:
    """Raise what lies inside the edge by a thickness (mm), with the drills as holes, and copper on the faces: what is
    called top on the upper one, what is called bottom on the lower.

    Raises BadValue for a thickness of nothing, NothingToBuild where no layer is an edge or it does not close, OverLimit
    for more copper than can be made, and what `extrusions` raises.
    """
    from tectogon.building.boards import copper_of, plate_of  # the kernel takes 2 s to load: only where it is needed
    from tectogon.solids.features import with_features

    thickness, thin = parse_length(params.thickness), parse_length(params.copper_thickness)
    if thickness <= 10 * KERNEL_TOL or thin <= 10 * KERNEL_TOL or max(thickness, thin) > 1e3:
        raise BadValue("Type how thick the board and its copper are: more than nothing, and less than a metre.")
    layers = board_layers(workpiece.drawing.linework, params.edge)
    if not layers.edge:
        raise NothingToBuild(
            "No layer is called edge, outline or profile. Choose the layer of the board's edge in the sentence."
        )
    number = context.number
    pieces = [("Board", LAMINATE, plate_of(workpiece, layers, thickness, number))]
    if params.copper == "own":
        heights = (("Copper, top", layers.top, thickness), ("Copper, bottom", layers.bottom, -thin))
        pieces += [
            (name, COPPER, copper_of(workpiece, layers, on, (low, low + thin), number)) for name, on, low in heights
        ]
    bodies, materials = workpiece.bodies, dict(workpiece.materials)
    for name, material, features in pieces:
        if features:
            before = len(bodies)
            bodies = with_features(bodies, features, "each", None, number)
            made = bodies[before:]
            called = [name if len(made) == 1 else f"{name} {n + 1}" for n in range(len(made))]
            bodies = (*bodies[:before], *(b.renamed(b.key, c) for b, c in zip(made, called, strict=True)))
            materials |= {b.key: material for b in made}
    return replace(workpiece, bodies=bodies, materials=materials)


def sentence(params: BoardParams, workpiece: Workpiece | None) -> Sentence:
    names = [layer.name for layer in workpiece.drawing.linework.layers] if workpiece else []
    layers = board_layers(workpiece.drawing.linework, params.edge) if workpiece else None
    edge = params.edge or (layers.edge[0] if layers and layers.edge else "")
    holes = count_of(len(layers.drills), "drill layer") if layers else "its drills"
    out = [
        words("Build the circuit board inside "),
        choice_token("edge", edge, {name: name for name in names} | ({} if edge in names else {edge: EDGE})),
        words(", "),
        length_token("thickness", params.thickness),
        words(f" thick, drilled by {holes}, with "),
        choice_token("copper", params.copper, COPPERS),
    ]
    if params.copper == "own":
        out += [words(" of "), length_token("copper_thickness", params.copper_thickness)]
    return out


OPERATION = Operation(
    "board",
    "build",
    "Circuit board",
    "The plate inside the edge, with its drill holes and its copper",
    BoardParams,
    apply,
    sentence,
    reads=LINEWORK | PLACEMENTS,
    writes=BODIES,
    wants="board",
)
