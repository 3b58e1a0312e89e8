/** What is being written outlives a reload: kept in the browser, for each part, with the stage it was written in. */

import type { Stage } from "../api/client";
import type { Draft } from "./table";

export interface Kept {
  draft: Draft;
  stage: Stage;
}

const keyOf = (part: number) => `draft of part ${part}`;

/** Keep what is being written in a part; nothing lets go of it. */
export function keepDraft(part: number, kept: Kept | null): void {
  try {
    if (kept) localStorage.setItem(keyOf(part), JSON.stringify(kept));
    else localStorage.removeItem(keyOf(part));
  } catch {
    // no room, or not allowed: then it lives as long as the page does
  }
}

/** What was being written when the page was left; null where there was nothing, or nothing that can be read. */
export function keptDraft(part: number): Kept | null {
  try {
    const kept = JSON.parse(localStorage.getItem(keyOf(part)) ?? "null") as Kept | null;
    return kept && typeof kept.draft.step.number === "number" && Array.isArray(kept.draft.tokens) ? kept : null;
  } catch {
    return null;
  }
}
