/** Wait for a computation: news tell of its end. Only while no news come in is it asked for. */

import { api, type Computation } from "./client";
import { hasEnded, isFlowing, listen } from "./news";

const ASK_EVERY = 700,
  ASK_ALL_THE_SAME = 15_000;

export async function finished(
  first: Computation,
  progress: (text: string) => void,
  given: AbortSignal,
  drawn?: () => void,
): Promise<Computation> {
  let state = first;
  while (state.state === "queued" || state.state === "running") {
    if (!hasEnded(first.id)) await news(first.id, progress, given, drawn);
    if (given.aborted) throw new DOMException("superseded", "AbortError");
    const before = state;
    state = await api.computation(first.id);
    if (state.state === before.state && hasEnded(first.id))
      await new Promise((resolve) => setTimeout(resolve, ASK_EVERY));
  }
  return state;
}

/** Resolves when a computation has ended, or may have. */
function news(id: string, progress: (text: string) => void, given: AbortSignal, drawn?: () => void): Promise<void> {
  return new Promise((resolve) => {
    const stop = listen((n) => {
      if (n.what === "again") done();
      if (n.computation !== id) return;
      if (n.what === "progress") progress(n.text ?? "");
      else if (n.what === "drawn") drawn?.();
      else done();
    });
    const timer = setTimeout(done, isFlowing() ? ASK_ALL_THE_SAME : ASK_EVERY);
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
