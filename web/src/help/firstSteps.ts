/** The first five presses: how far somebody has come, kept in the browser. */

import type { TableState } from "../state/table";

/** The part of the demo that they lead through. */
export const LED_THROUGH = "Clamp bracket";
const KEY = "first steps";

type Seen = Pick<TableState, "part" | "stage">;

export const STEPS: { words: string; done(seen: Seen, begun: number): boolean }[] = [
  {
    words: `Open “${LED_THROUGH}”: a supplier’s drawing that became a part.`,
    done: ({ part }) => part?.name === LED_THROUGH,
  },
  {
    words: "Press Arrange: which view is which and why, folded into space beside it.",
    done: ({ stage }) => stage === "arrange",
  },
  {
    words: "Press Build: the part, and on the right the card that it is made by.",
    done: ({ stage }) => stage === "build",
  },
  {
    words: "Press 60 mm on the card, type 70, Enter. Everything after it follows; Ctrl Z takes it back.",
    done: ({ part }, begun) => part !== null && part.revision > begun,
  },
  {
    words: "Press Hand over: the drawing sheet, STEP, a check for printing.",
    done: ({ stage }) => stage === "hand_over",
  },
];

/** The next step to take; null when all are taken, or none is wanted. */
export function nextStep(): number | null {
  try {
    const kept = localStorage.getItem(KEY) ?? "0";
    const n = Number(kept);
    return Number.isInteger(n) && n >= 0 && n < STEPS.length ? n : null;
  } catch {
    return null;
  }
}

export function keepStep(n: number | null): void {
  try {
    localStorage.setItem(KEY, n === null || n >= STEPS.length ? "done" : String(n));
  } catch {
    // then they are shown again
  }
}

/** How far one is, having seen this: a step counts only when those before it do. `begun`: the revision at the start. */
export function after(step: number, seen: Seen, begun: number): number {
  return step < STEPS.length && STEPS[step]!.done(seen, begun) ? step + 1 : step;
}
