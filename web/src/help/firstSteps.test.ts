import { expect, test } from "vitest";

import { after, LED_THROUGH, STEPS } from "./firstSteps";

const seen = (stage: string, revision = 1, name = LED_THROUGH) => ({ part: { name, revision }, stage }) as never;

test("the first steps are taken one after another, and none by accident", () => {
  expect(after(0, seen("build", 1, "Gasket"), 1)).toBe(0);
  let step = after(0, seen("bring_in"), 1);
  expect(after(step, seen("build"), 1)).toBe(1); // Arrange comes first
  step = after(step, seen("arrange"), 1);
  step = after(step, seen("build"), 1);
  expect(after(step, seen("build"), 1)).toBe(3); // nothing was changed yet
  step = after(step, seen("build", 2), 1);
  step = after(step, seen("hand_over", 2), 1);
  expect(step).toBe(STEPS.length);
  expect(after(step, seen("hand_over", 2), 1)).toBe(step);
});
