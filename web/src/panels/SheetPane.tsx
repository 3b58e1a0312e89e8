/** The sheet in its pane: hooks the scene to the table's state, and says in words what is pointed at and picked. */

import { type RefObject, useEffect, useRef, useState } from "react";

import { bare } from "../scene/partData";
import { show } from "../scene/sheetData";
import { type SheetPointer, SheetScene } from "../scene/sheetScene";
import { draftRegions, toggleRegion, change } from "../state/work";
import { type Draft, useTable } from "../state/table";

export function SheetPane({ scene }: { scene: RefObject<SheetScene | null> }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [pointer, setPointer] = useState<SheetPointer | null>(null);
  const [, tick] = useState(0);
  const { shown, picks, hover, draft, stage, pickedPieces } = useTable();
  const sheet = shown?.sheet ?? null;

  useEffect(() => {
    const made = new SheetScene(canvas.current!, { moved: (at) => { setPointer(at); point(at); }, pressed: press, boxed: box, looked: () => { tick((n) => n + 1); } });
    scene.current = made;
    return () => {
      scene.current = null;
      made.dispose();
    };
  }, [scene]);
  useEffect(() => { if (sheet) scene.current?.show(sheet); }, [sheet, scene]);

  const chosen = draft && hasProfiles(draft) ? draftRegions(draft) : picks.regions;
  useEffect(() => {
    if (!sheet) return;
    const rule = (draft?.step.params?.["profiles"] as { rule?: string } | undefined)?.rule;
    const regions = rule === "material" ? sheet.facts.regions.flatMap((r, i) => (r.level % 2 ? [] : [i])) : chosen.map((id) => sheet.regionOf.get(id) ?? -1).filter((n) => n >= 0);
    const fromPart = [hover.piece, ...pickedPieces].flatMap((piece) => {
      const curve = piece?.type === "face" ? shown?.part.facts.faces[piece.index]?.curve : null;
      const row = curve ? sheet.rowOf.get(bare(curve)) : undefined;
      return row === undefined ? [] : [row];
    });
    const named = (draft?.step.params?.["curves"] as string[] | undefined) ?? picks.curves;
    scene.current?.mark([...hover.curves, ...fromPart], hover.region >= 0 ? [hover.region] : [], named.map((id) => sheet.rowOf.get(id) ?? -1), regions);
  }, [sheet, shown, hover, picks, draft, pickedPieces, chosen, scene]);

  const origin = sheet?.facts.origin ?? [0, 0];
  const paper = scene.current ? scene.current.scale / (96 / 25.4) : 1;
  return (
    <section className="relative min-h-0 min-w-0 overflow-hidden" aria-label="Sheet" data-pane="sheet" tabIndex={0}>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full touch-none" data-frame={scene.current?.lastFrame ?? 0} />
      <span className="cap pointer-events-none absolute top-3 left-3.5">Sheet</span>
      {sheet && scene.current ? <Labels scene={scene.current} /> : null}
      {sheet && !sheet.curves ? <p className="absolute inset-x-8 top-1/2 text-center text-faint">Nothing is on the sheet yet.</p> : null}
      <p className="num pointer-events-none absolute bottom-2.5 left-3.5 text-[12.5px] text-faint">
        {pointer ? `x ${show(pointer.x + origin[0], 2)}  y ${show(pointer.y + origin[1], 2)} mm   ` : ""}{paper >= 1 ? `${show(paper, 1)} : 1` : `1 : ${show(1 / paper, 1)}`}
      </p>
      <p className="pointer-events-none absolute right-3.5 bottom-2.5 left-48 truncate text-right text-[13px]" aria-live="polite">{told(stage)}</p>
    </section>
  );
}

