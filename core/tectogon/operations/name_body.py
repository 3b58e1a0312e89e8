"""Give a body a name."""

from __future__ import annotations

from dataclasses import replace

from tectogon.errors import PickGone, Unfinished
from tectogon.workpiece.model import Workpiece
from tectogon.workpiece.operation import BODIES, Context, Operation
from tectogon.workpiece.parameters import BodyPick, Name, Params
from tectogon.workpiece.sentence import Sentence, body_token, name_token, words


class NameBodyParams(Params):
    body: BodyPick = None
    name: Name = ""


def apply(workpiece: Workpiece, params: NameBodyParams, context: Context) -> Workpiece:
    """A body under another name. Raises PickGone, Unfinished without a name."""
    from tectogon.solids.body_keys import body_called

    if not workpiece.bodies:
        raise PickGone("There is no body to name yet; build one first.")
    if not params.name:
        raise Unfinished("Type a name for the body.")
    body = body_called(workpiece.bodies, params.body) if params.body else workpiece.bodies[0]
    named = body.renamed(body.key, params.name)
    return replace(workpiece, bodies=tuple(named if b is body else b for b in workpiece.bodies))


def sentence(params: NameBodyParams, workpiece: Workpiece | None) -> Sentence:
    return [
        words("Call "),
        body_token("body", params.body, workpiece, "the first body"),
        words(" "),
        name_token("name", params.name, "by a name"),
    ]


OPERATION = Operation(
    "name_body",
    "build",
    "Name a body",
    "A name that the list and the files have",
    NameBodyParams,
    apply,
    sentence,
    reads=BODIES,
    writes=BODIES,
    offered=False,
    serves="names_body",
)
