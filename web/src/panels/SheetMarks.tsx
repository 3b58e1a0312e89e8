/**
 * What stands on the sheet beside its lines: names of views, open ends, the point that a press would take, the fading
 * of a picture.
 */

import { useMemo } from "react";

import type { SheetData } from "../scene/sheetData";
import { show } from "../scene/shownUnits";
import type { SheetPointer, SheetScene } from "../scene/sheetScene";
import { inViews } from "../scene/inViews";
import { type Shown, useTable } from "../state/table";
import type { Wanted } from "../state/draft";
import { DimensionLine } from "./DimensionLine";
import { snappedPoint } from "./sheetPicking";

export function Labels({ scene, sheet }: { scene: SheetScene; sheet: SheetData }) {
  const { stage, finding, checked, shown } = useTable();
  const { facts } = sheet,
    [ox, oy] = facts.origin;
  const boxes = useMemo(() => sheet.sourceBoxes, [sheet]);
  const checking =
    (stage === "check" || stage === "arrange") && shown?.sheet === sheet && checked?.of === shown.computation
      ? checked.views.filter((v) => v.sheet === shown.sheetName)
      : [];
  const path = (lines: [number, number][][]) =>
    lines
      .map((line) =>
        line
          .map(
            ([x, y], n) =>
              `${n ? "L" : "M"}${scene
                .toScreen(x - ox, y - oy)
                .map((v) => v.toFixed(1))
                .join(" ")}`,
          )
          .join(""),
      )
      .join("");
  const found = stage === "tidy" ? facts.findings.slice(0, 300) : [];
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      {checking.length ? (
        <svg className="absolute inset-0 h-full w-full" fill="none" strokeLinecap="round">
          <path
            d={path(checking.flatMap((v) => [...v.unexplained, ...v.dashed_but_seen, ...v.solid_but_hidden]))}
            stroke="var(--ochre)"
            strokeWidth="4"
            strokeOpacity="0.75"
          />
          <path
            d={path(checking.flatMap((v) => [...v.lacking, ...v.lacking_hidden]))}
            stroke="var(--brick)"
            strokeWidth="2.2"
            strokeDasharray="7 4"
          />
        </svg>
      ) : null}
      {stage === "check" && shown?.sheet === sheet ? <OnViews scene={scene} sheet={sheet} shown={shown} /> : null}
      {boxes.map(({ name, box: [x0, y0, x1, y1] }) => {
        const [left, top] = scene.toScreen(x0, y1),
          [right, bottom] = scene.toScreen(x1, y0);
        return (
          <span
            key={name}
            className="absolute border border-dashed border-faint/60"
            style={{ left: left - 8, top: top - 8, width: right - left + 16, height: bottom - top + 16 }}
          >
            <span className="absolute bottom-full left-0 max-w-[220px] truncate text-[11.5px] text-faint">{name}</span>
          </span>
        );
      })}
      {[...facts.views, ...facts.planes].map((v) => {
        const [x, y] = scene.toScreen(v.box[0] - ox, v.box[1] - oy);
        return (
          <span
            key={`${v.operation}${v.name}`}
            className="cap absolute rounded-sm border border-rule bg-raised/90 px-2 text-[11px] text-faint"
            style={{ left: x, top: y + 8 }}
          >
            {v.name}
          </span>
        );
      })}
      {found.map((f) => {
        const [x, y] = scene.toScreen(f.point[0] - ox, f.point[1] - oy),
          here = finding === f.key;
        return (
          <span key={f.key} className="absolute" style={{ left: x, top: y }}>
            <svg
              className="absolute"
              style={{ left: here ? -9 : -6, top: here ? -9 : -6, width: here ? 18 : 12, height: here ? 18 : 12 }}
              viewBox="0 0 12 12"
            >
              <path
                d="M6 1 11 6 6 11 1 6z"
                fill={here ? "none" : "var(--paper)"}
                stroke="var(--ochre)"
                strokeWidth={here ? 1.2 : 1.6}
              />
            </svg>
            {here && f.size > 0 ? (
              <span className="num absolute left-3 -top-6 rounded bg-raised/90 px-1.5 text-[12px] whitespace-nowrap text-ochre">
                {show(f.size, f.size < 0.01 ? 5 : 3)} mm
              </span>
            ) : null}
          </span>
        );
      })}
    </div>
  );
}

