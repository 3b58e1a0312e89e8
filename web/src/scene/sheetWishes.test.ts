import { describe, expect, it } from "vitest";

import type { HeldSize, SheetMark, SheetView } from "../api/client";
import { added, asItComes, changed, cutMarks, datumAt, dropped, inView, moved, viewAt } from "./sheetWishes";

const held: HeldSize = { axis: "x", low: ["a"], high: ["b"], value: 20, view: "top" };
const mark = (axis: SheetMark["axis"], mm: number, kind: SheetMark["kind"], owner: string): SheetMark => ({
  view: "top",
  axis,
  at: [mm, 0],
  owners: [owner],
  mm,
  kind,
});
const TOP: SheetView = {
  name: "top",
  title: "",
  box: [100, 50, 150, 90],
  origin: [100, 90],
  scale: 0.5,
  axes: { x: [0, 1], y: [1, 1] },
};

describe("what a hand does to dimensions", () => {
  const once = changed([], { held, hand: null }, { along: 3 });
  it("is kept once for each", () => {
    expect(changed(once, { held, hand: 0 }, { form: "brackets" })).toEqual([{ ...once[0], form: "brackets" }]);
    expect(asItComes(once, { held, hand: 0 })).toEqual([]);
  });
  it("drops what comes by itself, and takes back what was added", () => {
    expect(dropped(once, { held, hand: 0 })).toMatchObject([{ state: "dropped", along: 0 }]);
    const two = added(once, mark("x", 80, "face", "b"), mark("x", 20, "centre", "a"));
    expect(two[1]).toMatchObject({ state: "added", low: ["a"], high: ["b"], value: 60 });
    expect(dropped(two, { held, hand: 1 })).toEqual(once);
    expect(asItComes(changed(two, { held, hand: 1 }, { away: 5 }), { held, hand: 1 })).toEqual(two);
  });
  it("moves along its line and away from its view", () => {
    expect(moved([0, -1], [-1, 0], [4, -6], [1, 1])).toEqual([7, -3]);
  });
});

it("places of the paper are places of a view", () => {
  expect(inView(TOP, [110, 80])).toEqual([20, 20]);
  expect(viewAt([TOP], [99, 60])).toBeUndefined();
  expect(viewAt([TOP], [99, 60], 2)).toBe(TOP);
});

it("a pressed corner is the datum of the two axes that it shows", () => {
  expect(datumAt(TOP, true, false, ["low", "low", "high"])).toEqual(["high", "low", "high"]);
  expect(datumAt({ ...TOP, axes: { y: [0, -1], z: [1, 1] } }, true, true, ["low", "high", "low"])).toEqual([
    "low",
    "low",
    "high",
  ]);
});

it("sections go through middles, each once", () => {
  const marks = [
    mark("x", 0, "face", "a"),
    mark("x", 20, "centre", "b"),
    mark("x", 20, "centre", "c"),
    mark(null, 8, "round", "d"),
  ];
  expect(cutMarks(marks).map((m) => m.mm)).toEqual([20]);
});
