/** Dimensions of the part on the sheet: in the first view that shows one in true length. */

import type { DrawnDimension } from "../api/client";

type Pair = [number, number];
interface Folded {
  origin: number[];
  x: number[];
  y: number[];
}
const dot = (a: number[], b: number[]) => a.reduce((s, v, k) => s + v * b[k]!, 0);
const TRUE_LENGTH = 1e-3;

export function inViews({ from, to }: DrawnDimension, views: Folded[]): { from: Pair; to: Pair } | null {
  const long = Math.hypot(...to.map((v, k) => v - from[k]!));
  for (const view of views) {
    const [a, b] = [from, to].map((p): Pair => {
      const off = p.map((v, k) => v - view.origin[k]!);
      return [dot(off, view.x), dot(off, view.y)];
    }) as [Pair, Pair];
    if (long > 0 && Math.abs(Math.hypot(b[0] - a[0], b[1] - a[1]) - long) <= TRUE_LENGTH * long)
      return { from: a, to: b };
  }
  return null;
}
