/** The shelf: the workshop's parts, each with a picture of the real part, its size and where it stands. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { api, type Gauge, type PartOnShelf, type PartOpen, type Person, upload } from "../api/client";
import { listen } from "../api/news";
import { show } from "../scene/sheetData";
import { sentenceOf } from "../state/draft";
import { Button } from "../ui/Button";
import { HouseMark, StateMark } from "../ui/Mark";
import { type Arrival, Arrivals } from "./Arrivals";
import { droppedFiles } from "./dropped";
import { PersonMenu } from "./PersonMenu";

export function Shelf({ person, open }: { person: Person; open(id: number): void }) {
  const queries = useQueryClient();
  const parts = useQuery({ queryKey: ["parts"], queryFn: api.parts });
  const [over, setOver] = useState(false),
    [sending, setSending] = useState<{ name: string; share: number } | null>(null),
    [problem, setProblem] = useState<string | null>(null);
  const [arrivals, setArrivals] = useState<Arrival[]>([]);
  const chooser = useRef<HTMLInputElement>(null);
  const mayEdit = person.role !== "viewer";
  useEffect(
    () =>
      listen((n) => {
        if (n.what !== "progress") void queries.invalidateQueries({ queryKey: ["parts"] });
      }),
    [queries],
  );
  useEffect(() => {
    document.title = "Tectogon";
  }, []);

  async function bringIn(files: Iterable<File> | null) {
    const list = [...(files ?? [])],
      file = list[0];
    if (!file) return;
    if (list.length > 1) {
      await bringInMany(list);
      return;
    }
    setProblem(null);
    setSending({ name: file.name, share: 0 });
    try {
      const part = await upload<PartOpen>("/parts", file, { name: nameFrom(file.name) }, (share) => {
        setSending({ name: file.name, share });
      });
      open(part.id);
    } catch (error) {
      setProblem(sentenceOf(error));
    } finally {
      setSending(null);
    }
  }

  /** One after another; a file that is refused never stops the rest. */
  async function bringInMany(files: File[]) {
    const rows: Arrival[] = files.map((f) => ({ name: f.name, state: "waiting", share: 0, part: null, problem: "" }));
    const put = (n: number, change: Partial<Arrival>) => {
      setArrivals((now) => now.map((a, k) => (k === n ? { ...a, ...change } : a)));
    };
    setArrivals(rows);
    setProblem(null);
    for (const [n, file] of files.entries()) {
      put(n, { state: "sending" });
      try {
        const part = await upload<PartOpen>("/parts", file, { name: nameFrom(file.name) }, (share) => {
          put(n, { share });
        });
        put(n, { state: "here", part: part.id });
      } catch (error) {
        put(n, { state: "refused", problem: sentenceOf(error) });
      }
    }
    void queries.invalidateQueries({ queryKey: ["parts"] });
  }

  return (
    <div
      className="flex h-full flex-col"
      onDragOver={(e) => {
        e.preventDefault();
        setOver(mayEdit);
      }}
      onDragLeave={(e) => {
        if (e.target === e.currentTarget) setOver(false);
      }}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        if (mayEdit) void droppedFiles(e.dataTransfer).then(bringIn);
      }}
    >
      <header className="flex h-11 shrink-0 items-center gap-3 border-b border-rule px-4">
        <HouseMark />
        <h1 className="text-[17px] font-semibold">{person.workshop}</h1>
        <span className="text-[13px] text-faint">the shelf</span>
        <span className="flex-1" />
        <PersonMenu person={person} themed={() => undefined} />
      </header>
      <main className="min-h-0 flex-1 overflow-y-auto px-6 py-5">
        {mayEdit ? (
          <div
            className={`flex items-center gap-4 rounded-xl border-2 border-dashed px-5 py-4 ${over ? "border-brick bg-blush" : "border-rule"}`}
          >
            <input
              ref={chooser}
              type="file"
              multiple
              className="sr-only"
              tabIndex={-1}
              aria-label="Drawing file"
              onChange={(e) => {
                void bringIn(e.target.files);
                e.target.value = "";
              }}
            />
            <Button
              tone="main"
              onClick={() => {
                chooser.current?.click();
              }}
              disabled={sending !== null}
            >
              New part from a drawing
            </Button>
            <p className="flex-1 text-faint">
              {sending
                ? `Sending ${sending.name}: ${Math.round(sending.share * 100)} %`
                : "or drop drawings anywhere on this page: DXF, DWG, SVG, PDF, Gerber, coordinate tables, pictures; a whole folder at once if you like."}
            </p>
            {sending ? (
              <span className="h-1.5 w-56 overflow-hidden rounded bg-rule">
                <span className="block h-full bg-brick" style={{ width: `${sending.share * 100}%` }} />
              </span>
            ) : null}
          </div>
        ) : null}
        {problem ? (
          <p className="mt-3 flex items-center gap-3 text-madder" role="alert">
            <span className="flex-1">{problem}</span>
            <Button
              onClick={() => {
                setProblem(null);
              }}
            >
              Understood
            </Button>
          </p>
        ) : null}
        {arrivals.length ? (
          <Arrivals
            arrivals={arrivals}
            parts={parts.data ?? []}
            open={open}
            close={() => {
              setArrivals([]);
            }}
          />
        ) : null}
        {parts.error ? (
          <p className="mt-4 text-madder" role="alert">
            {sentenceOf(parts.error)}
          </p>
        ) : null}
        <ul className="mt-5 grid grid-cols-[repeat(auto-fill,minmax(270px,1fr))] gap-5">
          {parts.data?.map((p) => (
            <li key={p.id}>
              <PartCard
                part={p}
                open={() => {
                  open(p.id);
                }}
              />
            </li>
          ))}
        </ul>
        {parts.data?.length === 0 ? (
          <p className="mt-10 text-center text-faint">No part is on the shelf yet. Drop a drawing to begin.</p>
        ) : null}
      </main>
    </div>
  );
}

