/** What the shelf is asked for, and which of its pages are in sight; no React, so that it is tested without a page. */

export const ORDERS = {
  changed: "changed last",
  name: "name",
  number: "number",
  mass: "heaviest",
  size: "largest",
} as const;
export type Order = keyof typeof ORDERS;

export interface Wanted {
  text: string;
  labels: string[];
  /** Those that were removed instead of those at hand. */
  archived: boolean;
  order: Order;
}

export const PAGE = 60;
const MOST_PAGES = 4;

/** The numbers of the pages that hold places `from` to `to`; no more than fit on the largest screen. */
export function pagesOf(from: number, to: number): number[] {
  const first = Math.floor(Math.max(0, from) / PAGE),
    last = Math.floor(Math.max(0, to) / PAGE);
  return Array.from({ length: Math.min(last - first + 1, MOST_PAGES) }, (_, n) => first + n);
}
