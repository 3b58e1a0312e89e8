import { expect, test } from "vitest";

import { fileReadBy, freeNumber, freeSheet, lastRead } from "./numbering";

const card = (...numbers: number[]) => ({
  steps: numbers.map((number) => ({
    number,
    kind: number === 10 ? "read" : "cut",
    params: number === 10 ? { source: "a.dxf" } : {},
    on: true,
    sheet: "",
  })),
});

test("a new step stands at the end in tens, or halfway", () => {
  expect([
    freeNumber(card()),
    freeNumber(card(10, 20)),
    freeNumber(card(10, 20), 10),
    freeNumber(card(10, 20), 20),
    freeNumber(card(10, 15), 15),
  ]).toEqual([10, 30, 15, 30, 20]);
});

test("a new step never takes the place of one that stands", () => {
  expect([
    freeNumber(card(10, 11), 10),
    freeNumber(card(10, 11, 20), 10),
    freeNumber(card(10, 11, 12, 14), 10),
    lastRead(card(10, 11)),
  ]).toEqual([20, 15, 13, 10]);
});

test("a new sheet has a name of its own", () => {
  const steps = ["", "lid"].map((sheet, n) => ({
    number: 10 * (n + 1),
    kind: "read",
    params: { source: "a.dxf" },
    on: true,
    sheet,
  }));
  expect([freeSheet({ steps }, "lid"), freeSheet({ steps }, "base"), freeSheet({ steps }, " ")]).toEqual([
    "lid 2",
    "base",
    "Sheet 2",
  ]);
  expect([lastRead({ steps }), lastRead({ steps }, "lid")]).toEqual([10, 20]);
});

test("a step that only places what a file holds reads none", () => {
  const step = (params: Record<string, unknown>) => ({ number: 10, kind: "any", sheet: "", params, on: true });
  expect(fileReadBy(step({ source: "plate.dxf", place: "own" }))).toBe("plate.dxf");
  expect(fileReadBy(step({ source: "heron.svg", face: null }))).toBeNull();
  expect(fileReadBy(step({ source: "FM-12.step", part: 7 }))).toBeNull();
  expect(fileReadBy(step({ source: "heron.svg", about: "centre" }))).toBeNull();
  expect(fileReadBy(step({ length: 4 }))).toBeNull();
});
