import { expect, test } from "vitest";

import type { Token } from "../api/client";
import { draftRegions, samePiece, wantedOnSheet, wantedPoints, wantsPiece } from "./draft";
import type { Draft } from "./table";

const draft = (params: Record<string, unknown>, ...tokens: Token[]): Draft => ({
  step: { number: 20, kind: "any", sheet: "", params, on: true },
  isNew: true,
  base: null,
  touched: true,
  tokens,
  problem: null,
});
const token = (field: string, type: "points" | "ends" | "pieces" | "face", more = {}): Token => ({
  text: "…",
  field,
  editor: { type, value: [], ...more },
});
const edge = (point: number[], ...faces: string[]) => ({ edge: { faces, point } });

test("a choice by rule alone has no regions", () => {
  expect(draftRegions(draft({ profiles: { rule: "material" } }))).toEqual([]);
  expect(draftRegions(draft({ profiles: { rule: "picked", picks: [{ id: "p1" }] } }))).toEqual(["p1"]);
  expect(draftRegions(draft({}))).toEqual([]);
});

test("edges and faces of the part are wanted there, not on the sheet", () => {
  const rounding = draft({ pieces: [edge([0, 0, 0], "a", "b")] }, token("pieces", "pieces"));
  expect(wantedPoints(rounding)).toMatchObject({ field: "pieces", ends: true, onPart: true, wanted: Infinity });
  expect(wantedOnSheet(rounding)).toBeNull();
  expect(wantsPiece(rounding, "edge")).toBe(true);
  expect(wantsPiece(rounding, "face")).toBe(true);
});

test("an end can be pressed on both, a point on the sheet alone", () => {
  const reaching = draft({ ends: [] }, token("ends", "ends", { wanted: 2 }));
  expect(wantedOnSheet(reaching)).toMatchObject({ field: "ends", onPart: false });
  expect(wantsPiece(reaching, "edge")).toBe(true);
  const pointing = draft({ points: [] }, token("points", "points", { wanted: 1 }));
  expect(wantsPiece(pointing, "edge")).toBe(false);
});

test("a face alone is wanted where only that is asked for", () => {
  const laying = draft({}, token("face", "face"));
  expect(wantsPiece(laying, "face")).toBe(true);
  expect(wantsPiece(laying, "edge")).toBe(false);
});

test("an edge pressed again is the same, another place of it is not another edge's", () => {
  expect(samePiece(edge([1, 2, 3], "a", "b"), edge([1, 2, 3], "b", "a"))).toBe(true);
  expect(samePiece(edge([1, 2, 3], "a", "b"), edge([1, 2, 9], "a", "b"))).toBe(false);
  expect(samePiece(edge([1, 2, 3], "a", "b"), edge([1, 2, 3], "a", "c"))).toBe(false);
  const face = (name: string) => ({
    face: { name, body: "20:p", beside: [], normal: null, point: [0, 0, 0] },
  });
  expect(samePiece(face("end/20"), face("end/20"))).toBe(true);
  expect(samePiece(face("end/20"), face("start/20"))).toBe(false);
  expect(samePiece(face("end/20"), edge([0, 0, 0], "a"))).toBe(false);
});
