import { expect, it } from "vitest";

import { inViews } from "./inViews";

const VIEWS = [
  { origin: [-100, 0, -50], x: [1, 0, 0], y: [0, 0, 1] },
  { origin: [-100, -200, 0], x: [1, 0, 0], y: [0, 1, 0] },
];
const of = (from: [number, number, number], to: [number, number, number]) =>
  inViews({ step: 1, text: "", from, to }, VIEWS);

it("a dimension stands in the first view that shows it in true length", () => {
  expect(of([0, 0, 0], [30, 0, 0])).toEqual({ from: [100, 50], to: [130, 50] });
  expect(of([0, 0, 0], [0, 20, 0])).toEqual({ from: [100, 200], to: [100, 220] });
  expect(of([5, 0, 0], [5, 0, 8])).toEqual({ from: [105, 50], to: [105, 58] });
  expect(of([0, 0, 0], [0, 3, 4])).toBeNull();
});
