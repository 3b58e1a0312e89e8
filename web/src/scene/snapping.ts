/**
 * What a point that is picked near a place on the sheet snaps to: points that curves have, and points that a line from
 * the point before makes.
 */

import type { SheetData } from "./sheetData";

type Point = [number, number];
/**
 * A place on the sheet that a pointer snaps to; kind as the core names it. `other` is the second curve of a crossing,
 * `from` what it is in line with.
 */
export interface Snap {
  x: number;
  y: number;
  kind: "free" | "start" | "end" | "middle" | "centre" | "crossing" | "tangent" | "perpendicular";
  row: number;
  other?: number;
  from?: Point[];
}

const MOST_PAIRED = 40;

/**
 * An end, middle, centre or crossing within `reach`; else where a line from the point before arrives tangent or square;
 * else a place in line with `marks`.
 */
export function snapAt(sheet: SheetData, x: number, y: number, reach: number, marks: Point[] = []): Snap {
  let best: Snap = { x, y, kind: "free", row: -1 },
    nearest = reach;
  const offer = (at: Point, kind: Snap["kind"], row: number, favour = 1, other?: number) => {
    const d = Math.hypot(at[0] - x, at[1] - y) * favour;
    if (d >= nearest) return;
    nearest = d;
    best = { x: at[0], y: at[1], kind, row, ...(other === undefined ? {} : { other }) };
  };
  const near = sheet.keptNear(x, y, reach),
    touched = near.filter((row) => sheet.distance(row, x, y) < reach).slice(0, MOST_PAIRED);
  for (const row of near) {
    const [start, end] = sheet.endsOf(row),
      middle = sheet.middleOf(row);
    offer(start, "start", row);
    offer(end, "end", row);
    if (middle) offer(middle, "middle", row, 1.15);
  }
  touched.forEach((a, n) => {
    for (const b of touched.slice(n + 1))
      for (const at of crossings(sheet.polyline(a), sheet.polyline(b))) offer(at, "crossing", a, 1.05, b);
  });
  for (const row of sheet.centresNear(x, y, reach)) offer(sheet.circleOf(row)!.centre, "centre", row, 0.9);
  const before = marks.at(-1);
  if (best.kind === "free" && before) {
    for (const row of touched) {
      for (const at of tangents(sheet, row, before)) offer(at, "tangent", row);
      for (const at of feet(sheet, row, before)) offer(at, "perpendicular", row, 1.1);
    }
  }
  if (best.kind !== "free") return best;
  const round = touched.find((row) => sheet.circleOf(row) && sheet.distance(row, x, y) < reach * 0.6);
  if (round !== undefined && !before)
    return { x: sheet.circleOf(round)!.centre[0], y: sheet.circleOf(round)!.centre[1], kind: "centre", row: round };
  return inLine(best, marks, reach * 0.6);
}

/** A free place moved level with, or upright over, the nearest of some marks. */
function inLine(free: Snap, marks: Point[], reach: number): Snap {
  const nearest = (axis: 0 | 1, v: number) =>
    marks.filter((m) => Math.abs(m[axis] - v) < reach).sort((a, b) => Math.abs(a[axis] - v) - Math.abs(b[axis] - v))[0];
  const over = nearest(0, free.x),
    level = nearest(1, free.y);
  const from = [over, level].filter((m): m is Point => m !== undefined);
  return from.length ? { ...free, x: over ? over[0] : free.x, y: level ? level[1] : free.y, from } : free;
}

/** Where two polylines cross, as they are drawn. */
export function crossings(p: Float32Array, q: Float32Array): Point[] {
  const out: Point[] = [];
  for (let i = 0; i + 3 < p.length; i += 2) {
    const ax = p[i]!,
      ay = p[i + 1]!,
      ux = p[i + 2]! - ax,
      uy = p[i + 3]! - ay;
    for (let j = 0; j + 3 < q.length; j += 2) {
      const vx = q[j + 2]! - q[j]!,
        vy = q[j + 3]! - q[j + 1]!,
        wx = q[j]! - ax,
        wy = q[j + 1]! - ay,
        cross = ux * vy - uy * vx;
      if (Math.abs(cross) < 1e-9 * Math.hypot(ux, uy) * Math.hypot(vx, vy)) continue;
      const s = (wx * vy - wy * vx) / cross,
        t = (wx * uy - wy * ux) / cross;
      if (s >= 0 && s <= 1 && t >= 0 && t <= 1) out.push([ax + s * ux, ay + s * uy]);
    }
  }
  return out;
}

/** Where lines from a point touch a curve: on the circle of an arc, else where the drawn pieces turn past the point. */
function tangents(sheet: SheetData, row: number, [px, py]: Point): Point[] {
  const circle = sheet.circleOf(row);
  if (!circle || circle.radius === 0)
    return corners(sheet.polyline(row), (x, y, dx, dy) => (x - px) * dy - (y - py) * dx);
  const dx = px - circle.centre[0],
    dy = py - circle.centre[1],
    away = Math.hypot(dx, dy);
  if (away <= circle.radius) return [];
  const base = Math.atan2(dy, dx),
    half = Math.acos(circle.radius / away);
  return [base - half, base + half].map((a): Point => [
    circle.centre[0] + circle.radius * Math.cos(a),
    circle.centre[1] + circle.radius * Math.sin(a),
  ]);
}

/** Where lines from a point meet a curve square. */
function feet(sheet: SheetData, row: number, [px, py]: Point): Point[] {
  const circle = sheet.circleOf(row),
    line = sheet.polyline(row);
  if (circle && circle.radius > 0) {
    const dx = px - circle.centre[0],
      dy = py - circle.centre[1],
      away = Math.hypot(dx, dy);
    return away > 0
      ? [1, -1].map((way): Point => [
          circle.centre[0] + (way * dx * circle.radius) / away,
          circle.centre[1] + (way * dy * circle.radius) / away,
        ])
      : [];
  }
  if (line.length > 4) return corners(line, (x, y, dx, dy) => (x - px) * dx + (y - py) * dy);
  const ux = line[2]! - line[0]!,
    uy = line[3]! - line[1]!,
    t = ((px - line[0]!) * ux + (py - line[1]!) * uy) / (ux * ux + uy * uy || 1);
  return t >= 0 && t <= 1 ? [[line[0]! + t * ux, line[1]! + t * uy]] : [];
}

/** Middles of the drawn pieces in which a measure of place and direction changes its sign. */
function corners(line: Float32Array, measure: (x: number, y: number, dx: number, dy: number) => number): Point[] {
  const out: Point[] = [];
  for (let i = 0; i + 3 < line.length; i += 2) {
    const dx = line[i + 2]! - line[i]!,
      dy = line[i + 3]! - line[i + 1]!;
    if (measure(line[i]!, line[i + 1]!, dx, dy) * measure(line[i + 2]!, line[i + 3]!, dx, dy) <= 0)
      out.push([line[i]! + dx / 2, line[i + 1]! + dy / 2]);
  }
  return out;
}