/** What is pointed at or picked, in words. */
function told(stage: string): string {
  const { shown, hover, picks, draft } = useTable.getState();
  if (!shown) return "";
  const { sheet } = shown;
  if (hover.curves.length === 1) return sheet.describe(hover.curves[0]!);
  if (hover.region >= 0) {
    const r = sheet.facts.regions[hover.region]!;
    const holes = r.holes ? `, ${r.holes} ${r.holes === 1 ? "hole" : "holes"}` : "";
    return `Region, area ${show(r.area, 2)} mm², perimeter ${show(r.perimeter, 2)} mm, centroid ${show(r.centroid[0], 2)} / ${show(r.centroid[1], 2)}${holes}`;
  }
  if (picks.curves.length) return `${picks.curves.length} ${picks.curves.length === 1 ? "curve" : "curves"} picked, together ${show(sheet.lengthOf(picks.curves.map((id) => sheet.rowOf.get(id) ?? 0)), 2)} mm`;
  const regions = draft && hasProfiles(draft) ? draftRegions(draft) : picks.regions;
  if (regions.length) {
    const area = regions.reduce((s, id) => s + (sheet.facts.regions[sheet.regionOf.get(id) ?? -1]?.area ?? 0), 0);
    return `${regions.length} ${regions.length === 1 ? "profile" : "profiles"} picked, ${show(area, 2)} mm²`;
  }
  return stage === "build" ? "Point at a closed region; press to pick it" : "";
}

function hasProfiles(draft: Draft): boolean {
  return "profiles" in (draft.step.params ?? {});
}

/** In Build a region is what one points at; before that, a curve. A curve right under the pointer wins unless profiles are wanted. */
function point(at: SheetPointer | null): void {
  const { stage, draft, hover, set } = useTable.getState();
  const wantsRegions = draft ? hasProfiles(draft) : stage === "build" || stage === "close" || stage === "hand_over";
  const region = at && wantsRegions ? at.region : -1;
  const curve = at && !(wantsRegions && region >= 0 && draft) ? at.curve : -1;
  const next = { curves: curve >= 0 ? [curve] : [], region: curve >= 0 ? -1 : region, piece: null };
  if (hover.curves[0] !== next.curves[0] || hover.region !== next.region || hover.piece) set({ hover: next });
}

function press(at: SheetPointer, add: boolean): void {
  const { shown, hover, picks, draft, set } = useTable.getState();
  if (!shown) return;
  if (hover.region >= 0) {
    toggleRegion(shown.sheet.facts.regions[hover.region]!.id, add);
    return;
  }
  if (at.curve >= 0) {
    const id = shown.sheet.facts.ids[at.curve]!;
    pickCurves(picks.curves.includes(id) && add ? picks.curves.filter((c) => c !== id) : add ? [...picks.curves, id] : [id]);
  } else if (!draft) set({ picks: { regions: [], curves: [] } });
}

function box(b: [number, number, number, number], touching: boolean, add: boolean): void {
  const { shown, picks, draft } = useTable.getState();
  if (!shown) return;
  const { sheet } = shown, [ox, oy] = sheet.facts.origin;
  if (draft?.step.kind === "fold") {
    void change("box", [b[0] + ox, b[1] + oy, b[2] + ox, b[3] + oy]);
    return;
  }
  const found = sheet.curvesIn(b, touching).map((row) => sheet.facts.ids[row]!);
  pickCurves(add ? [...new Set([...picks.curves, ...found])] : found);
}

function pickCurves(curves: string[]): void {
  const { draft, set } = useTable.getState();
  set({ picks: { regions: [], curves } });
  if (draft && "curves" in (draft.step.params ?? {}) && draft.step.kind === "leave_out") void change("curves", curves);
}

/** Names of views, and the places where ends are open. */
function Labels({ scene }: { scene: SheetScene }) {
  const { shown, stage } = useTable();
  if (!shown) return null;
  const { facts } = shown.sheet, [ox, oy] = facts.origin;
  const ends = stage === "tidy" || stage === "close" ? facts.open_ends.slice(0, 200) : [];
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      {facts.views.map((v) => {
        const [x, y] = scene.toScreen(v.box[0] - ox, v.box[1] - oy);
        return <span key={v.name} className="cap absolute rounded-sm border border-rule bg-raised/90 px-2 text-[11px] text-faint" style={{ left: x, top: y + 8 }}>{v.name}</span>;
      })}
      {ends.map((e, n) => {
        const [x, y] = scene.toScreen(e[0] - ox, e[1] - oy);
        return <svg key={n} className="absolute h-3 w-3" style={{ left: x - 6, top: y - 6 }} viewBox="0 0 12 12"><path d="M6 1 11 6 6 11 1 6z" fill="var(--paper)" stroke="var(--ochre)" strokeWidth="1.6" /></svg>;
      })}
    </div>
  );
}
