import { expect, test } from "vitest";

import { PAGE, pagesOf } from "./shelfList";

test("only the pages in sight are asked for", () => {
  expect(pagesOf(0, 11)).toEqual([0]);
  expect(pagesOf(PAGE - 2, PAGE + 9)).toEqual([0, 1]);
  expect(pagesOf(40 * PAGE, 40 * PAGE + 11)).toEqual([40]);
  expect(pagesOf(-3, 1e6), "never all at once").toEqual([0, 1, 2, 3]);
});
