import { afterEach, expect, test } from "vitest";

import { areaText, lengthText, showInches, sizesText, volumeText } from "./shownUnits";

afterEach(() => {
  showInches(false);
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
