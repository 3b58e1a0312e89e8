/** The company's library of sections: pictures to one scale, search and families, two laid over each other; drawings
 * brought in and cleaned, libraries handed on. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";

import { api, type Person, type SectionFacts, upload } from "../../api/client";
import { take } from "../../api/take";
import { finished } from "../../api/wait";
import { sentenceOf } from "../../state/draft";
import { Button } from "../../ui/Button";
import { ChoiceField } from "../../ui/ChoiceField";
import { HouseMark } from "../../ui/Mark";
import { droppedFiles } from "../dropped";
import { PersonMenu } from "../PersonMenu";
import { Drawings, useDrawings } from "./Drawings";
import { families, listed, oneScale, type Order, ORDERS, type Wished } from "./sections";
import { ROOM, SectionCard } from "./SectionCard";
import { SectionPanel } from "./SectionPanel";
import { SupplierShelf } from "./SupplierShelf";

export function LibraryPage({ person, leave, open }: { person: Person; leave(): void; open(part: number): void }) {
  const queries = useQueryClient(),
    mayEdit = person.role !== "viewer";
  const found = useQuery({ queryKey: ["library"], queryFn: api.library });
  const [wished, setWished] = useState<Wished>({ text: "", family: null, order: "number", away: false }),
    [picked, setPicked] = useState<number[]>([]),
    [problem, setProblem] = useState<string | null>(null),
    [supplier, setSupplier] = useState(false);
  const drawings = useRef<HTMLInputElement>(null),
    library = useRef<HTMLInputElement>(null);
  const again = () => {
    void queries.invalidateQueries({ queryKey: ["library"] });
    void queries.invalidateQueries({ queryKey: ["supplier"] });
  };
  const arrivals = useDrawings(again);
  const all = found.data?.sections ?? [],
    list = listed(all, wished),
    scale = oneScale(list, ...ROOM),
    [section, other] = picked.map((id) => all.find((s) => s.id === id)),
    away = all.filter((s) => s.away).length;

  async function attempt(what: () => Promise<unknown>) {
    setProblem(null);
    try {
      await what();
      again();
    } catch (error) {
      setProblem(sentenceOf(error));
    }
  }

  async function bringIn(files: File[]) {
    const libraries = files.filter((f) => /\.zip$/i.test(f.name));
    for (const file of libraries) await attempt(() => bringLibrary(file));
    const rest = files.filter((f) => !libraries.includes(f));
    if (rest.length) await arrivals.bringIn(rest, wished.family ?? "");
  }

  async function bringLibrary(file: File) {
    const first = await upload<Parameters<typeof finished>[0]>("/library/files", file, {}, () => undefined);
    const done = await finished(first, () => undefined, new AbortController().signal);
    if (done.state !== "done") throw new Error(done.message);
    const { sections, problems } = await api.keepSections(done.id);
    setProblem(problems.length ? `${sections.length} sections came in. ${problems.join(" ")}` : null);
  }

  const change = (facts: Partial<SectionFacts>) =>
    attempt(async () => {
      if (!section) return;
      const made = await api.changeSection(section.id, facts);
      setPicked([made.id]);
    });

  return (
    <div
      className="flex h-full flex-col"
      onDragOver={(e) => {
        e.preventDefault();
      }}
      onDrop={(e) => {
        e.preventDefault();
        if (mayEdit) void droppedFiles(e.dataTransfer).then(bringIn);
      }}
    >
      <header className="flex h-11 shrink-0 items-center gap-3 border-b border-rule px-4">
        <HouseMark />
        <h1 className="text-[17px] font-semibold">{person.workshop}</h1>
        <span className="text-[13px] text-faint">the library of sections</span>
        <span className="flex-1" />
        <Button onClick={leave}>To the shelf</Button>
        <PersonMenu person={person} themed={() => undefined} />
      </header>
      <div className="flex min-h-0 flex-1">
        <main className="min-w-0 flex-1 overflow-y-auto px-6 py-5">
          {mayEdit ? (
            <div className="mb-4 flex flex-wrap items-center gap-3 rounded-xl border-2 border-dashed border-rule px-5 py-3">
              <Chooser
                input={drawings}
                label="Suppliers’ drawings"
                many
                chosen={(files) => void arrivals.bringIn(files, wished.family ?? "")}
              />
              <Chooser
                input={library}
                label="A library"
                chosen={(files) => void attempt(() => bringLibrary(files[0]!))}
              />
              <Button tone="main" onClick={() => drawings.current?.click()}>
                Bring in drawings
              </Button>
              <p className="min-w-[220px] flex-1 text-[13.5px] text-faint">
                or drop a folder of a supplier’s sections here: each is cleaned by itself, and what is not sure is
                asked.
              </p>
              <Button
                aria-expanded={supplier}
                onClick={() => {
                  setSupplier(!supplier);
                }}
              >
                A supplier’s shelf
              </Button>
              <Button onClick={() => library.current?.click()}>Bring in a library</Button>
              <Button
                disabled={!all.length}
                title="All sections, or the ones that are picked, as one file"
                onClick={() => {
                  take(`/api/library/file${picked.length > 1 ? `?ids=${picked.join(",")}` : ""}`);
                }}
              >
                Hand on
              </Button>
            </div>
          ) : null}
          {problem ? (
            <p className="mb-3 text-madder" role="alert">
              {problem}
            </p>
          ) : null}
          {supplier ? (
            <SupplierShelf
              takeIn={(numbers) => void arrivals.takeIn(numbers)}
              busy={arrivals.rows.some((r) => r.state === "waiting" || r.state === "reading")}
              close={() => {
                setSupplier(false);
              }}
            />
          ) : null}
          {arrivals.rows.length ? (
            <Drawings rows={arrivals.rows} keep={(n, c) => void arrivals.keep(n, c)} clear={arrivals.clear} />
          ) : null}
          <div className="mb-4 flex flex-wrap items-center gap-x-3 gap-y-2" role="search">
            <input
              type="search"
              aria-label="Find sections"
              placeholder="Find by number, name, family, material"
              className="w-[300px] rounded-lg border border-rule bg-raised px-3 py-1.5"
              value={wished.text}
              onChange={(e) => {
                setWished({ ...wished, text: e.target.value });
              }}
            />
            {families(all.filter((s) => s.away === wished.away)).map(([family, count]) => (
              <Chip
                key={family}
                on={wished.family === family}
                press={() => {
                  setWished({ ...wished, family: wished.family === family ? null : family });
                }}
              >
                {family} <span className="num text-[11.5px] text-faint">{count}</span>
              </Chip>
            ))}
            <span className="flex-1" />
            {away || wished.away ? (
              <Chip
                on={wished.away}
                press={() => {
                  setWished({ ...wished, away: !wished.away, family: null });
                }}
              >
                Removed <span className="num text-[11.5px]">{away}</span>
              </Chip>
            ) : null}
            <ChoiceField
              text={ORDERS[wished.order]}
              value={wished.order}
              label="Order"
              boxed
              options={Object.entries(ORDERS).map(([value, label]) => ({ value, label }))}
              onValue={(order) => {
                setWished({ ...wished, order: order as Order });
              }}
            />
          </div>
          <ul className="flex flex-wrap gap-3" aria-label="Sections">
            {list.map((s) => (
              <li key={s.id}>
                <SectionCard
                  section={s}
                  scale={scale}
                  picked={picked.includes(s.id)}
                  press={(add) => {
                    setPicked(pressed(picked, s.id, add));
                  }}
                />
              </li>
            ))}
          </ul>
          {found.data && !list.length ? (
            <p className="mt-10 text-center text-faint">
              {all.length ? "No section is called that." : "No section yet. Drop a supplier’s drawing to begin."}
            </p>
          ) : null}
          {list.length ? (
            <p className="num mt-4 text-[12.5px] text-faint">
              {list.length} {list.length === 1 ? "section" : "sections"}, all to one scale
            </p>
          ) : null}
        </main>
        {section ? (
          <SectionPanel
            key={section.id}
            section={section}
            other={other ?? null}
            mayEdit={mayEdit}
            materials={found.data?.materials ?? []}
            change={(facts) => void change(facts)}
            makeBar={(length) =>
              void attempt(async () => {
                open((await api.makeBar(section.id, length)).part);
              })
            }
            putAway={() =>
              void attempt(async () => {
                await api.putSectionAway(section.id, !section.away);
                setPicked([]);
              })
            }
          />
        ) : null}
      </div>
    </div>
  );
}

/** What is picked after a press: that one; with `add` the one before is laid under it. */
function pressed(picked: number[], id: number, add: boolean): number[] {
  if (add) return picked[0] === id ? [] : picked.length ? [picked[0]!, id] : [id];
  return picked.length === 1 && picked[0] === id ? [] : [id];
}

function Chip({ on, press, children }: { on: boolean; press(): void; children: React.ReactNode }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      className={`rounded-full border px-2.5 py-0.5 text-[13px] ${on ? "border-brick bg-blush text-brick" : "border-rule bg-raised hover:border-faint"}`}
      onClick={press}
    >
      {children}
    </button>
  );
}

function Chooser({
  input,
  label,
  many = false,
  chosen,
}: {
  input: React.RefObject<HTMLInputElement | null>;
  label: string;
  many?: boolean;
  chosen(files: File[]): void;
}) {
  return (
    <input
      ref={input}
      type="file"
      multiple={many}
      className="sr-only"
      tabIndex={-1}
      aria-label={label}
      onChange={(e) => {
        const files = [...(e.target.files ?? [])];
        e.target.value = "";
        if (files.length) chosen(files);
      }}
    />
  );
}
