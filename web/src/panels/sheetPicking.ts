/**
 * What pointing, pressing and dragging on the sheet does; no React, so that mouse and keys can call the same functions.
 */

import { pixelAt } from "../scene/pictureUnder";
import type { Drawn, SheetData } from "../scene/sheetData";
import { areaText, coordinateText, lengthText } from "../scene/shownUnits";
import type { SheetPointer } from "../scene/sheetScene";
import { type Snap, snapAt } from "../scene/snapping";
import { type Draft, useTable } from "../state/table";
import { draftRegions, type Wanted, wantedOnSheet } from "../state/draft";
import { changeMany, changeStep, givePoint, takeRegions, toggleRegion } from "../state/work";
import { colourAt } from "./pictureColour";

/** How near a point must be to be taken, in pixels. */
export const SNAP_PIXELS = 10;

export function hasProfiles(draft: Draft): boolean {
  return "profiles" in (draft.step.params ?? {});
}

/** What is pointed at or picked, in words. */
export function describePointed(stage: string): string {
  const { shown, hover, picks, draft } = useTable.getState();
  if (!shown) return "";
  const { sheet } = shown;
  if (hover.curves.length === 1) return sheet.describe(hover.curves[0]!);
  if (hover.curves.length > 1)
    return `${hover.curves.length} curves, together ${lengthText(sheet.lengthOf(hover.curves), 2)}`;
  if (hover.region >= 0) {
    const r = sheet.closed[hover.region]!;
    const holes = r.holes ? `, ${r.holes} ${r.holes === 1 ? "hole" : "holes"}` : "";
    return `Area ${areaText(r.area)}, perimeter ${lengthText(r.perimeter, 2)}, centroid x ${coordinateText(r.centroid[0])}, y ${coordinateText(r.centroid[1])}${holes}`;
  }
  if (picks.curves.length)
    return `${picks.curves.length} ${picks.curves.length === 1 ? "curve" : "curves"} picked, together ${lengthText(sheet.lengthOf(picks.curves.map((id) => sheet.rowOf.get(id) ?? 0)), 2)}`;
  const regions = draft && hasProfiles(draft) ? draftRegions(draft) : picks.regions;
  if (regions.length) {
    const area = regions.reduce((s, id) => s + (sheet.closed[sheet.regionOf.get(id) ?? -1]?.area ?? 0), 0);
    return `${regions.length} ${regions.length === 1 ? "profile" : "profiles"} picked, ${areaText(area)}`;
  }
  return stage === "build" ? "Point at a closed region; press to pick it" : "";
}

/** The curve that is pointed at: left-out ones can be pressed only where they are left out and taken back. */
const curveOf = (at: SheetPointer): number => (useTable.getState().stage === "bring_in" ? at.ghost : at.curve);

/** The lines that can bound a profile of a sheet, solid ones first. */
export function boundsOf(sheet: SheetData | null): Drawn[] {
  const there = new Set(sheet?.facts.otherwise.map((r) => r.drawn));
  return (["solid", "hidden", "centre"] as const).filter((drawn) => drawn === "solid" || there.has(drawn));
}

/** The next lines that bound profiles. */
export function boundByNext(): void {
  const { shown, boundBy, set } = useTable.getState();
  const all = boundsOf(shown?.sheet ?? null);
  set({ boundBy: all[(all.indexOf(boundBy) + 1) % all.length]! });
}

/** Whether what is pointed at is meant as a region: what is being written says so, else the stage. */
export function meansRegions(): boolean {
  const { stage, draft } = useTable.getState();
  return draft ? hasProfiles(draft) : stage === "build" || stage === "close" || stage === "hand_over";
}

/**
 * In Build a region is what one points at, and a curve where there is none; before that, a curve. What is being written
 * says which of the two it wants.
 */
export function pointAt(at: SheetPointer | null): void {
  if (useTable.getState().early) return; // its rows are not those of what is shown
  const { stage, draft, hover, set } = useTable.getState();
  const region = at && meansRegions() ? at.region : -1;
  const curve = at && !(region >= 0 && (draft || stage === "build")) ? curveOf(at) : -1;
  const next = { curves: curve >= 0 ? [curve] : [], region: curve >= 0 ? -1 : region, piece: null };
  if (hover.curves[0] !== next.curves[0] || hover.curves.length > 1 || hover.region !== next.region || hover.piece)
    set({ hover: next });
}

export function pressAt(at: SheetPointer, add: boolean): void {
  pointAt(at); // by keyboard something else may be pointed at since
  const { shown, early, stage, hover, picks, draft, sheetAsks, set } = useTable.getState();
  if (!shown || early) return;
  if (sheetAsks?.what === "colour") {
    void takeColour(shown.sheet, at, sheetAsks.step);
    return;
  }
  const wanted = wantedOnSheet(draft);
  if (wanted && !(hover.region >= 0 && lacksProfile(draft))) {
    givePoint(snappedPoint(shown.sheet, at, wanted, add));
    return;
  }
  if (hover.region >= 0) {
    toggleRegion(shown.sheet.closed[hover.region]!.id, add);
    return;
  }
  const pressed = curveOf(at);
  if (pressed >= 0 && stage === "arrange") {
    const group = shown.sheet.groupOf(pressed).map((row) => shown.sheet.facts.ids[row]!),
      rest = picks.curves.filter((c) => !group.includes(c));
    pickCurves(add ? (rest.length < picks.curves.length ? rest : [...rest, ...group]) : group);
  } else if (pressed >= 0) {
    const id = shown.sheet.facts.ids[pressed]!;
    pickCurves(
      picks.curves.includes(id) && add ? picks.curves.filter((c) => c !== id) : add ? [...picks.curves, id] : [id],
    );
  } else if (!draft) set({ picks: { regions: [], curves: [] } });
}

