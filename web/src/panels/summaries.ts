/** Sheet and part in words, for those who hear a page instead of seeing it. */

import type { Report } from "../api/client";
import type { SheetData } from "../scene/sheetData";
import { countOf, lengthText, massText, sizesText, volumeText } from "../scene/shownUnits";

export function sheetInWords(sheet: SheetData): string {
  const { extents: e, regions, views, open_count } = sheet.facts;
  if (!sheet.curves) return "Nothing is on the sheet yet.";
  const profiles = regions.filter((r) => r.level % 2 === 0).length;
  return [
    `${countOf(sheet.curves, "curve")}, ${lengthText(e[2] - e[0], 1)} wide and ${lengthText(e[3] - e[1], 1)} high`,
    `${countOf(regions.length, "closed region")}, ${profiles} of them material; ${countOf(open_count, "open end")}`,
    views.length ? `${countOf(views.length, "view")}: ${views.map((v) => v.name).join(", ")}` : "No views",
  ].join(". ");
}

export function partInWords(report: Report): string {
  const f = report.figures,
    failed = report.steps.filter((s) => s.status === "failed");
  const said = f.bodies
    ? [
        countOf(f.bodies, "body", "bodies"),
        sizesText(f.bounds, 1),
        volumeText(f.volume_mm3),
        f.mass_g === null ? "" : `${massText(f.mass_g)} of ${f.material ?? "no material"}`,
      ]
        .filter(Boolean)
        .join(", ")
    : "No body yet";
  return failed.length ? `${said}. ${failed.map((s) => `${s.number} can't be done: ${s.message}`).join(" ")}` : said;
}
