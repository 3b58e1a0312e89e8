"""Everything that goes out with a part as one zip: the solid, its drawing, flat profiles, the report, and the card."""

from __future__ import annotations

import io
import json
import re
import zipfile
from typing import Any

from tectogon.display.blank_out import bend_csv, blank_dxf
from tectogon.display.drawing_sheet import drawn_sheet, sheet_bytes
from tectogon.display.match_report import report_of
from tectogon.display.parts_list import list_csv, parts_list
from tectogon.errors import NothingToBuild, TectogonError
from tectogon.formats.dxf_out import regions_as_dxf
from tectogon.operations.draw_sheet import DrawSheetParams
from tectogon.operations.sheet_metal import blank_of
from tectogon.solids import exchange
from tectogon.workpiece.model import Workpiece


def bundle_of(
    workpiece: Workpiece,
    params: DrawSheetParams,
    title: dict[str, str],
    card: dict[str, Any],
    profiles: list[str],
    language: str = "en",
) -> tuple[bytes, list[str]]:
    """The zip, its files named by number and issue, and what could not go into it, in sentences. `profiles`: those that
    go out flat; all where none is named. `language`: that of the report. Raises NothingToBuild without bodies."""
    if not workpiece.bodies:
        raise NothingToBuild("There is no body to hand over yet; build one first.")
    stem = file_stem(title)
    missing: list[str] = []
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:

        def add(name: str, make: Any) -> None:
            try:
                archive.writestr(zipfile.ZipInfo(f"{stem}/{name}"), make(), zipfile.ZIP_DEFLATED)
            except TectogonError as problem:
                missing.append(f"{name}: {problem.sentence}")

        add(f"{stem}.step", lambda: exchange.step_bytes(workpiece.bodies, title["name"]))
        try:
            sheet = drawn_sheet(workpiece, params, title)
        except TectogonError as problem:
            missing.append(f"drawing: {problem.sentence}")
        else:
            add(f"{stem} drawing.pdf", lambda: sheet_bytes(sheet, "pdf"))
            add(f"{stem} drawing.dxf", lambda: sheet_bytes(sheet, "dxf"))
        if len(workpiece.bodies) > 1:
            add(f"{stem} parts list.csv", lambda: list_csv(parts_list(workpiece)))
        if workpiece.sheet_metal:
            try:
                blank = blank_of(workpiece)
            except TectogonError as problem:
                missing.append(f"blank: {problem.sentence}")
            else:
                marks = workpiece.sheet_metal.marks
                add(f"{stem} blank.dxf", lambda: blank_dxf(blank, marks))
                add(f"{stem} bends.csv", lambda: bend_csv(blank))
        if workpiece.drawing.regions.profiles:
            add(f"{stem} flat.dxf", lambda: regions_as_dxf(workpiece.drawing.all_regions, profiles or None))
        if any(one.views for one in workpiece.on_each_sheet):
            add(f"{stem} report.pdf", lambda: report_of(workpiece, title, language))
        add(f"{stem} card.json", lambda: json.dumps(card, indent=1, ensure_ascii=False).encode())
        if missing:
            add("missing.txt", lambda: "\n".join(missing).encode())
    return stream.getvalue(), missing


def file_stem(title: dict[str, str]) -> str:
    """What files of a part are called: its number and issue, or its name."""
    known = title["number"] or title["name"] or "part"
    issue = f" issue {title['issue']}" if title["issue"] else ""
    return re.sub(r'[<>:"/\\|?*\x00-\x1f]', "-", f"{known}{issue}").strip(" .")[:100] or "part"
