/** News from the server: one event stream for the page, handed to those who listen. */

export interface News { what: "computation" | "progress" | "picture" | "drawn" | "again"; computation?: string; part?: number; state?: string; text?: string }

type Listener = (news: News) => void;
const listeners = new Set<Listener>();
let source: EventSource | null = null;

export function listen(listener: Listener): () => void {
  listeners.add(listener);
  source ??= open();
  return () => listeners.delete(listener);
}

export function hangUp(): void {
  source?.close();
  source = null;
}

function open(): EventSource {
  const stream = new EventSource("/api/events");
  stream.onmessage = (e) => {
    const news = JSON.parse(e.data as string) as News;
    for (const listener of [...listeners]) listener(news);
  };
  return stream;
}
