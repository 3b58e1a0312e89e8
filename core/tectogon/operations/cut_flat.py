"""Cut in the flat: profiles on the blank's sheet, taken out of the part where they come to when it is folded."""

from __future__ import annotations

from dataclasses import replace

from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, LINEWORK, Context, Operation
from tectogon.workpiece.parameters import Params, ProfileChoice
from tectogon.workpiece.sentence import Sentence, profiles_token, words


class CutFlatParams(Params):
    profiles: ProfileChoice = ProfileChoice()


def apply(workpiece: Workpiece, params: CutFlatParams, context: Context) -> Workpiece:
    """Cuts through the sheet, straight in its flats, wrapped round its bends. Raises what `blank_of`, picking profiles
    and cutting raise."""
    from tectogon.bending.in_the_flat import flat_tools
    from tectogon.operations.sheet_metal import blank_of
    from tectogon.solids.features import with_features
    from tectogon.workpiece.profile_picks import chosen_regions

    blank = blank_of(workpiece, at_origin=False)
    tools = [
        tool
        for region in chosen_regions(workpiece, params.profiles)
        for tool in flat_tools(blank, workpiece.drawing.regions_of(region), [region], context.number)
    ]
    key = blank.part.body.key
    return replace(workpiece, bodies=with_features(workpiece.bodies, tools, "cut", key, context.number))


def sentence(params: CutFlatParams, workpiece: Workpiece | None) -> Sentence:
    return [words("Cut "), profiles_token("profiles", params.profiles), words(" in the flat, and fold it back")]


OPERATION = Operation(
    "cut_flat",
    "build",
    "Cut in the flat",
    "Profiles drawn on the blank, cut where they come to",
    CutFlatParams,
    apply,
    sentence,
    reads=LINEWORK | BODIES,
    writes=BODIES,
    wants="sheet_metal",
)
