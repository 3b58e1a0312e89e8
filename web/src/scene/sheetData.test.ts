import { describe, expect, it } from "vitest";

import { SheetData, type SheetFacts } from "./sheetData";
import { show } from "./shownUnits";

/** A 10 × 10 square of four lines with a triangle inside, drawn about the origin of the sheet at (100, 200). */
function square(): SheetData {
  const sides = [
    [0, 0, 10, 0],
    [10, 0, 10, 10],
    [10, 10, 0, 10],
    [0, 10, 0, 0],
  ];
  const region = (id: string, level: number, area: number, b: [number, number, number, number], drawn = "solid") => ({
    id,
    drawn,
    level,
    area,
    perimeter: 0,
    centroid: [0, 0] as [number, number],
    bounds: b,
    inside: [0, 0] as [number, number],
    holes: 0,
  });
  const facts = {
    origin: [100, 200],
    extents: [100, 200, 110, 210],
    ids: ["a", "b", "c", "d"],
    layers: [{ name: "0" }],
    regions: [region("outer", 0, 95.5, [100, 200, 110, 210]), region("inner", 1, 4.5, [102, 202, 105, 205])],
    otherwise: [
      region("upper", 0, 50, [100, 205, 110, 210], "centre"),
      region("behind", 0, 4, [108, 198, 112, 199], "hidden"),
    ],
  } as unknown as SheetFacts;
  return new SheetData({
    facts,
    arrays: {
      points: new Float32Array(sides.flat()),
      offsets: new Uint32Array([0, 2, 4, 6, 8]),
      kind: new Uint8Array(4),
      state: new Uint8Array([0, 0, 0, 3]),
      view: new Uint8Array(4),
      layer: new Uint16Array(4),
      length: new Float64Array([10, 10, 10, 10]),
      radius: new Float64Array(4),
      sweep: new Float64Array(4),
      ends: new Float32Array(sides.flat()),
      ring_points: new Float32Array([
        0, 0, 10, 0, 10, 10, 0, 10, 2, 2, 2, 5, 5, 2, 2, 2, 5, 2, 2, 5, 0, 5, 10, 5, 10, 10, 0, 10, 8, -2, 12, -2, 12,
        -1, 8, -1,
      ]),
      ring_ends: new Uint32Array([0, 4, 7, 10, 14, 18]),
      ring_counts: new Uint32Array([2, 1, 1, 1]),
      region_curves: new Uint32Array([0, 1, 2, 3]),
      region_curve_ends: new Uint32Array([0, 4, 4, 4, 4]),
    },
  });
}

describe("the sheet asked", () => {
  it("finds the curve under the pointer, and none out of reach", () => {
    expect(square().curveAt(5, 0.4, 0.5)).toBe(0);
    expect(square().curveAt(5, 0.6, 0.5)).toBe(-1);
  });
  it("prefers what is kept to what is left out, which it finds only where it is asked for", () => {
    expect(square().curveAt(0.1, 0.15, 0.5, true)).toBe(0);
    expect(square().curveAt(0.1, 0.15, 0.5)).toBe(0);
    expect(square().curveAt(0, 5, 0.5)).toBe(-1);
    expect(square().curveAt(0, 5, 0.5, true)).toBe(3);
  });
  it("finds the smallest region, holes taken off", () => {
    expect(square().regionAt(9, 9)).toBe(0);
    expect(square().regionAt(2.5, 2.5)).toBe(1);
    expect(square().regionAt(4.9, 4.9)).toBe(0);
    expect(square().regionAt(11, 5)).toBe(-1);
    expect(square().regionAt(5.2, 4.4, 2.5)).toBe(1);
    expect(square().regionAt(5.2, 4.4, 1)).toBe(0);
  });
  it("takes what dashed and centre lines close where that is asked for, and where nothing else is", () => {
    expect(square().regionAt(9, 9, 0, "centre")).toBe(2);
    expect(square().regionAt(9, 9, 0, "hidden")).toBe(0);
    expect(square().regionAt(2.5, 2.5, 0, "centre")).toBe(1);
    expect(square().regionAt(11, -1.5)).toBe(3);
    expect(square().regionOf.get("behind")).toBe(3);
  });
  it("picks by box what lies inside, or all it touches", () => {
    expect(square().curvesIn([-1, -1, 11, 1], false)).toEqual([0]);
    expect(square().curvesIn([-1, -1, 11, 1], true).sort()).toEqual([0, 1, 3]);
    expect(square().curvesIn([3, 3, 6, 6], true)).toEqual([]);
  });
  it("fills a region with its area", () => {
    const t = square().fill(0);
    let area = 0;
    for (let i = 0; i < t.length; i += 6)
      area +=
        Math.abs((t[i + 2]! - t[i]!) * (t[i + 5]! - t[i + 1]!) - (t[i + 4]! - t[i]!) * (t[i + 3]! - t[i + 1]!)) / 2;
    expect(area).toBeCloseTo(95.5, 6);
  });
  it("says what a curve measures, with its unit", () => {
    expect(square().describe(1)).toBe("Line, length 10 mm, 90°, layer 0");
    expect(show(12.5000001)).toBe("12.5");
  });
});
