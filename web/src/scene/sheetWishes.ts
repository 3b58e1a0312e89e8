/** What a hand changes on the drawing sheet, as values of the step that draws it. */

import type { AxisName, HeldSize, Point2, SheetMark, SheetView } from "../api/client";

export type Form = "" | "diameter" | "radius" | "brackets" | "plain";

/** What was done to one dimension. */
export interface ByHand extends HeldSize {
  state: "placed" | "dropped" | "added";
  form: Form;
  along: number;
  away: number;
}
export interface Section {
  axis: AxisName;
  at: string | number;
  through: string[];
}
export interface Detail {
  view: string;
  at: Point2;
  radius: number;
  times: number;
}
export type End = "low" | "high";

const AXES: AxisName[] = ["x", "y", "z"];
const fresh = (held: HeldSize): ByHand => ({ ...held, state: "placed", form: "", along: 0, away: 0 });

/** A dimension as the list is asked about it: what it stands for, and which of the list has changed it. */
interface Asked {
  held: HeldSize;
  hand: number | null;
}

/** The list with one dimension changed. */
export const changed = (hands: ByHand[], { held, hand }: Asked, by: Partial<ByHand>): ByHand[] =>
  hand === null ? [...hands, { ...fresh(held), ...by }] : hands.map((h, n) => (n === hand ? { ...h, ...by } : h));

/** The list with a dimension gone: one that was added as if it had never been. */
export function dropped(hands: ByHand[], { held, hand }: Asked): ByHand[] {
  const others = hands.filter((_, n) => n !== hand);
  return hand !== null && hands[hand]?.state === "added" ? others : [...others, { ...fresh(held), state: "dropped" }];
}

/** The list with a dimension as it comes by itself. */
export const asItComes = (hands: ByHand[], { hand }: Asked): ByHand[] =>
  hands
    .filter((h, n) => n !== hand || h.state === "added")
    .map((h, n) => (n === hand ? { ...h, form: "", along: 0, away: 0 } : h));

/** The list with a dimension between two marks of one view, or of one that is round. */
export function added(hands: ByHand[], a: SheetMark, b: SheetMark | null): ByHand[] {
  const other = b ?? a,
    [low, high] = a.mm <= other.mm ? [a, other] : [other, a];
  const value = a.axis === null ? a.mm : high.mm - low.mm;
  const held = { axis: a.axis, low: low.owners, high: high.owners, value, view: a.view };
  return [...hands, { ...fresh(held), state: "added" }];
}

/** A point of the paper in the plane of a view (mm). */
export const inView = (view: SheetView, [x, y]: Point2): Point2 => [
  (x - view.origin[0]) / view.scale,
  (view.origin[1] - y) / view.scale,
];

/** The view that a point of the paper lies in. */
export const viewAt = (views: SheetView[], [x, y]: Point2, reach = 0): SheetView | undefined =>
  views.find(({ box }) => x >= box[0] - reach && x <= box[2] + reach && y >= box[1] - reach && y <= box[3] + reach);

/** The datum once a corner of a view was pressed: the ends of the part that lie there. */
export function datumAt(view: SheetView, right: boolean, upper: boolean, now: End[]): End[] {
  return AXES.map((axis, n) => {
    const way = view.axes[axis];
    if (!way) return now[n] ?? "low";
    const far = way[0] === 0 ? right : upper;
    return far === way[1] > 0 ? "high" : "low";
  });
}

/** Marks that a section can go through: middles of what is round, each axis and place once. */
export const cutMarks = (marks: SheetMark[]): SheetMark[] =>
  marks.filter(
    (m, n) =>
      m.kind === "centre" && n === marks.findIndex((o) => o.kind === "centre" && o.axis === m.axis && o.mm === m.mm),
  );

/** How far a dimension was dragged, along its line and away from its view (mm of paper). */
export const moved = (along: Point2, away: Point2, [dx, dy]: Point2, from: Point2): Point2 => [
  Math.round((from[0] + dx * along[0] + dy * along[1]) * 10) / 10,
  Math.round((from[1] + dx * away[0] + dy * away[1]) * 10) / 10,
];
