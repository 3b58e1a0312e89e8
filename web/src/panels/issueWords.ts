/** Changes from one issue of a drawing to the next, in signs that need no colour, and in words. */

import type { IssuesFound } from "../api/client";
import { lengthText } from "../scene/shownUnits";

type Change = IssuesFound["changed"][number];

export const MARKS: Record<Change["kind"], string> = { added: "+", removed: "−", moved: "→", resized: "⤢" };

const isPoint = (v: Change["before"]): v is [number, number] => Array.isArray(v);

/** A change in words: "circle moved by 2 mm, 0 mm", "circle resized from 10 mm to 12 mm". */
export function told({ kind, what, before, after }: Change): string {
  if (kind === "moved" && isPoint(before) && isPoint(after))
    return `${what} moved by ${lengthText(after[0] - before[0], 3)}, ${lengthText(after[1] - before[1], 3)}`;
  if (kind === "resized" && typeof before === "number" && typeof after === "number")
    return `${what} resized from ${lengthText(before, 3)} to ${lengthText(after, 3)}`;
  return `${what} ${kind}`;
}

/** Where a thing that was moved came from, and where it is; null for all else. */
export function way({ kind, before, after }: Change): [[number, number], [number, number]] | null {
  return kind === "moved" && isPoint(before) && isPoint(after) ? [before, after] : null;
}
