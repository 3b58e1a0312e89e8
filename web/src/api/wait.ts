/** Wait for a computation: news wake us, and a slow poll in case news get lost. */

import { api, type Computation } from "./client";
import { listen } from "./news";

export async function finished(first: Computation, progress: (text: string) => void, given: AbortSignal, drawn?: () => void): Promise<Computation> {
  let state = first;
  let patience = 60;
  while (state.state === "queued" || state.state === "running") {
    await news(first.id, progress, given, patience, drawn);
    patience = Math.min(patience * 2, 1500);
    if (given.aborted) throw new DOMException("superseded", "AbortError");
    state = await api.computation(first.id);
  }
  return state;
}

function news(id: string, progress: (text: string) => void, given: AbortSignal, patience: number, drawn?: () => void): Promise<void> {
  return new Promise((resolve) => {
    const stop = listen((n) => {
      if (n.what === "again") done();
      if (n.computation !== id) return;
      if (n.what === "progress") progress(n.text ?? "");
      else if (n.what === "drawn") drawn?.();
      else done();
    });
    const timer = setTimeout(done, patience);
    given.addEventListener("abort", done);
    function done() {
      stop();
      clearTimeout(timer);
      given.removeEventListener("abort", done);
      resolve();
    }
  });
}
