import { describe, expect, it } from "vitest";

import { SheetData, type SheetFacts } from "./sheetData";
import { snapAt } from "./snapping";

/** Lines, and a circle of 24 drawn pieces at the end. */
function sheet(lines: number[][], circle: [number, number, number] | null = null): SheetData {
  const round = circle
    ? [...Array(25).keys()].flatMap((n) => [
        circle[0] + circle[2] * Math.cos((n * Math.PI) / 12),
        circle[1] + circle[2] * Math.sin((n * Math.PI) / 12),
      ])
    : [];
  const count = lines.length + (circle ? 1 : 0),
    offsets = [
      ...lines.map((_, n) => 2 * n),
      ...(circle ? [2 * lines.length] : []),
      2 * lines.length + round.length / 2,
    ];
  const ends = [
    ...lines.flat(),
    ...(circle ? [circle[0] + circle[2], circle[1], circle[0] + circle[2], circle[1]] : []),
  ];
  const facts = {
      origin: [0, 0],
      extents: [0, 0, 10, 10],
      ids: [...Array(count).keys()].map(String),
      regions: [],
      otherwise: [],
    } as unknown as SheetFacts,
    none = new Uint32Array(1);
  return new SheetData({
    facts,
    arrays: {
      points: new Float32Array([...lines.flat(), ...round]),
      offsets: new Uint32Array(offsets),
      kind: new Uint8Array(count),
      state: new Uint8Array(count),
      view: new Uint8Array(count),
      layer: new Uint16Array(count),
      length: new Float64Array(count),
      radius: new Float64Array([...lines.map(() => 0), ...(circle ? [circle[2]] : [])]),
      sweep: new Float64Array(count),
      ends: new Float32Array(ends),
      centre: new Float32Array([...lines.flatMap(() => [NaN, NaN]), ...(circle ? circle.slice(0, 2) : [])]),
      ring_points: new Float32Array(0),
      ring_ends: none,
      ring_counts: new Uint32Array(0),
      region_curves: new Uint32Array(0),
      region_curve_ends: none,
    },
  });
}

describe("a point that is picked", () => {
  const crossed = sheet([
    [0, 0, 10, 10],
    [0, 8, 8, 0],
  ]);
  it("snaps to an end, a middle, or a crossing between ends", () => {
    expect(snapAt(crossed, 4.2, 3.9, 0.5)).toMatchObject({ kind: "crossing", x: 4, y: 4, row: 0, other: 1 });
    expect(snapAt(crossed, 7.9, 0.1, 0.5)).toMatchObject({ kind: "end", row: 1 });
    expect(snapAt(crossed, 5.1, 5, 0.3)).toMatchObject({ kind: "middle", row: 0, x: 5, y: 5 });
    expect(snapAt(crossed, 9, 1, 0.5)).toMatchObject({ kind: "free", x: 9, y: 1 });
  });
  it("snaps to where a line crosses a circle, and to its centre", () => {
    const round = sheet([[-6, 0, 6, 0.001]], [0, 0, 4]),
      hit = snapAt(round, 3.9, 0.2, 0.5);
    expect(hit.x).toBeCloseTo(4, 2);
    expect(snapAt(round, 0.1, -0.2, 0.5)).toMatchObject({ kind: "centre", row: 1, x: 0, y: 0 });
  });
  it("arrives tangent or square from the point before", () => {
    const round = sheet([[-20, 8, 20, 8]], [0, 0, 3]);
    const touch = snapAt(round, 1.85, 2.35, 0.4, [[5, 0]]);
    expect(touch).toMatchObject({ kind: "tangent", row: 1 });
    expect(touch.x).toBeCloseTo(1.8, 6);
    expect(touch.y).toBeCloseTo(2.4, 6);
    expect(snapAt(round, 7.1, 7.9, 0.4, [[7, 1]])).toMatchObject({ kind: "perpendicular", row: 0, x: 7, y: 8 });
  });
  it("falls in line with points picked before", () => {
    expect(snapAt(sheet([]), 5.1, 9, 0.5, [[5, 1]])).toMatchObject({ kind: "free", x: 5, y: 9, from: [[5, 1]] });
    expect(
      snapAt(sheet([]), 5.1, 3.9, 0.5, [
        [5, 1],
        [0, 4],
      ]),
    ).toMatchObject({ x: 5, y: 4 });
  });
});
