import { beforeEach, expect, test, vi } from "vitest";

import { keepDraft, keptDraft } from "./keptDraft";
import type { Draft } from "./table";

const draft: Draft = {
  step: { number: 30, kind: "extrude", params: { length: 12 }, on: true, sheet: "" },
  isNew: true,
  base: null,
  touched: true,
  tokens: [],
  problem: null,
};
const room = new Map<string, string>();

beforeEach(() => {
  room.clear();
  vi.stubGlobal("localStorage", {
    getItem: (key: string) => room.get(key) ?? null,
    setItem: (key: string, text: string) => room.set(key, text),
    removeItem: (key: string) => room.delete(key),
  });
});

test("what is being written comes back, each part's own, until it is let go", () => {
  keepDraft(1, { draft, stage: "build" });
  expect([keptDraft(1), keptDraft(2)]).toEqual([{ draft, stage: "build" }, null]);
  keepDraft(1, null);
  expect(keptDraft(1)).toBeNull();
});

test("what can't be read, or can't be kept, is no draft and no fault", () => {
  room.set("draft of part 1", "{");
  room.set("draft of part 2", '{"step": 3}');
  expect([keptDraft(1), keptDraft(2)]).toEqual([null, null]);
  vi.stubGlobal("localStorage", {
    setItem: () => {
      throw new Error("full");
    },
  });
  keepDraft(1, { draft, stage: "build" });
  expect(keptDraft(1)).toBeNull();
});
