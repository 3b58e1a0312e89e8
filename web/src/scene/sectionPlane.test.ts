import { describe, expect, it } from "vitest";

import { type Axis, sectionOf } from "./sectionPlane";

/** A box as twelve triangles, outward. */
function box([x0, y0, z0]: number[], [x1, y1, z1]: number[], inside = false): number[] {
  const p = (n: number) => [n & 1 ? x1! : x0!, n & 2 ? y1! : y0!, n & 4 ? z1! : z0!];
  const sides = [
    [0, 2, 3, 1],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 4, 6, 2],
    [1, 3, 7, 5],
  ];
  return sides.flatMap(([a, b, c, d]) => {
    const rings = [
      [a!, b!, c!],
      [a!, c!, d!],
    ];
    return rings.flatMap((r) => (inside ? [...r].reverse() : r).flatMap(p));
  });
}

describe("a section through a hollow box", () => {
  const hollow = new Float32Array([...box([0, 0, 0], [30, 20, 10]), ...box([5, 5, 2], [15, 15, 8], true)]);
  it.each<[Axis, number, number]>([
    [0, 10, 20 * 10 - 10 * 6],
    [1, 7.5, 30 * 10 - 10 * 6],
    [2, 5, 30 * 20 - 10 * 10],
    [2, 9, 30 * 20],
    [0, 40, 0],
  ])("across axis %s at %s mm has %s mm²", (axis, at, area) => {
    const found = sectionOf(hollow, axis, at, () => true);
    expect(found.area).toBeCloseTo(area, 3);
    for (let n = axis; n < found.segments.length; n += 3) expect(found.segments[n]).toBeCloseTo(at, 4);
  });
  it("leaves out what is hidden", () => {
    expect(sectionOf(hollow, 2, 5, (t) => t < 12).area).toBeCloseTo(600, 3);
  });
});
