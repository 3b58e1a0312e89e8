"""The command `run`: a route card replayed."""

from __future__ import annotations

import argparse
import hashlib
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tectogon.cli.answers import Answer, WrongCall, guarded
from tectogon.cli.solids import body_keys, write_part
from tectogon.workpiece.model import Workpiece

if TYPE_CHECKING:
    from tectogon.route import Run


def _looked(workpiece: Workpiece) -> list[tuple[float, int]] | None:
    """How much of each view the part explains, and in how many places both differ; None where there are no views or no
    body."""
    sheets = [one for one in workpiece.on_each_sheet if one.views]
    if not sheets or not workpiece.bodies:
        return None
    from tectogon.reconstruction.straight_on import straight_on

    return [(view.percent, view.count) for one in sheets for view in straight_on(one)]


def replay(options: argparse.Namespace) -> Any:
    yield guarded(str(options.card), lambda answer: _run_card(options, answer))


def card_run(path: Path, given_sources: Sequence[str]) -> Run:
    """A card replayed with the files beside it, or those given as NAME=FILE. Raises UnreadableFile, CardUnreadable,
    WrongCall."""
    from tectogon.errors import UnreadableFile
    from tectogon.route import run_card
    from tectogon.route.card import parse_card

    try:
        card = parse_card(path.read_bytes())
    except OSError as problem:
        raise UnreadableFile(f"{path.name} can't be opened: {problem.strerror}.") from None
    sources = {name: path.parent / name for name in card.sources}
    for given in given_sources:
        name, _, file = given.partition("=")
        if not file:
            raise WrongCall(f"--source wants NAME=FILE, not “{given}”.")
        sources[name] = Path(file)
    hashes = {name: hashlib.sha256(path.read_bytes()).hexdigest() for name, path in sources.items() if path.is_file()}
    return run_card(
        card.model_copy(update={"sources": {**card.sources, **hashes}}),
        sources,
        progress=lambda n, of, text: print(f"{n + 1} of {of}: {text}", file=sys.stderr),
    )


def _run_card(options: argparse.Namespace, answer: Answer) -> None:
    from tectogon.route.gauges import gauges_of

    run = card_run(options.card, options.source)
    outputs = []
    if run.workpiece.bodies:
        for kind in ("step", "stl"):
            outputs.append(
                write_part(run.workpiece, kind, options.card.stem, options.out / f"{options.card.stem}.{kind}")["out"]
            )
    answer.keys = {
        "operations": [
            {
                "number": s.number,
                "kind": s.kind,
                "sentence": "".join(t.text for t in s.sentence),
                "status": s.status,
                "message": s.message,
            }
            for s in run.steps
        ],
        "gauges": {
            g.stage: {"state": g.state, "figure": g.figure, "words": g.words}
            for g in gauges_of(run.workpiece, run.steps, _looked(run.workpiece))
        },
        "outputs": outputs,
    }
    if run.workpiece.bodies:
        answer.keys |= {k: v for k, v in body_keys(run.workpiece).items() if k != "out"}
    if run.failed:
        answer.status, answer.message, answer.exit_status = (
            run.failed.code,
            f"Operation {run.failed.number}: {run.failed.message}",
            run.failed.exit_status,
        )
