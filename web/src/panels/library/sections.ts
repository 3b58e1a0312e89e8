/** What the library page works out of its sections: order, search, families, one scale for all pictures. */

import type { Section } from "../../api/client";

export const ORDERS = {
  number: "by number",
  mass: "by mass per metre",
  thickness: "by thickness",
  width: "by width",
  area: "by area",
} as const;
export type Order = keyof typeof ORDERS;

export interface Wished {
  text: string;
  family: string | null;
  order: Order;
  away: boolean;
}

export const boxOf = (s: Section): [number, number, number, number] =>
  s.figures.bbox_mm as [number, number, number, number];
export const wideOf = (s: Section): number => boxOf(s)[2] - boxOf(s)[0];
export const highOf = (s: Section): number => boxOf(s)[3] - boxOf(s)[1];

const FIGURES: Record<Exclude<Order, "number">, (s: Section) => number> = {
  mass: (s) => s.figures.kg_per_m ?? Infinity,
  thickness: (s) => s.facts.thickness_mm ?? Infinity,
  width: wideOf,
  area: (s) => s.figures.area,
};

const byNumber = (a: Section, b: Section) => a.number.localeCompare(b.number, undefined, { numeric: true });

/** The sections that are wished for, in their order; those without the figure come last. */
export function listed(all: Section[], { text, family, order, away }: Wished): Section[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = all.filter((s) => {
    const said =
      `${s.number} ${s.facts.name} ${s.facts.family} ${s.facts.material} ${s.facts.source} ${s.facts.notes}`.toLowerCase();
    return s.away === away && (family === null || s.facts.family === family) && words.every((w) => said.includes(w));
  });
  if (order === "number") return found.sort(byNumber);
  return found.sort((a, b) => FIGURES[order](a) - FIGURES[order](b) || byNumber(a, b));
}

/** Families with how many sections each has, the largest first. */
export function families(all: Section[]): [string, number][] {
  const count = new Map<string, number>();
  for (const s of all) if (s.facts.family) count.set(s.facts.family, (count.get(s.facts.family) ?? 0) + 1);
  return [...count].sort((a, b) => b[1] - a[1] || a[0].localeCompare(b[0]));
}

/** The scale (pixels a millimetre) at which the largest section fills its room: one for all. */
export function oneScale(all: Section[], wide: number, high: number): number {
  const w = Math.max(1e-6, ...all.map(wideOf)),
    h = Math.max(1e-6, ...all.map(highOf));
  return Math.min(wide / w, high / h);
}

/** The outline as a path about its insertion point, y down. */
export function pathOf(s: Section): string {
  const [ix, iy] = s.facts.insertion_mm;
  return s.outline.map((ring) => `M${ring.map(([x, y]) => `${x - ix} ${iy - y}`).join("L")}Z`).join("");
}

/** The box of an outline about its insertion point, y down: x, y, width, height. */
export function viewOf(some: Section[], room = 0.08): [number, number, number, number] {
  const low = [Infinity, Infinity],
    high = [-Infinity, -Infinity];
  for (const s of some) {
    const [x0, y0, x1, y1] = boxOf(s),
      [ix, iy] = s.facts.insertion_mm;
    for (const [k, v] of [
      [0, x0 - ix],
      [0, x1 - ix],
      [1, iy - y0],
      [1, iy - y1],
    ] as const) {
      low[k] = Math.min(low[k]!, v);
      high[k] = Math.max(high[k]!, v);
    }
  }
  const more = room * Math.max(high[0]! - low[0]!, high[1]! - low[1]!);
  return [low[0]! - more, low[1]! - more, high[0]! - low[0]! + 2 * more, high[1]! - low[1]! + 2 * more];
}

/** Points of a section that may be its insertion point. */
export function insertionPoints(s: Section): [string, [number, number]][] {
  const [x0, y0, x1, y1] = boxOf(s);
  return [
    ["lower left", [x0, y0]],
    ["lower right", [x1, y0]],
    ["upper left", [x0, y1]],
    ["upper right", [x1, y1]],
    ["middle", [(x0 + x1) / 2, (y0 + y1) / 2]],
    ["centroid", [s.figures.cx, s.figures.cy]],
  ];
}
