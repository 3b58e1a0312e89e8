/** Which parts the shelf shows, and in which order; no React, so that it is tested without a browser. */

import type { PartOnShelf } from "../api/client";

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
  /** Those that were put away instead of those at hand. */
  archived: boolean;
  order: Order;
}

interface ShelfFigures {
  bounds?: number[];
  mass_g?: number | null;
  material?: string | null;
}

/** Every word of the search stands somewhere in the part's name, number, labels, files or material. */
export function onShelf(parts: PartOnShelf[], wanted: Wanted): PartOnShelf[] {
  const words = wanted.text.toLowerCase().split(/\s+/).filter(Boolean);
  return parts
    .filter((p) => {
      if (p.archived !== wanted.archived || !wanted.labels.every((label) => p.labels.includes(label))) return false;
      const material = (p.figures as ShelfFigures).material ?? "";
      const all = [p.name, p.number, material, ...p.labels, ...p.files].join(" ").toLowerCase();
      return words.every((word) => all.includes(word));
    })
    .sort(BY[wanted.order]);
}

/** All labels with how many of the parts have each, the commonest first. */
export function labelsOf(parts: PartOnShelf[]): [string, number][] {
  const counts = new Map<string, number>();
  for (const part of parts) for (const label of part.labels) counts.set(label, (counts.get(label) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1] || a[0].localeCompare(b[0]));
}

const text = new Intl.Collator(undefined, { numeric: true, sensitivity: "base" });
const mass = (p: PartOnShelf) => (p.figures as ShelfFigures).mass_g ?? -1;
const size = (p: PartOnShelf) => {
  const b = (p.figures as ShelfFigures).bounds;
  return b ? Math.max(b[3]! - b[0]!, b[4]! - b[1]!, b[5]! - b[2]!) : -1;
};
const BY: Record<Order, (a: PartOnShelf, b: PartOnShelf) => number> = {
  changed: (a, b) => b.changed.localeCompare(a.changed),
  name: (a, b) => text.compare(a.name, b.name),
  // those without a number come last
  number: (a, b) => Number(!a.number) - Number(!b.number) || text.compare(a.number, b.number),
  mass: (a, b) => mass(b) - mass(a),
  size: (a, b) => size(b) - size(a),
};
