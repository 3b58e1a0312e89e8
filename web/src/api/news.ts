/**
 * News from the server: one event stream for all tabs of the browser, handed to those who listen in each.
 *
 * A browser opens six connections to a server and no more; a stream in each of six tabs would be all of them. So one
 * tab at a time holds the stream, by a lock that passes on when it is closed, and tells the others. Where there are no
 * locks (an address that is not secure), each has its own.
 */

import { keepAsWritten } from "../words/language";

export interface News {
  what: "computation" | "progress" | "shelf" | "drawn" | "again" | "part" | "present";
  computation?: string;
  part?: number;
  /** Of a part that was changed: its revision, who changed it, and the sentence. */
  revision?: number;
  who?: string;
  change?: string;
  /** Of a part that is looked at: the names of all who do. */
  people?: string[];
  state?: string;
  text?: string;
}

type Listener = (news: News) => void;
type Told = { news: News } | { flowing: boolean } | { hello: true };

const LOCK = "tectogon news",
  SILENCE_MS = 40_000,
  MOST_ENDED = 300;
const listeners = new Set<Listener>();
/** Computations whose end was told, so that who asks a moment later need not wait for news that have passed. */
const ended = new Set<string>();
let channel: BroadcastChannel | null = null;
let stop: (() => void) | null = null;
let holding = false,
  flowing = false,
  heard = 0;

export function listen(listener: Listener): () => void {
  listeners.add(listener);
  stop ??= start();
  return () => listeners.delete(listener);
}

/** Whether news come in: who waits need not ask beside. */
export function isFlowing(): boolean {
  return flowing && (holding || Date.now() - heard < SILENCE_MS);
}

export function hasEnded(computation: string): boolean {
  return ended.has(computation);
}

export function hangUp(): void {
  stop?.();
  stop = null;
  flowing = false;
}

function hand(news: News): void {
  if (news.what === "computation" && news.computation) {
    ended.add(news.computation);
    if (ended.size > MOST_ENDED) ended.delete(ended.values().next().value!);
  }
  for (const listener of [...listeners]) listener(news);
}

function tell(told: Told): void {
  channel?.postMessage(told);
}

function flow(now: boolean): void {
  flowing = now;
  tell({ flowing: now });
}

function start(): () => void {
  const over = new AbortController();
  const beat = setInterval(() => {
    if (holding) tell({ flowing });
  }, SILENCE_MS / 4);
  channel = new BroadcastChannel(LOCK);
  channel.onmessage = (e: MessageEvent<Told>) => {
    heard = Date.now();
    if ("news" in e.data) hand(e.data.news);
    else if ("flowing" in e.data) {
      if (!holding) flowing = e.data.flowing;
    } else if (holding) tell({ flowing });
  };
  tell({ hello: true });
  void keep(over.signal);
  return () => {
    over.abort();
    clearInterval(beat);
    channel?.close();
    channel = null;
  };
}

/** Hold the stream whenever it is this tab's turn. */
async function keep(over: AbortSignal): Promise<void> {
  while (!over.aborted) {
    try {
      if ("locks" in navigator) await navigator.locks.request(LOCK, { signal: over }, () => stream(over));
      else await stream(over);
    } catch {
      return; // hung up while waiting for the turn
    }
    // the server refused: signed out, perhaps
    if (!over.aborted) await new Promise((resolve) => setTimeout(resolve, 3000));
  }
}

/** The stream, until it is closed for good. A short break mends itself. */
function stream(over: AbortSignal): Promise<void> {
  return new Promise((resolve) => {
    const source = new EventSource("/api/events");
    holding = true;
    const close = () => {
      source.close();
      holding = false;
      flow(false);
      resolve();
    };
    source.onopen = () => {
      flow(true);
      hand({ what: "again" });
      tell({ news: { what: "again" } });
    };
    source.onmessage = (e) => {
      const news = JSON.parse(e.data as string) as News;
      keepAsWritten([news.who, ...(news.people ?? [])]);
      hand(news);
      tell({ news });
    };
    source.onerror = () => {
      flow(false);
      if (source.readyState === EventSource.CLOSED) close();
    };
    over.addEventListener("abort", close, { once: true });
  });
}