function nameFrom(file: string): string {
  const stem =
    file
      .replace(/\.[^.]*$/, "")
      .replace(/[-_]+/g, " ")
      .trim() || file;
  return stem.charAt(0).toUpperCase() + stem.slice(1);
}

function PartCard({ part, open }: { part: PartOnShelf; open(): void }) {
  const figures = part.figures as { bounds?: number[]; bodies?: number; mass_g?: number | null; material?: string };
  const gauges = part.gauges as unknown as Gauge[];
  const stands =
    gauges.find((g) => g.state === "wrong") ??
    gauges.findLast((g) => g.stage === "build" && g.state !== "none") ??
    gauges.findLast((g) => g.state !== "none" && g.stage !== "hand_over");
  const b = figures.bounds;
  return (
    <button
      type="button"
      className="block w-full overflow-hidden rounded-xl border border-rule bg-raised text-left hover:border-faint"
      onClick={open}
    >
      {part.has_picture ? (
        <img
          src={`/api/parts/${part.id}/picture?${part.changed}`}
          alt={`Picture of ${part.name}`}
          className="h-[170px] w-full bg-[#f5f2ea] object-contain"
        />
      ) : (
        <span className="grid h-[170px] place-items-center bg-paper text-faint">picture to come</span>
      )}
      <span className="dash-t block px-4 py-3">
        <span className="block truncate text-[16px] font-semibold">{part.name}</span>
        <span className="num block text-[12.5px] text-faint">
          {b && figures.bodies ? `${[0, 1, 2].map((k) => show(b[k + 3]! - b[k]!, 1)).join(" × ")} mm` : " "}
          {figures.mass_g ? `   ${show(figures.mass_g, 0)} g ${figures.material ?? ""}` : ""}
        </span>
        <span className="mt-1 flex items-center gap-2 text-[13px]">
          <StateMark state={stands?.state ?? "none"} />
          {stands ? `${stands.figure} ${stands.words}`.trim() : "being computed"}
          <span className="flex-1" />
          <span className="text-faint">
            {part.steps} {part.steps === 1 ? "step" : "steps"}
          </span>
        </span>
      </span>
    </button>
  );
}
