import { describe, expect, it } from "vitest";

import type { BlankFound } from "../api/client";
import { folded } from "./folding";

const T = 2,
  K = 0.4,
  R = 3,
  HALF = Math.PI / 2,
  TAKES = HALF * (R + K * T);
/** 40 mm, a bend of 90°, 30 mm; 20 mm wide. */
const found = (up: boolean): BlankFound => ({
  thickness: T,
  figures: { area_mm2: 0, perimeter_mm: 0, bbox_mm: [0, 0, 70 + TAKES, 20], holes: 0, mass_g: null },
  bends: [],
  rings: [],
  flats: [],
  slices: [],
  zones: [
    { parent: 1, child: 2, start: [40, 0], along: [0, 1], across: [1, 0], allowance: TAKES, angle: HALF, up, k: K },
  ],
  remarks: [],
  marks: [],
  fixed: 1,
  home: [
    [1, 0, 0, 0],
    [0, 1, 0, 0],
    [0, 0, 1, 0],
  ],
});
const near = (got: number[], wanted: number[]) => {
  got.forEach((v, k) => {
    expect(v).toBeCloseTo(wanted[k]!, 9);
  });
};

describe("a blank is folded", () => {
  it("stays flat at nothing", () => {
    const map = folded(found(true), 0);
    near(map.flat(2, [60, 5, -1]), [60, 5, -1]);
    near(map.bend(0, [41, 5, -1]), [41, 5, -1]);
  });
  it("turns up by its bend, inner radius on the skin's side", () => {
    const map = folded(found(true), 1);
    near(map.bend(0, [40, 7, 0]), [40, 7, 0]);
    near(map.bend(0, [40 + TAKES, 7, 0]), [40 + R, 7, R]);
    near(map.bend(0, [40 + TAKES, 7, -T]), [40 + R + T, 7, R]);
    near(map.flat(2, [70 + TAKES, 7, 0]), [40 + R, 7, R + 30]);
    near(map.flat(2, [70 + TAKES, 7, -T]), [40 + R + T, 7, R + 30]);
  });
  it("turns down with the outer radius on the skin's side", () => {
    const map = folded(found(false), 1);
    near(map.bend(0, [40 + TAKES, 7, 0]), [40 + R + T, 7, -R - T]);
    near(map.flat(2, [70 + TAKES, 7, 0]), [40 + R + T, 7, -R - T - 30]);
    near(map.flat(2, [70 + TAKES, 7, -T]), [40 + R, 7, -R - T - 30]);
  });
  it.each([0.1, 0.5, 0.9])("leaves no gap between flat and bend on the way, at %s", (share) => {
    for (const up of [true, false])
      for (const w of [0, -T]) {
        const map = folded(found(up), share);
        near(map.flat(2, [40 + TAKES, 7, w]), map.bend(0, [40 + TAKES, 7, w]));
        near(map.flat(1, [40, 7, w]), map.bend(0, [40, 7, w]));
      }
  });
});
