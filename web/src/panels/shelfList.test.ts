import { expect, test } from "vitest";

import type { PartOnShelf } from "../api/client";
import { labelsOf, onShelf, type Wanted } from "./shelfList";

const part = (id: number, name: string, more: Partial<PartOnShelf> = {}): PartOnShelf => ({
  id,
  name,
  number: "",
  labels: [],
  archived: false,
  issue: 1,
  revision: 1,
  released: false,
  files: [],
  changed: `2026-01-0${id}`,
  figures: {},
  stands: null,
  has_picture: false,
  steps: 1,
  ...more,
});
const ALL: Wanted = { text: "", labels: [], archived: false, order: "changed" };
const PARTS = [
  part(1, "Sonde cap", { number: "FM-10", labels: ["sonde"], figures: { mass_g: 20, material: "brass" } }),
  part(2, "Keel fin", { number: "FM-9", files: ["foil-ke12.dat"], figures: { mass_g: 300 } }),
  part(3, "Old plate", { archived: true }),
  part(4, "Plate 10", { labels: ["sonde", "rack"] }),
  part(5, "Plate 9", { labels: ["rack"] }),
];
const found = (wanted: Partial<Wanted>) => onShelf(PARTS, { ...ALL, ...wanted }).map((p) => p.id);

test("every word is looked for in names, numbers, files, labels and materials", () => {
  expect(found({ text: "brass cap" })).toEqual([1]);
  expect(found({ text: "KE12" })).toEqual([2]);
  expect(found({ text: "fm-9" })).toEqual([2]);
  expect(found({ text: "rack plate" })).toEqual([5, 4]);
  expect(found({ text: "plate" }), "what was put away is apart").toEqual([5, 4]);
  expect(found({ text: "plate", archived: true })).toEqual([3]);
});

test("parts stand in the order asked for, numbers in names by their value", () => {
  expect(found({})).toEqual([5, 4, 2, 1]);
  expect(found({ order: "name" })).toEqual([2, 5, 4, 1]);
  expect(found({ order: "number" }).slice(0, 2)).toEqual([2, 1]);
  expect(found({ order: "mass" }).slice(0, 2)).toEqual([2, 1]);
});

test("labels narrow the list down together, the commonest stand first", () => {
  expect(found({ labels: ["sonde"] })).toEqual([4, 1]);
  expect(found({ labels: ["sonde", "rack"] })).toEqual([4]);
  expect(labelsOf(PARTS)).toEqual([
    ["rack", 2],
    ["sonde", 2],
  ]);
});
