import { existsSync } from "node:fs";
import { expect, test } from "vitest";

import { JOBS } from "./jobs";

test("every job has its picture, its steps, and a key of its own", () => {
  expect(new Set(JOBS.map((j) => j.key)).size).toBe(JOBS.length);
  for (const job of JOBS) {
    expect(existsSync(new URL(`../../../docs/screenshots/${job.picture}.png`, import.meta.url)), job.picture).toBe(
      true,
    );
    expect(job.steps.length).toBeGreaterThan(2);
  }
});
