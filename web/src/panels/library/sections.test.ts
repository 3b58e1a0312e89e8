import { expect, test } from "vitest";

import type { Section } from "../../api/client";
import { families, insertionPoints, listed, oneScale, pathOf, viewOf, type Wished } from "./sections";

const section = (number: string, wide: number, more: Partial<Section["facts"]> = {}, mass: number | null = null) =>
  ({
    id: wide,
    number,
    issue: 1,
    facts: { number, name: "", family: "", material: "", source: "", notes: "", insertion_mm: [5, 0], ...more },
    figures: { bbox_mm: [5, 0, 5 + wide, 20], area: wide * 20, kg_per_m: mass, cx: 5 + wide / 2, cy: 10 },
    outline: [
      [
        [5, 0],
        [5 + wide, 0],
        [5 + wide, 20],
        [5, 20],
      ],
    ],
    away: false,
  }) as unknown as Section;

const ALL = [
  section("C-100", 100, { family: "Rails", name: "side rail" }, 2),
  section("C-9", 40, { family: "Trays" }, 1),
  section("T-1", 60, { family: "Rails", thickness_mm: 2 }),
];
const WISHED: Wished = { text: "", family: null, order: "number", away: false };
const numbers = (wished: Partial<Wished>) => listed(ALL, { ...WISHED, ...wished }).map((s) => s.number);

test("sections are found by all words, in a family, in the order of a figure; those without it come last", () => {
  expect(numbers({})).toEqual(["C-9", "C-100", "T-1"]);
  expect(numbers({ text: "side c" })).toEqual(["C-100"]);
  expect(numbers({ family: "Rails", order: "mass" })).toEqual(["C-100", "T-1"]);
  expect(numbers({ order: "thickness" })).toEqual(["T-1", "C-9", "C-100"]);
  expect(numbers({ order: "width" })).toEqual(["C-9", "T-1", "C-100"]);
  expect(families(ALL)).toEqual([
    ["Rails", 2],
    ["Trays", 1],
  ]);
});

test("pictures have one scale, and lie about their insertion points", () => {
  expect(oneScale(ALL, 200, 100)).toBe(2);
  expect(pathOf(ALL[1]!)).toBe("M0 0L40 0L40 -20L0 -20Z");
  expect(viewOf(ALL, 0)).toEqual([0, -20, 100, 20]);
  expect(Object.fromEntries(insertionPoints(ALL[1]!))).toMatchObject({ "upper right": [45, 20], middle: [25, 10] });
});
