import { beforeEach, expect, test, vi } from "vitest";

import type { Card, Kind, PartOpen } from "../api/client";
import { useTable } from "../state/table";
import { keepOnly, leaveOut, leftOut, namesHolding, takeBack } from "./leavingOut";

const recorded = vi.hoisted(() => vi.fn());
vi.mock("../state/work", () => ({ save: recorded }));

const KINDS = [{ name: "leave_out", serves: "leaves_out" }] as Kind[];
const ALL = Array.from({ length: 40 }, (_, n) => `AUX-${n}`).concat("OUTLINE", "HOLES");
const step = (number: number, params: object) => ({ number, kind: "leave_out", params, on: true, sheet: "" });
const open = (...steps: ReturnType<typeof step>[]) => {
  const read = { number: 10, kind: "read", params: {}, on: true, sheet: "" };
  useTable.setState({ part: { card: { steps: [read, ...steps] } } as PartOpen, sheetName: "" });
};
/** What was recorded last is on the card from then on. */
const card = (): Card => (recorded.mock.lastCall![0] as { card: Card }).card;
const params = () =>
  card()
    .steps!.filter((s) => s.kind === "leave_out")
    .map((s) => s.params);
const gone = () => [...leftOut(card(), KINDS, "layers", ALL)];

beforeEach(() => {
  recorded.mockReset();
});

test("of forty layers the two that matter are kept with one press", () => {
  open();
  const found = namesHolding(
    ALL.map((name) => ({ name })),
    "outl, hole",
  ).map((row) => row.name);
  expect(found).toEqual(["OUTLINE", "HOLES"]);
  keepOnly(KINDS, "layers", found, "2 layers");
  expect(params()).toEqual([{ layers: ["OUTLINE", "HOLES"], only: true }]);
  expect(gone()).toEqual(ALL.slice(0, 40));
});

test("what is kept is taken back from where it was left out, and a second choice replaces the first", () => {
  open(step(20, { layers: ["HOLES", "AUX-1"] }), step(30, { layers: ["AUX-1"], only: true }));
  keepOnly(KINDS, "layers", ["HOLES"], "layer HOLES");
  expect(params()).toEqual([{ layers: ["AUX-1"] }, { layers: ["HOLES"], only: true }]);
});

test("a name is taken back from a step that leaves out all but others by being kept too", () => {
  open(step(20, { layers: ["OUTLINE"], only: true }));
  takeBack(KINDS, "layers", "HOLES", "layer HOLES");
  expect(params()).toEqual([{ layers: ["OUTLINE", "HOLES"], only: true }]);
});

test("all that hold a part of a name are left out together, beside what is left out already", () => {
  open(step(20, { layers: ["AUX-1"], colours: ["#ff0000"] }));
  leaveOut(KINDS, "layers", ["AUX-2", "AUX-3"], "2 layers");
  expect(params()).toEqual([{ layers: ["AUX-1", "AUX-2", "AUX-3"], colours: ["#ff0000"] }]);
});

test("a step that keeps only some kinds says nothing of layers", () => {
  open(step(20, { kinds: ["line"], layers: ["AUX-1"], only: true }));
  takeBack(KINDS, "layers", "AUX-1", "layer AUX-1");
  expect(params()).toEqual([{ kinds: ["line"], layers: ["AUX-1"], only: true }]);
  expect(gone()).toEqual([]);
});
