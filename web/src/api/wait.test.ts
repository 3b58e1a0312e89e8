import { beforeEach, expect, test, vi } from "vitest";

import { api, type Computation, Refused } from "./client";
import type { News } from "./news";
import { finished } from "./wait";

const told = vi.hoisted(() => ({
  listeners: new Set<(news: News) => void>(),
  flowing: false,
  ended: new Set<string>(),
}));
vi.mock("./news", () => ({
  listen: (listener: (news: News) => void) => {
    told.listeners.add(listener);
    return () => told.listeners.delete(listener);
  },
  isFlowing: () => told.flowing,
  hasEnded: (id: string) => told.ended.has(id),
}));

const computation = (state: string) => ({ id: "c", state, message: "" }) as Computation;
const away = (status: number) => new Refused(status, "away", "The server does not answer.");
const tell = (news: Partial<News>) => {
  for (const listener of [...told.listeners]) listener(news as News);
};
const wait = (over = new AbortController().signal) =>
  finished(computation("running"), () => undefined, over).then(
    (done) => done.state,
    (fault: unknown) => fault,
  );

beforeEach(() => {
  vi.restoreAllMocks();
  vi.useFakeTimers();
  told.listeners.clear();
  told.ended.clear();
  told.flowing = true;
});

test("a server that is away for a moment is asked again, and the result is not lost", async () => {
  const answers = [away(502), away(0), away(429), computation("done")];
  const asked = vi.spyOn(api, "computation").mockImplementation(() => {
    const next = answers.shift()!;
    return next instanceof Refused ? Promise.reject(next) : Promise.resolve(next);
  });
  const state = wait();
  tell({ what: "computation", computation: "c" });
  await vi.advanceTimersByTimeAsync(5000);
  expect(await state).toBe("done");
  expect(asked).toHaveBeenCalledTimes(4);
});

test("what a server refuses for good ends the wait with its sentence", async () => {
  vi.spyOn(api, "computation").mockRejectedValue(away(404));
  const state = wait();
  tell({ what: "computation", computation: "c" });
  await vi.advanceTimersByTimeAsync(100);
  expect(await state).toBeInstanceOf(Refused);
});

test("a page whose news come again asks, for what ended meanwhile was not told", async () => {
  vi.spyOn(api, "computation").mockResolvedValue(computation("done"));
  const state = wait();
  tell({ what: "again" });
  await vi.advanceTimersByTimeAsync(10);
  expect(await state).toBe("done");
});

test("without news it is asked for, more and more seldom; news of others wake nobody", async () => {
  told.flowing = false;
  const asked = vi.spyOn(api, "computation").mockResolvedValue(computation("running"));
  const over = new AbortController(),
    state = wait(over.signal);
  await vi.advanceTimersByTimeAsync(7000);
  expect(asked.mock.calls.length).toBeGreaterThan(8);
  expect(asked.mock.calls.length).toBeLessThan(15);
  told.flowing = true;
  await vi.advanceTimersByTimeAsync(1000);
  asked.mockClear();
  for (let n = 0; n < 50; n++) tell({ what: "computation", computation: "another" });
  await vi.advanceTimersByTimeAsync(5000);
  expect(asked).not.toHaveBeenCalled();
  over.abort();
  await vi.advanceTimersByTimeAsync(10);
  expect(await state).toBeInstanceOf(DOMException);
});
