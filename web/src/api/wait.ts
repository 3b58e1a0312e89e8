/** Wait for a computation: news tell of its end. Only while no news come in is it asked for. */

import { api, type Computation, Refused } from "./client";
import { hasEnded, isFlowing, listen } from "./news";

const ASK_FIRST = 60,
  ASK_EVERY = 700,
  ASK_ALL_THE_SAME = 15_000,
  MOST_ASKED = 20,
  LONGEST_PAUSE = 8_000;

export async function finished(
  first: Computation,
  progress: (text: string) => void,
  given: AbortSignal,
  drawn?: () => void,
): Promise<Computation> {
  let state = first,
    pause = ASK_FIRST;
  while (state.state === "queued" || state.state === "running") {
    if (!hasEnded(first.id)) await news(first.id, isFlowing() ? ASK_ALL_THE_SAME : pause, progress, given, drawn);
    if (given.aborted) throw new DOMException("superseded", "AbortError");
    pause = Math.min(2 * pause, ASK_EVERY);
    const before = state;
    state = await asked(first.id, given);
    if (state.state === before.state && hasEnded(first.id))
      await new Promise((resolve) => setTimeout(resolve, ASK_EVERY));
  }
  return state;
}

/** How a computation stands; a server that is away for a moment is asked again, each time after twice as long. */
async function asked(id: string, given: AbortSignal): Promise<Computation> {
  for (let pause = ASK_FIRST, left = MOST_ASKED; ; pause = Math.min(2 * pause, LONGEST_PAUSE), left--) {
    try {
      return await api.computation(id);
    } catch (error) {
      const passing = error instanceof Refused && (error.status === 0 || error.status >= 500 || error.status === 429);
      if (!passing || left <= 1 || given.aborted) throw error;
      await new Promise((resolve) => setTimeout(resolve, pause));
    }
  }
}

/** Resolves when a computation has ended or may have, after so many milliseconds at the latest. */
function news(
  id: string,
  atLast: number,
  progress: (text: string) => void,
  given: AbortSignal,
  drawn?: () => void,
): Promise<void> {
  return new Promise((resolve) => {
    const stop = listen((n) => {
      if (n.what === "again") done();
      if (n.computation !== id) return;
      if (n.what === "progress") progress(n.text ?? "");
      else if (n.what === "drawn") drawn?.();
      else done();
    });
    const timer = setTimeout(done, atLast);
    given.addEventListener("abort", done);
    if (given.aborted) done();
    function done() {
      stop();
      clearTimeout(timer);
      given.removeEventListener("abort", done);
      resolve();
    }
  });
}
