import { expect, test } from "vitest";

import { wantedOf } from "./printWishes";

test("a bed is three lengths, however they are set apart", () => {
  const bed = [220, 210.5, 250];
  for (const text of [
    "220 x 210.5 x 250",
    "220×210,5×250",
    "220 210.5 250",
    "220; 210.5; 250",
    "220, 210.5, 250",
    " 220x210.5x250 ",
  ])
    expect(wantedOf("0.8", "", text), text).toEqual({ wall: 0.8, tool: 0, bed });
});

test("what is left empty is not looked at", () => {
  expect(wantedOf("0,4", "", "")).toEqual({ wall: 0.4, tool: 0, bed: [] });
  expect(wantedOf("1", " 2.5 ", "  ")).toEqual({ wall: 1, tool: 2.5, bed: [] });
});

test("what makes no sense is refused", () => {
  for (const [wall, tool, bed] of [
    ["", "", ""],
    ["0", "", ""],
    ["-1", "", ""],
    ["thin", "", ""],
    ["101", "", ""],
    ["1", "-2", ""],
    ["1", "two", ""],
    ["1", "", "220 x 220"],
    ["1", "", "220 x 220 x 0"],
    ["1", "", "220 x 220 x high"],
    ["1", "", "1 2 3 4"],
  ] as const)
    expect(wantedOf(wall, tool, bed), `${wall} ${tool} ${bed}`).toBeNull();
});
