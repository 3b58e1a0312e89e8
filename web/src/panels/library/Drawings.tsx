/** Suppliers' drawings on their way into the library: what each became, and which want a look, and why. */

import { useState } from "react";

import { api, type CleanedDrawing, type Computation, type Section, upload } from "../../api/client";
import { finished } from "../../api/wait";
import { sentenceOf } from "../../state/draft";
import { Button } from "../../ui/Button";
import { pathOf, viewOf } from "./sections";

export interface Row {
  name: string;
  state: "waiting" | "reading" | "kept" | "look" | "refused";
  computation: string;
  found: CleanedDrawing | null;
  number: string;
  problem: string;
}

const STATES: Record<Row["state"], string> = {
  waiting: "waits",
  reading: "is cleaned",
  kept: "in the library",
  look: "wants a look",
  refused: "became none",
};

/** Drawings go one after another; one that fails never stops the rest. What is certain is kept at once. */
export function useDrawings(changed: () => void) {
  const [rows, setRows] = useState<Row[]>([]);
  const put = (n: number, change: Partial<Row>) => {
    setRows((now) => now.map((r, k) => (k === n ? { ...r, ...change } : r)));
  };

  const bringIn = (files: File[], family: string) =>
    each(
      files.map((f) => f.name),
      (n) => upload<Computation>("/library/drawings", files[n]!, { family }, () => undefined),
    );

  /** Sections of a supplier, by their numbers. */
  const takeIn = (numbers: string[]) => each(numbers, (n) => api.takeFromSupplier(numbers[n]!));

  async function each(names: string[], ask: (n: number) => Promise<Computation>) {
    setRows(names.map((name) => ({ name, state: "waiting", computation: "", found: null, number: "", problem: "" })));
    for (const n of names.keys()) {
      put(n, { state: "reading" });
      try {
        const first = await ask(n);
        const done = await finished(first, () => undefined, new AbortController().signal);
        if (done.state !== "done") {
          put(n, { state: "refused", problem: done.message });
          continue;
        }
        const found = await api.cleanedFound(done.id);
        put(n, { computation: done.id, found, number: found.facts.number });
        if (found.remarks.length) put(n, { state: "look" });
        else await keep(n, done.id);
      } catch (error) {
        put(n, { state: "refused", problem: sentenceOf(error) });
      }
    }
  }

  async function keep(n: number, computation: string) {
    try {
      const { sections } = await api.keepSections(computation);
      put(n, { state: "kept", number: sections[0]?.number ?? "" });
      changed();
    } catch (error) {
      put(n, { problem: sentenceOf(error) });
    }
  }

  return {
    rows,
    bringIn,
    takeIn,
    keep,
    clear: () => {
      setRows([]);
    },
  };
}

export function Drawings({
  rows,
  keep,
  clear,
}: {
  rows: Row[];
  keep(n: number, computation: string): void;
  clear(): void;
}) {
  const count = (state: Row["state"]) => rows.filter((r) => r.state === state).length,
    under = count("waiting") + count("reading");
  return (
    <section className="mb-4 rounded-xl border border-rule bg-raised p-4" aria-label="Drawings brought in">
      <div className="mb-2 flex items-center gap-3">
        <h2 className="cap">Drawings brought in</h2>
        <span className="num flex-1 text-[13px] text-faint" role="status">
          {count("kept")} in the library, {count("look")} want a look, {count("refused")} became none
          {under ? `, ${under} to go` : ""}
        </span>
        <Button onClick={clear} disabled={under > 0}>
          Close the list
        </Button>
      </div>
      <ul className="max-h-[320px] overflow-y-auto">
        {rows.map((r, n) => (
          <li key={n} className="dash-b flex items-center gap-3 py-1.5 text-[13.5px]">
            <span className="h-9 w-14 shrink-0">{r.found ? <Small found={r.found} /> : null}</span>
            <span className="w-[190px] truncate" title={r.name} translate="no">
              {r.name}
            </span>
            <span className="w-[110px] truncate font-semibold">{r.number}</span>
            <span
              className={`w-[110px] ${r.state === "look" ? "text-ochre" : r.state === "refused" ? "text-madder" : "text-faint"}`}
            >
              {STATES[r.state]}
            </span>
            <span className="min-w-0 flex-1">{r.problem || r.found?.remarks.join(" ")}</span>
            {r.state === "look" ? (
              <Button
                onClick={() => {
                  keep(n, r.computation);
                }}
              >
                Keep it so
              </Button>
            ) : null}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Small({ found }: { found: CleanedDrawing }) {
  const s = found as unknown as Section,
    view = viewOf([s]);
  return (
    <svg className="h-full w-full" viewBox={view.join(" ")} aria-hidden>
      <path d={pathOf(s)} fill="var(--hatch)" fillRule="evenodd" stroke="var(--ink)" strokeWidth={view[2] / 60} />
    </svg>
  );
}
