/** What is being written outlives a reload: kept in the browser, for each part. */

import type { Draft } from "./table";

const keyOf = (part: number) => `draft of part ${part}`;

/** Keep what is being written in a part; nothing lets go of it. */
export function keepDraft(part: number, draft: Draft | null): void {
  try {
    if (draft) localStorage.setItem(keyOf(part), JSON.stringify(draft));
    else localStorage.removeItem(keyOf(part));
  } catch {
    // no room, or not allowed: then it lives as long as the page does
  }
}

/** What was being written when the page was left; null where there was nothing, or nothing that can be read. */
export function keptDraft(part: number): Draft | null {
  try {
    const kept = JSON.parse(localStorage.getItem(keyOf(part)) ?? "null") as Draft | null;
    return kept && typeof kept.step.number === "number" && Array.isArray(kept.tokens) ? kept : null;
  } catch {
    return null;
  }
}
