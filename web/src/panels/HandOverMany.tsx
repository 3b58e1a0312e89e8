/** Several parts of the shelf handed over as one zip: each is written by itself, then all are put together. */

import { useRef, useState } from "react";

import { api, type PartOnShelf } from "../api/client";
import { take } from "../api/take";
import { finished } from "../api/wait";
import { sentenceOf } from "../state/draft";
import { Button } from "../ui/Button";
import { CutList } from "./CutList";

export function HandOverMany({ parts, leave }: { parts: PartOnShelf[]; leave(): void }) {
  const [done, setDone] = useState<number | null>(null),
    [refused, setRefused] = useState<string[]>([]),
    [cutting, setCutting] = useState(false);
  const stop = useRef<AbortController | null>(null);

  async function write() {
    const mine = (stop.current = new AbortController()),
      written: string[] = [],
      problems: string[] = [];
    setRefused([]);
    for (const [n, part] of parts.entries()) {
      setDone(n);
      try {
        const one = await finished(await api.exportFile(part.id, { kind: "zip" }), () => undefined, mine.signal);
        if (one.state === "done") written.push(one.id);
        else problems.push(`${part.name}: ${one.message}`);
      } catch (error) {
        if (mine.signal.aborted) break;
        problems.push(`${part.name}: ${sentenceOf(error)}`);
      }
    }
    setDone(null);
    setRefused(problems);
    if (mine.signal.aborted || !written.length) return;
    take(`/api/bundles?of=${written.join()}`);
  }

  return (
    <div
      className="sticky top-0 z-10 mt-4 flex flex-wrap items-center gap-3 rounded-xl border border-brick bg-raised px-4 py-2"
      role="group"
      aria-label="Picked parts"
    >
      <span>
        <b className="num font-semibold">{parts.length}</b> {parts.length === 1 ? "part is" : "parts are"} picked
      </span>
      <span className="flex-1 text-[13px] text-faint" role="status">
        {done !== null
          ? `Writing ${done + 1} of ${parts.length}: ${parts[done]?.name ?? ""}`
          : refused.length
            ? refused.join(" ")
            : "STEP, drawing, flat profiles, report and card of each, as one zip."}
      </span>
      {done !== null ? (
        <>
          <span className="h-1.5 w-40 overflow-hidden rounded bg-rule">
            <span className="block h-full bg-brick" style={{ width: `${(done / parts.length) * 100}%` }} />
          </span>
          <Button onClick={() => stop.current?.abort()}>Stop</Button>
        </>
      ) : (
        <>
          <Button tone="good" onClick={() => void write()}>
            Hand over
          </Button>
          <Button
            onClick={() => {
              setCutting(true);
            }}
          >
            Cut list
          </Button>
          <Button tone="quiet" onClick={leave}>
            Pick none
          </Button>
        </>
      )}
      {cutting ? (
        <CutList
          parts={parts.map((p) => p.id)}
          close={() => {
            setCutting(false);
          }}
        />
      ) : null}
    </div>
  );
}
