import { expect, it } from "vitest";

import { overallSizes } from "./overallSizes";
import type { PartData } from "./partData";

const box = {
  box: [
    [-50, -25, -6],
    [50, 25, 6],
  ],
} as unknown as PartData;

it("draws the three sizes of a pictorial view, each outside of the part", () => {
  const lines = overallSizes(box, (x, y, z) => [300 + 2 * (x - y * 0.6), 300 - (2 * z + 0.8 * (x * 0.5 + y))]);
  expect(lines.map((l) => l.length).sort((a, b) => a - b)).toEqual([12, 50, 100]);
});

it("leaves out the axis that one looks along", () => {
  const lines = overallSizes(box, (x, y) => [300 + 3 * x, 300 - 3 * y]);
  expect(lines.map((l) => l.key).sort()).toEqual(["x", "y"]);
  expect(lines.every((l) => Math.abs(l.y0 - 300) >= 75 || Math.abs(l.x0 - 300) >= 150)).toBe(true);
});
