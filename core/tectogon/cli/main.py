"""The command `tectogon`: batch work without a server. Its words and JSON keys are a public interface: keys are added,
never renamed."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from tectogon.cli.answers import on_each, print_answer
from tectogon.cli.arguments import angle, axis, bed, bound, length, numbers, taper, tolerance, unit
from tectogon.cli.blanks import blank_of_part, fixed_face
from tectogon.cli.cards import replay
from tectogon.cli.comparing import compare_issues
from tectogon.cli.drawings import inspect_file, profiles_of_file
from tectogon.cli.libraries import library_of_files
from tectogon.cli.parts import check_print, draw_part, match_part
from tectogon.cli.solids import build_file, loft_files, revolve_file, sweep_files
from tectogon.cli.views import views_of_file
from tectogon.formats import FORMATS, OPTIONS
from tectogon.formats.options import Option


def main(argv: list[str] | None = None) -> int:
    """Run the command with these arguments (those of the process, where none are given). Returns the exit status: the
    worst of all files."""
    parser = _parser()
    try:
        options = parser.parse_args(bound(sys.argv[1:] if argv is None else argv))
    except SystemExit as leaving:
        return int(leaving.code or 0)
    worst = 0
    try:
        for answer in options.work(options):
            worst = max(worst, answer.exit_status)
            print_answer(answer, as_json=getattr(options, "json", False))
    except BrokenPipeError:
        return worst
    except KeyboardInterrupt:
        print("stopped", file=sys.stderr)
        return 130
    return worst


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="tectogon", description="Flat linework becomes dimensioned solid parts.")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")

    def command(name: str, work: Callable[[argparse.Namespace], Any], text: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=text, description=text)
        sub.set_defaults(work=work)
        return sub

    inspect = command(
        "inspect", on_each(inspect_file), "say what a file holds: units, extents, layers, what is skipped"
    )
    profiles = command("profiles", on_each(profiles_of_file), "find every closed profile")
    build = command("build", on_each(build_file), "raise all profiles to a solid of one thickness")
    revolve = command("revolve", on_each(revolve_file), "turn all profiles about an axis of the drawing")
    loft = command(
        "loft", loft_files, "run from section to section: one closed profile of each file, at heights of its own"
    )
    sweep = command("sweep", sweep_files, "carry a closed profile along a path")
    views = command(
        "views", on_each(views_of_file), "find the orthographic views of a sheet, and build the part of them"
    )
    draw = command("draw", on_each(draw_part), "draw a part: views, dimensions, frame and title block")
    match = command("match", match_part, "hold an existing part against a drawing of it")
    printing = command("printcheck", on_each(check_print), "say what keeps a part from being printed")
    blank = command("blank", on_each(blank_of_part), "unfold a part of sheet metal to its flat blank")
    comparing = command("compare", compare_issues, "hold a newer issue of a drawing against the older one")
    library = command("library", library_of_files, "clean suppliers' drawings of sections into one library")
    run = command("run", replay, "replay a route card")
    command("formats", formats, "list what is read and written, by ending")
    sweep.add_argument("files", nargs=1, metavar="PROFILE", type=Path)
    sweep.add_argument("--along", type=Path, required=True, metavar="PATH", help="a file with one chain of curves")
    for sub in (inspect, profiles, build, revolve, loft, views, draw, printing, blank):
        sub.add_argument("files", nargs="+", metavar="FILE", type=Path)
    library.add_argument("files", nargs="+", metavar="FILE|DIR", type=Path)
    library.add_argument("--out", type=Path, required=True, metavar="LIB.zip")
    library.add_argument("--family", default="", metavar="TEXT", help="of all sections; the name of their folder")
    comparing.add_argument("old", type=Path, metavar="OLD")
    comparing.add_argument("new", type=Path, metavar="NEW")
    match.add_argument("part", type=Path, metavar="PART")
    match.add_argument("drawing", type=Path, metavar="DRAWING")
    made = (profiles, build, revolve, loft, sweep, views, draw, match, printing, blank)
    for sub in (inspect, *made, comparing, library):
        sub.add_argument(
            "--units",
            type=unit,
            metavar="U",
            help="length of one unit of the file: um, mm, cm, m, in, ft, mil, px, pt or a number of mm",
        )
        for option in OPTIONS.values():
            if sub is loft and option.name == "smooth":
                sub.set_defaults(smooth=option.usual)
            elif option.described.flag:
                _offer(sub, option)
    views.add_argument("--build", type=Path, metavar="OUT.step", help="build the part from its views and write it")
    for sub in made:
        sub.add_argument(
            "--tolerance", type=tolerance, default=None, metavar="auto|MM", help="joining distance in mm, or auto"
        )
        sub.add_argument("--no-mend", action="store_true", help="join nothing beyond the file's own resolution")
        sub.add_argument(
            "--layer", action="append", default=[], metavar="NAME", help="use only this layer; may be given again"
        )
        sub.add_argument("--keep-all", action="store_true", help="leave nothing out")
    build.add_argument("--thickness", type=length, required=True, metavar="MM")
    sides = build.add_mutually_exclusive_group()
    sides.add_argument(
        "--taper", type=taper, default=0.0, metavar="DEG", help="sides leaning in as they rise; negative: out"
    )
    sides.add_argument("--to-point", action="store_true", help="to a point over the centroid of each profile")
    revolve.add_argument(
        "--axis", type=axis, required=True, metavar="x|y|X0,Y0,X1,Y1", help="the x or y axis, or a line in mm"
    )
    revolve.add_argument("--angle", type=angle, default=360.0, metavar="DEG")
    loft.add_argument("--at", type=numbers, required=True, metavar="MM,MM", help="the height of each section")
    loft.add_argument("--scale", type=numbers, default=None, metavar="S,S", help="the scale of each section")
    loft.add_argument("--twist", type=numbers, default=None, metavar="DEG,DEG", help="the turn of each section")
    loft.add_argument("--about", choices=("centroid", "start", "origin"), default="centroid")
    loft.add_argument(
        "--smooth", dest="smoothly", action="store_true", help="smooth through all sections, not straight between them"
    )
    for sub in (build, revolve, loft, sweep):
        sub.add_argument("--out", type=Path, metavar="PATH|DIR")
        sub.add_argument("--to", choices=("step", "stl", "3mf", "glb"), default=None)
    for sub in (draw, match, printing, blank):
        sub.add_argument("--thickness", type=length, metavar="MM", help="raise the profiles of a flat drawing by it")
        sub.add_argument("--source", action="append", default=[], metavar="NAME=FILE", help="a source of a card")
    printing.add_argument("--wall", type=length, default=0.8, metavar="MM", help="walls under it are told; 0.8")
    printing.add_argument("--tool", type=length, default=None, metavar="MM", help="gaps under it are told")
    printing.add_argument("--bed", type=bed, default=None, metavar="X,Y,Z", help="the size of the printer's bed")
    draw.add_argument("--projection", choices=("first", "third"), default="first")
    draw.add_argument("--sheet", choices=("A4", "A3", "A2", "A1", "A0", "auto"), default="auto")
    draw.add_argument("--scale", default="auto", metavar="auto|1:2")
    draw.add_argument("--no-dimensions", action="store_true")
    draw.add_argument("--title", default="", metavar="TEXT")
    draw.add_argument("--number", default="", metavar="TEXT")
    draw.add_argument("--out", type=Path, required=True, metavar="SHEET.dxf|.pdf|.svg")
    blank.add_argument(
        "--k", type=float, default=0.44, metavar="K", help="the neutral line's share of the thickness; 0.44"
    )
    blank.add_argument(
        "--fixed", type=fixed_face, default="largest", metavar="largest|NUMBER", help="the face that stays"
    )
    blank.add_argument(
        "--radius", type=length, default=None, metavar="MM", help="inner radius of sharp corners; the thickness"
    )
    blank.add_argument(
        "--corner-gap", type=length, default=None, metavar="MM", help="part walls that meet in a corner by so much"
    )
    blank.add_argument("--out", type=Path, default=None, metavar="BLANK.dxf|.csv")
    run.add_argument("card", type=Path, metavar="CARD.json")
    run.add_argument("--source", action="append", default=[], metavar="NAME=FILE")
    run.add_argument("--out", type=Path, required=True, metavar="DIR")
    for sub in (inspect, *made, comparing, library, run):
        sub.add_argument("--json", action="store_true", help="one JSON document per file, one a line")
    return parser


def _offer(parser: argparse.ArgumentParser, option: Option) -> None:
    """An option of reading as the command line has it."""
    flag = f"--{option.name.replace('_', '-')}"
    of = ", ".join(f.name for f in FORMATS if option.name in f.options)
    text = f"{option.described.help} ({of})"
    if option.type is bool:
        parser.add_argument(flag, action="store_true", help=text)
    elif option.choices:
        parser.add_argument(flag, choices=option.choices, default=option.usual, help=text)
    else:
        parser.add_argument(flag, type=option.type, default=option.usual, metavar="X", help=text)


def formats(options: argparse.Namespace) -> Any:
    for entry in FORMATS:
        ways = " and ".join(word for word, on in (("read", entry.reads), ("written", entry.writes)) if on)
        print(f"{' '.join(entry.endings):14} {entry.name:6} {ways}")
    return iter(())