/** Dimensions of the part in the views that show them in true length. */
function OnViews({ scene, sheet, shown }: { scene: SheetScene; sheet: SheetData; shown: Shown }) {
  const [ox, oy] = sheet.facts.origin;
  const lines = shown.report.steps.flatMap((s) =>
    s.notes.flatMap((n) => {
      if (!n.drawn || !("dimension" in n.drawn)) return [];
      const flat = inViews(n.drawn.dimension, sheet.facts.views);
      return flat ? [{ ...flat, text: n.drawn.dimension.text, key: s.number }] : [];
    }),
  );
  return (
    <svg className="absolute inset-0 h-full w-full" aria-label="Dimensions of the part" role="group">
      {lines.map(({ from, to, text, key }) => {
        const [x0, y0] = scene.toScreen(from[0] - ox, from[1] - oy),
          [x1, y1] = scene.toScreen(to[0] - ox, to[1] - oy);
        return <DimensionLine key={key} x0={x0} y0={y0} x1={x1} y1={y1} text={text} />;
      })}
    </svg>
  );
}

const NAMES = {
  free: "",
  start: "end",
  end: "end",
  middle: "middle",
  centre: "centre",
  crossing: "crossing",
  tangent: "tangent",
  perpendicular: "square to it",
};

/** Points already picked, and the one that a press would take. */
export function SnapMark({
  scene,
  sheet,
  pointer,
  wanted,
}: {
  scene: SheetScene;
  sheet: SheetData;
  pointer: SheetPointer | null;
  wanted: Wanted;
}) {
  const [ox, oy] = sheet.facts.origin;
  const near = pointer ? snappedPoint(sheet, pointer, wanted, pointer.locked) : null;
  const at = near ? scene.toScreen(near.x, near.y) : null;
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      {wanted.picks.map((p, n) => {
        const [x, y] = scene.toScreen(p.at[0] - ox, p.at[1] - oy);
        return (
          <span
            key={n}
            className="num absolute grid h-5 w-5 place-items-center rounded-full border-2 border-brick bg-paper text-[11px] text-brick"
            style={{ left: x - 10, top: y - 10 }}
          >
            {n + 1}
          </span>
        );
      })}
      {near?.from && at ? (
        <svg className="absolute inset-0 h-full w-full">
          <path
            d={near.from.map((m) => `M${scene.toScreen(...m).join(" ")}L${at.join(" ")}`).join("")}
            stroke="var(--verdigris)"
            strokeDasharray="2 4"
            fill="none"
          />
        </svg>
      ) : null}
      {near && at && (near.kind !== "free" || near.from) ? (
        <>
          <span
            className="absolute h-3 w-3 rounded-full border-2 border-verdigris"
            style={{ left: at[0] - 6, top: at[1] - 6 }}
          />
          <span
            className="absolute rounded bg-raised/90 px-1.5 text-[12px] text-verdigris"
            style={{ left: at[0] + 10, top: at[1] - 22 }}
          >
            {near.from ? "in line" : NAMES[near.kind]} {show(near.x + ox, 2)} / {show(near.y + oy, 2)}
          </span>
        </>
      ) : null}
    </div>
  );
}

export function PictureFader({ fade }: { fade(share: number): void }) {
  const { pictureShare, set } = useTable();
  return (
    <label className="flex items-center gap-2 rounded border border-rule bg-raised px-2 py-0.5 text-[12px]">
      Picture
      <input
        type="range"
        min="0"
        max="1"
        step="0.05"
        value={pictureShare}
        aria-label="How strongly the picture shows"
        className="h-3 w-20 accent-[var(--brick)]"
        onChange={(e) => {
          set({ pictureShare: Number(e.target.value) });
          fade(Number(e.target.value));
        }}
      />
    </label>
  );
}
