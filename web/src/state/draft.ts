/** What is being written, looked at: which picks it holds, what it still wants. No state of its own. */

import { type Card, Refused, type Step } from "../api/client";
import type { SheetData } from "../scene/sheetData";
import type { Snap } from "../scene/snapping";
import type { Draft } from "./table";

export function sentenceOf(error: unknown): string {
  return error instanceof Refused
    ? error.message
    : error instanceof Error
      ? `Something of ours went wrong: ${error.message}`
      : "Something of ours went wrong.";
}

export function withStep(card: Card, step: Step): Card {
  return {
    ...card,
    steps: [...card.steps!.filter((s) => s.number !== step.number), step].sort((a, b) => a.number - b.number),
  };
}

/** A pick keeps so many curves of a region's boundary at most. */
const MOST_CURVES = 40;

export function choiceOf(ids: string[], sheet: SheetData): unknown {
  const picks = ids.flatMap((id) => {
    const region = sheet.closed[sheet.regionOf.get(id) ?? -1];
    return region
      ? [{ id, curves: sheet.boundaryOf(id).slice(0, MOST_CURVES), at: region.inside, area: region.area }]
      : [];
  });
  return { rule: "picked", picks };
}

export function draftRegions(draft: Draft): string[] {
  const choice = draft.step.params?.["profiles"] as { rule: string; picks?: { id: string }[] } | undefined;
  return choice?.picks?.map((p) => p.id) ?? [];
}

export function wantsRegions(draft: Draft | null): draft is Draft {
  return draft !== null && "profiles" in (draft.step.params ?? {});
}

export interface PointPick {
  at: [number, number];
  curve: string | null;
  kind: Snap["kind"];
  other: string | null;
}

/**
 * A face by its key, with the body and the faces beside it, its outward normal and where it was pressed: what tells it
 * from others of that name.
 */
export interface FacePick {
  name: string;
  body: string;
  beside: string[];
  normal: number[] | null;
  point: number[];
}

/** Where a solid begins or ends: one of a point of a view, a face, or an edge of the part. */
export interface EndPick {
  point?: PointPick | null;
  face?: FacePick | null;
  edge?: { faces: string[]; point: number[] } | null;
}

/** `drawn`: a line is drawn from point to point, so that what it arrives at can be tangent, square or in line. */
export interface Wanted {
  field: string;
  ends: boolean;
  /** Only what is pressed on the part counts; pressed again it is given up. */
  onPart: boolean;
  drawn: boolean;
  wanted: number;
  given: unknown[];
  picks: PointPick[];
}

/** The field of the draft that the next point pressed on the sheet goes into. */
export function wantedPoints(draft: Draft | null): Wanted | null {
  const tokens = (draft?.tokens ?? []).flatMap((t): Wanted[] => {
    const type = t.editor?.type;
    if (!t.field || !t.editor || (type !== "points" && type !== "ends" && type !== "pieces")) return [];
    const given = (draft?.step.params?.[t.field] ?? []) as unknown[],
      ends = type !== "points";
    return [
      {
        field: t.field,
        ends,
        onPart: type === "pieces",
        drawn: t.editor.drawn ?? false,
        wanted: type === "pieces" ? Infinity : (t.editor.wanted ?? 1),
        given,
        picks: ends ? (given as EndPick[]).flatMap((e) => (e.point ? [e.point] : [])) : (given as PointPick[]),
      },
    ];
  });
  return tokens.find((t) => t.given.length < t.wanted) ?? tokens[0] ?? null;
}

/** The field that a press on the sheet goes into. */
export function wantedOnSheet(draft: Draft | null): Wanted | null {
  const wanted = wantedPoints(draft);
  return wanted?.onPart ? null : wanted;
}

/** Whether two picks are of one edge or one face of the part. */
export function samePiece(a: EndPick, b: EndPick): boolean {
  if (a.edge && b.edge) {
    const [p, q] = [a.edge.point, b.edge.point],
      near = Math.hypot(...p.map((v, k) => v - q[k]!)) < 1e-3;
    return near && [...a.edge.faces].sort().join() === [...b.edge.faces].sort().join();
  }
  return Boolean(a.face && b.face && a.face.name === b.face.name && a.face.body === b.face.body);
}

/** Whether the draft wants a face of the part, or an end that a face or an edge can give. */
export function wantsPiece(draft: Draft | null, type: "face" | "edge"): boolean {
  return (
    (type === "face" && (draft?.tokens.some((t) => t.editor?.type === "face") ?? false)) ||
    (wantedPoints(draft)?.ends ?? false)
  );
}
