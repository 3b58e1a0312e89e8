import { expect, test } from "vitest";

import { stillPointed } from "./pointing";
import type { Shown } from "./table";

/** What is shown of regions, curves, and faces by their keys, each with an edge to the next. */
function shown(regions: string[], ids: string[], keys: string[]): Shown {
  const faces = keys.map((key) => ({ key, body: "b" })),
    edges = keys.slice(1).map((_, n) => ({ faces: [n, n + 1] }));
  return {
    sheet: { facts: { ids }, closed: regions.map((id) => ({ id })) },
    part: { facts: { faces, edges } },
  } as unknown as Shown;
}

const before = shown(["r", "s"], ["c", "d"], ["top", "side", "foot"]);
const pointing = {
  hover: { curves: [1], region: 1, piece: { type: "face" as const, index: 0 } },
  pickedPieces: [
    { type: "face" as const, index: 1, at: [1, 2, 3] },
    { type: "edge" as const, index: 1 },
  ],
};

test("what is pointed at and pressed is found again by its name", () => {
  const after = shown(["q", "r", "s"], ["a", "d", "c"], ["foot", "side", "top"]);
  expect(stillPointed(pointing, before, after)).toEqual({
    hover: { curves: [], region: 2, piece: { type: "face", index: 2 } },
    pickedPieces: [
      { type: "face", index: 1, at: [1, 2, 3] },
      { type: "edge", index: 0 },
    ],
  });
});

test("what is gone, or there twice, is let go", () => {
  const after = shown(["r"], ["c"], ["side", "side", "rim"]);
  expect(stillPointed(pointing, before, after)).toEqual({
    hover: { curves: [], region: -1, piece: null },
    pickedPieces: [],
  });
  expect(stillPointed(pointing, before, before)).toEqual(pointing);
  expect(stillPointed(pointing, null, before).pickedPieces).toEqual([]);
});
