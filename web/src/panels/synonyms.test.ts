import { expect, test } from "vitest";

import { NEAREST, speaksOf, SYNONYMS } from "./synonyms";

const found = (typed: string) => [
  ...Object.entries(SYNONYMS).flatMap(([kind, words]) => (speaksOf(words, typed) ? [kind] : [])),
  ...NEAREST.flatMap((one) => (speaksOf(one.words, typed) ? [one.text] : [])),
];

test.each([
  ["fillet", "round_edges"],
  ["hole", "cut"],
  ["pattern", "repeat"],
  ["copy", "place_bodies"],
  ["draft", "Draft is a value"],
  ["sweep", "carry"],
  ["boolean", "combine_bodies"],
  ["union", "combine"],
  ["subtract", "combine_bodies"],
  ["measure", "their distance"],
  ["assembly", "place_part"],
  ["export", "Hand over"],
  ["delete", "leave_out"],
  ["tolerance", "join_ends"],
  ["text", "engrave"],
  ["thread", "Threads are not made yet"],
  ["shell", "no shell yet"],
  ["rib", "no rib yet"],
  ["Fase", "round_edges"],
  ["Gewinde", "Threads"],
  ["Loschen", "leave_out"],
])("“%s” finds what is meant or what comes nearest", (typed, wanted) => {
  expect(found(typed).some((one) => one.includes(wanted))).toBe(true);
});

test("words that nobody uses find nothing", () => {
  expect(found("xylophone")).toEqual([]);
});