/** Whether what is written wants profiles and has none: the first press on a region is one, not a point. */
function lacksProfile(draft: Draft | null): boolean {
  const choice = draft?.step.params?.["profiles"] as { rule?: string } | undefined;
  return draft !== null && hasProfiles(draft) && choice?.rule === "picked" && !draftRegions(draft).length;
}

/** The point that a press takes: what it snaps to; with Shift, level, upright or at 45° from the point before. */
export function snappedPoint(sheet: SheetData, at: SheetPointer, wanted: Wanted, locked: boolean): Snap {
  const [ox, oy] = sheet.facts.origin,
    marks = wanted.picks.map(({ at: [x, y] }): [number, number] => [x - ox, y - oy]),
    before = marks.at(-1);
  const snap = snapAt(sheet, at.x, at.y, SNAP_PIXELS / at.scale, wanted.drawn ? marks : []);
  if (!locked || !before) return snap;
  const [bx, by] = before,
    dx = snap.x - bx,
    dy = snap.y - by;
  const way = Math.round(Math.atan2(dy, dx) / (Math.PI / 4)) * (Math.PI / 4),
    reach = dx * Math.cos(way) + dy * Math.sin(way);
  return { x: bx + reach * Math.cos(way), y: by + reach * Math.sin(way), kind: "free", row: -1, from: [before] };
}

/** Pressed twice on a curve that came with a block: the whole placement of the block is picked. */
export function pickBlock(at: SheetPointer): void {
  const { shown } = useTable.getState();
  const pressed = curveOf(at);
  if (shown && pressed >= 0) pickCurves(shown.sheet.ofSameInsert(pressed).map((row) => shown.sheet.facts.ids[row]!));
}

export function pickInBox(b: [number, number, number, number], touching: boolean, add: boolean): void {
  const { shown, picks, draft, sheetAsks, set } = useTable.getState();
  if (!shown) return;
  const { sheet } = shown,
    [ox, oy] = sheet.facts.origin;
  if (sheetAsks?.what === "part") {
    const picture = sheet.facts.pictures[0];
    if (picture) {
      const [x0, y0] = pixelAt(picture, b[0] + ox, b[1] + oy),
        [x1, y1] = pixelAt(picture, b[2] + ox, b[3] + oy);
      void changeStep(
        sheetAsks.step,
        { region: [Math.min(x0, x1), Math.min(y0, y1), Math.abs(x1 - x0), Math.abs(y1 - y0)], polygon: [] },
        "a part of the picture",
      );
    }
    set({ sheetAsks: null });
    return;
  }
  if (draft && takesBox(draft)) {
    void changeMany({ box: [b[0] + ox, b[1] + oy, b[2] + ox, b[3] + oy], curves: [] });
    return;
  }
  const regions = meansRegions() ? sheet.regionsIn(b, touching) : [];
  if (regions.length) {
    takeRegions(
      regions.map((n) => sheet.facts.regions[n]!.id),
      add,
    );
    return;
  }
  const found = sheet.curvesIn(b, touching).map((row) => sheet.facts.ids[row]!);
  pickCurves(add ? [...new Set([...picks.curves, ...found])] : found);
}

export function pickInLasso(path: [number, number][], add: boolean): void {
  const { shown, picks, sheetAsks, set } = useTable.getState();
  if (!shown || path.length < 3) return;
  const { sheet } = shown,
    [ox, oy] = sheet.facts.origin;
  if (sheetAsks?.what === "part") {
    const picture = sheet.facts.pictures[0],
      every = Math.ceil(path.length / 1500);
    if (picture)
      void changeStep(
        sheetAsks.step,
        {
          polygon: path.filter((_, n) => n % every === 0).map(([x, y]) => pixelAt(picture, x + ox, y + oy)),
          region: null,
        },
        "a part of the picture",
      );
    set({ sheetAsks: null });
    return;
  }
  const found = sheet.curvesInside(path).map((row) => sheet.facts.ids[row]!);
  pickCurves(add ? [...new Set([...picks.curves, ...found])] : found);
}

const takesBox = (draft: Draft) => "box" in (draft.step.params ?? {});

export function pickCurves(curves: string[]): void {
  const { draft, set } = useTable.getState();
  set({ picks: { regions: [], curves } });
  if (draft && "curves" in (draft.step.params ?? {}))
    void changeMany(takesBox(draft) ? { curves, box: null } : { curves });
}

/** Everything like what is picked. */
export function pickLike(): void {
  const { shown, picks, hover } = useTable.getState();
  if (!shown) return;
  const rows = picks.curves.length
    ? picks.curves.map((id) => shown.sheet.rowOf.get(id) ?? -1).filter((r) => r >= 0)
    : hover.curves;
  if (rows.length) pickCurves(shown.sheet.like(rows).map((row) => shown.sheet.facts.ids[row]!));
}

async function takeColour(sheet: SheetData, at: SheetPointer, step: number): Promise<void> {
  const [ox, oy] = sheet.facts.origin,
    picture = sheet.facts.pictures[0],
    data = sheet.picture(0);
  useTable.setState({ sheetAsks: null });
  if (!picture || !data) return;
  const [px, py] = pixelAt(picture, at.x + ox, at.y + oy);
  const colour = await colourAt(data, px / picture.pixels[0], 1 - py / picture.pixels[1]);
  if (colour) await changeStep(step, { colour }, "the colour that is material");
}
