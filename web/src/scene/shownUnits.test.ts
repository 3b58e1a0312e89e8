import { afterEach, expect, test } from "vitest";

import { areaText, lengthText, massText, showInches, sizesText, surfaceText, volumeText } from "./shownUnits";

afterEach(() => {
  showInches(false);
});

test("what is little is not shown as nothing", () => {
  expect([0, 0.75, 4.567, 18, 53994].map((mm3) => volumeText(mm3, 2))).toEqual([
    "0 cm³",
    "0.75 mm³",
    "4.57 mm³",
    "0.018 cm³",
    "53.99 cm³",
  ]);
  expect([0, 0.0067, 0.31, 9.96, 423.8].map((g) => massText(g))).toEqual([
    "0 g",
    "0.0067 g",
    "0.31 g",
    "10 g",
    "424 g",
  ]);
  expect([areaText(0.002), areaText(12.5), surfaceText(0.2)]).toEqual(["0.002 mm²", "12.5 mm²", "0.002 cm²"]);
});

test("lengths in mm, or in inches with fractions that say whether they are exact", () => {
  expect(lengthText(120)).toBe("120 mm");
  showInches(true);
  expect([25.4, 38.1, 9.525, 0.396875, 0, -12.7].map((mm) => lengthText(mm))).toEqual([
    "1 in",
    "1 1/2 in",
    "3/8 in",
    "1/64 in",
    "0 in",
    "-1/2 in",
  ]);
  expect(lengthText(10)).toBe("≈ 25/64 in");
  expect(sizesText([0, 0, 0, 25.4, 50.8, 6.35])).toBe("1 × 2 × 1/4 in");
  expect([areaText(645.16), volumeText(16387.064)]).toEqual(["1 in²", "1 in³"]);
});
