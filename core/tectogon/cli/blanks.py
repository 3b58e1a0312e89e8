"""The command `blank`: a sheet part and its flat blank."""

from __future__ import annotations

import argparse
from pathlib import Path

from tectogon.cli.answers import Answer, WrongCall
from tectogon.cli.parts import part_of, target_of
from tectogon.cli.solids import put
from tectogon.errors import BadValue, NothingToBuild


def blank_of_part(path: Path, options: argparse.Namespace, answer: Answer) -> None:
    """The command `blank`."""
    from tectogon.bending.recognise import sheet_part
    from tectogon.bending.unfold import unfold
    from tectogon.display.blank_out import bend_csv, bend_table, blank_dxf, blank_figures
    from tectogon.workpiece.bend_allowance import Rule

    try:
        rule = Rule(options.k)
    except BadValue as bad:
        raise WrongCall(f"--k: {bad.sentence}") from None
    bodies = part_of(path, options, answer).bodies
    if len(bodies) != 1:
        raise NothingToBuild(f"{path.name} has {len(bodies)} bodies; the blank of one is unfolded.")
    body = bodies[0]
    fixed = None if options.fixed == "largest" else int(options.fixed) - 1
    if fixed is not None and not 0 <= fixed < len(body.faces):
        raise WrongCall(f"--fixed: the part has faces from 1 to {len(body.faces)}.")
    part = sheet_part(body, fixed=fixed, radius=options.radius, corner_gap=options.corner_gap)
    blank = unfold(part, rule)
    out = None
    if options.out is not None:
        out = target_of(options, path, "dxf")
        put(out, bend_csv(blank) if out.suffix.lower() == ".csv" else blank_dxf(blank))
    answer.keys = {
        "thickness_mm": part.thickness,
        "k": rule.k,
        "bends": bend_table(blank),
        "blank": blank_figures(blank),
        "volume_mm3": part.body.volume,
        "out": None if out is None else str(out),
    }


def fixed_face(text: str) -> str:
    """What `--fixed` takes: "largest" or the number of a face, counted from 1."""
    if text != "largest" and not (text.isdigit() and int(text) > 0):
        raise argparse.ArgumentTypeError(f"“{text[:20]}” is neither largest nor the number of a face")
    return text
