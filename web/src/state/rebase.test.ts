import fc from "fast-check";
import { expect, test } from "vitest";

import type { Card, Step } from "../api/client";
import { edited, rebase } from "./rebase";

const step = (number: number, params: Record<string, unknown> = {}, kind = "extrude"): Step => ({
  number,
  kind,
  params,
  on: true,
  sheet: "",
});
const card = (...steps: Step[]): Card => ({ version: 2, steps, sources: { a: "1" } });
const on = (base: Card, mine: Card, now: Card) => rebase(edited({ revision: 1, card: base }, mine), now);

const READ = step(10, {}, "read"),
  LONG = step(20, { length: 10, angle: 0 });

test.each<[string, Step[], Step[], Step[], Step[] | { conflict: unknown }]>([
  [
    "a value and another value of one step",
    [LONG],
    [step(20, { length: 12, angle: 0 })],
    [step(20, { length: 10, angle: 5 })],
    [step(20, { length: 12, angle: 5 })],
  ],
  [
    "one value in two ways",
    [LONG],
    [step(20, { length: 12, angle: 0 })],
    [step(20, { length: 15, angle: 0 })],
    { conflict: { step: 20 } },
  ],
  [
    "one value alike",
    [LONG],
    [step(20, { length: 12, angle: 0 })],
    [step(20, { length: 12, angle: 0 })],
    [step(20, { length: 12, angle: 0 })],
  ],
  ["changed here, deleted there", [LONG], [step(20, { length: 12, angle: 0 })], [], { conflict: { step: 20 } }],
  ["deleted here, changed there", [LONG], [], [step(20, { length: 12, angle: 0 })], { conflict: { step: 20 } }],
  ["deleted here, another added there", [LONG], [], [LONG, step(30)], [step(30)]],
  [
    "one added by each, at the end",
    [LONG],
    [LONG, step(30, { mine: 1 })],
    [LONG, step(30)],
    [LONG, step(30), step(40, { mine: 1 })],
  ],
  [
    "one added by each, in between",
    [LONG, step(30)],
    [LONG, step(25, { mine: 1 }), step(30)],
    [LONG, step(25), step(30)],
    [LONG, step(25), step(27, { mine: 1 }), step(30)],
  ],
  [
    "several added here, one there",
    [LONG],
    [LONG, step(30, { mine: 1 }), step(40, { mine: 1 })],
    [LONG, step(30)],
    { conflict: { step: 30 } },
  ],
  [
    "switched off here, a value there",
    [LONG],
    [{ ...LONG, on: false }],
    [step(20, { length: 12, angle: 0 })],
    [{ ...step(20, { length: 12, angle: 0 }), on: false }],
  ],
  [
    "another kind there",
    [LONG],
    [step(20, { length: 12, angle: 0 })],
    [step(20, { length: 10, angle: 0 }, "cut")],
    { conflict: { step: 20 } },
  ],
])("%s", (_, base, mine, now, expected) => {
  const found = on(card(READ, ...base), card(READ, ...mine), card(READ, ...now));
  expect("card" in found ? found.card.steps : found).toEqual(Array.isArray(expected) ? [READ, ...expected] : expected);
});

test("files of both are kept; one name for two files is told", () => {
  const base = card(READ),
    mine = { ...base, sources: { a: "1", b: "2" } };
  expect(on(base, mine, { ...base, sources: { a: "1", c: "3" } })).toMatchObject({
    card: { sources: { a: "1", b: "2", c: "3" } },
  });
  expect(on(base, mine, { ...base, sources: { a: "1", b: "9" } })).toEqual({ conflict: { file: "b" } });
});

test("what is meant as a whole is never put on another card", () => {
  const base = card(READ);
  expect(
    rebase({ ...edited({ revision: 1, card: base }, card(READ, LONG)), whole: true }, card(READ, step(30))),
  ).toEqual({
    conflict: "all",
  });
});

const someStep = fc.record({ number: fc.constantFrom(10, 20, 30, 40), a: fc.nat(2), b: fc.nat(2) });
const someCard = fc
  .uniqueArray(someStep, { selector: (s) => s.number })
  .map((steps) => card(...steps.map(({ number, a, b }) => step(number, { a, b })).sort((x, y) => x.number - y.number)));

test("whatever somebody else has recorded is on the card, or the change is refused", () => {
  fc.assert(
    fc.property(someCard, someCard, someCard, (base, mine, now) => {
      const found = on(base, mine, now);
      if ("conflict" in found) return;
      const result = new Map(found.card.steps!.map((s) => [s.number, s])),
        was = new Map(base.steps!.map((s) => [s.number, s])),
        wanted = new Map(mine.steps!.map((s) => [s.number, s]));
      for (const theirs of now.steps!) {
        const before = was.get(theirs.number);
        for (const key of ["a", "b"])
          if (!before || before.params![key] !== theirs.params![key])
            expect(result.get(theirs.number)?.params?.[key]).toBe(theirs.params![key]);
      }
      for (const own of mine.steps!)
        if (!was.has(own.number)) {
          const at = found.moved?.from === own.number ? found.moved.to : own.number;
          expect(result.get(at)?.params).toEqual(own.params);
        }
      for (const number of was.keys())
        if (!wanted.has(number) && found.moved?.to !== number) expect(result.has(number)).toBe(false);
    }),
  );
});

test("on the card that it was made from a change is itself, and put on twice it is the same", () => {
  fc.assert(
    fc.property(someCard, someCard, (base, mine) => {
      expect(on(base, mine, base)).toEqual({ card: mine, moved: null });
      expect(on(base, mine, mine)).toMatchObject({ moved: null, card: { steps: mine.steps } });
    }),
  );
});
