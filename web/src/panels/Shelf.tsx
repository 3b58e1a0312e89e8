/** The shelf: the workshop's parts, each with a picture of the real part, its size and where it stands. */

import { keepPreviousData, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useDeferredValue, useEffect, useRef, useState } from "react";

import { api, type PartOnShelf, type PartOpen, type Person, type ShelfPage, upload } from "../api/client";
import { listen } from "../api/news";
import { sentenceOf } from "../state/draft";
import { Button } from "../ui/Button";
import { ChoiceField } from "../ui/ChoiceField";
import { HouseMark } from "../ui/Mark";
import { type Arrival, Arrivals } from "./Arrivals";
import { commonName, grouped } from "./boards";
import { droppedFiles } from "./dropped";
import { Cards, type CardsControl } from "./Cards";
import { HandOverMany } from "./HandOverMany";
import { KeyPage } from "./Overlays";
import { PartCard } from "./PartCard";
import { PersonMenu } from "./PersonMenu";
import { unzipped } from "./unzipped";
import { type Order, ORDERS, PAGE, pagesOf, type Wanted } from "./shelfList";

export function Shelf({ person, open, toLibrary }: { person: Person; open(id: number): void; toLibrary(): void }) {
  const queries = useQueryClient();
  const [over, setOver] = useState(false),
    [sending, setSending] = useState<{ name: string; share: number } | null>(null),
    [problem, setProblem] = useState<string | null>(null);
  const [arrivals, setArrivals] = useState<Arrival[]>([]);
  const chooser = useRef<HTMLInputElement>(null);
  const mayEdit = person.role !== "viewer";
  const [wanted, want] = useState<Wanted>(LIKE_BEFORE);
  const [help, setHelp] = useState(false),
    [picked, setPicked] = useState<Map<number, PartOnShelf>>(new Map());
  const search = useRef<HTMLInputElement>(null),
    pane = useRef<HTMLElement>(null),
    cards = useRef<CardsControl | null>(null);
  const { page, at, seen, error } = useShelfPages(useDeferredValue(wanted));
  const arrived = arrivals.flatMap((a) => (a.part === null ? [] : [a.part]));
  const brought = useQuery({
    queryKey: ["shelf", "arrived", arrived],
    queryFn: () => api.partsNumbered(arrived),
    enabled: arrived.length > 0,
    placeholderData: keepPreviousData,
  }).data;
  const handed = [...picked.values()];
  useEffect(() => {
    LIKE_BEFORE = wanted;
  }, [wanted]);
  useShelfKeys({
    search,
    cards,
    bringIn: () => chooser.current?.click(),
    help: () => {
      setHelp(true);
    },
    closed: !help,
  });
  useEffect(
    () =>
      newsOfTheShelf(() => {
        // what is under way comes first: news that come faster than answers would stop them all
        if (queries.isFetching({ queryKey: ["shelf"] })) return false;
        void queries.invalidateQueries({ queryKey: ["shelf"] });
        return true;
      }),
    [queries],
  );
  useEffect(() => {
    document.title = "Tectogon";
  }, []);

  async function bringIn(files: Iterable<File> | null) {
    setProblem(null);
    let list: File[];
    try {
      list = await unzipped([...(files ?? [])]);
    } catch (error) {
      setProblem(error instanceof Error ? error.message : sentenceOf(error));
      return;
    }
    const file = list[0];
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
    for (const group of await grouped(files)) {
      const numbers = group.map((f) => files.indexOf(f)),
        all = (change: Partial<Arrival>) => {
          for (const n of numbers) put(n, change);
        },
        [file, ...more] = group as [File, ...File[]];
      all({ state: "sending" });
      try {
        const name = nameFrom(more.length ? commonName(group.map((f) => f.name)) : file.name);
        const sending = (share: number) => {
          all({ share });
        };
        const part = await upload<PartOpen>("/parts", file, { name }, sending, more);
        all({ state: "here", part: part.id });
      } catch (error) {
        all({ state: "refused", problem: sentenceOf(error) });
      }
    }
    void queries.invalidateQueries({ queryKey: ["shelf"] });
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
        <Button className="!py-1" onClick={toLibrary}>
          Library of sections
        </Button>
        <button
          type="button"
          aria-label="All keys"
          title="All keys"
          className="rounded-full border border-rule bg-raised px-2 py-1 text-[13px] text-faint hover:border-faint"
          onClick={() => {
            setHelp(true);
          }}
        >
          ?
        </button>
        <PersonMenu person={person} themed={() => undefined} />
      </header>
      <main ref={pane} className="min-h-0 flex-1 overflow-y-auto px-6 py-5">
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
                : "or drop drawings anywhere on this page: DXF, DWG, SVG, PDF, Gerber, coordinate tables, pictures; a whole folder or a zip at once if you like."}
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
              Close
            </Button>
          </p>
        ) : null}
        {arrivals.length ? (
          <Arrivals
            arrivals={arrivals}
            parts={brought ?? []}
            open={open}
            close={() => {
              setArrivals([]);
            }}
          />
        ) : null}
        {error ? (
          <p className="mt-4 text-madder" role="alert">
            {sentenceOf(error)}
          </p>
        ) : null}
        {page && page.at_hand + page.removed ? (
          <ShelfBar page={page} wanted={wanted} want={want} searching={search} />
        ) : null}
        {handed.length ? (
          <HandOverMany
            parts={handed}
            leave={() => {
              setPicked(new Map());
            }}
          />
        ) : null}
        <Cards
          count={page?.count ?? 0}
          at={at}
          seen={seen}
          pane={pane}
          control={cards}
          card={(p) => (
            <PartCard
              part={p}
              mayEdit={mayEdit}
              picked={picked.has(p.id)}
              pick={() => {
                const next = new Map(picked);
                if (!next.delete(p.id)) next.set(p.id, p);
                setPicked(next);
              }}
              open={() => {
                open(p.id);
              }}
              narrow={(label) => {
                want({ ...wanted, labels: [...new Set([...wanted.labels, label])] });
              }}
              failed={setProblem}
            />
          )}
        />
        {page && !(page.at_hand + page.removed) ? (
          <p className="mt-10 text-center text-faint">No part is on the shelf yet. Drop a drawing to begin.</p>
        ) : page?.count === 0 ? (
          <p className="mt-10 text-center text-faint">
            {wanted.archived ? "No removed part is called that." : "No part on the shelf is called that."}
          </p>
        ) : null}
      </main>
      {help ? (
        <KeyPage
          of="shelf"
          close={() => {
            setHelp(false);
          }}
        />
      ) : null}
    </div>
  );
}

/** Search, labels and order, as they were when the shelf was left. */
let LIKE_BEFORE: Wanted = { text: "", labels: [], archived: false, order: "changed" };

/** The pages of the shelf that are in sight, and what is to be said of all of it. What was shown last stays until what
 * is wanted now has arrived. */
function useShelfPages(wanted: Wanted) {
  const [inSight, setInSight] = useState<[number, number]>([0, 0]);
  const [last, keep] = useState<{ page: ShelfPage; number: number }>();
  const pages = pagesOf(...inSight);
  const found = useQueries({
    queries: pages.map((n) => ({ queryKey: ["shelf", wanted, n], queryFn: () => api.shelf(wanted, n * PAGE, PAGE) })),
  });
  const first = found.findIndex((f) => f.data),
    now = found[first]?.data;
  if (now && now !== last?.page) keep({ page: now, number: pages[first] ?? 0 });
  const page = now ?? last?.page;
  const at = (place: number) => {
    const number = Math.floor(place / PAGE);
    const of = now ? found[pages.indexOf(number)]?.data : last?.number === number ? last.page : undefined;
    return of?.parts[place % PAGE];
  };
  const seen = useCallback((from: number, to: number) => {
    setInSight(([a, b]) => (a === from && b === to ? [a, b] : [from, to]));
  }, []);
  return { page, at, seen, error: found.find((f) => f.error)?.error ?? null };
}

const AT_MOST_EVERY_MS = 1500;

/**
 * Call `changed` when the shelf shows something else than before: at once, and then no more than now and then; again
 * where it says that it could not be done yet.
 */
function newsOfTheShelf(changed: () => boolean): () => void {
  let last = 0,
    timer: ReturnType<typeof setTimeout> | undefined;
  const stop = listen((news) => {
    if (news.what !== "shelf" && news.what !== "part" && news.what !== "again") return;
    clearTimeout(timer);
    const tell = () => {
      if (changed()) last = Date.now();
      else timer = setTimeout(tell, AT_MOST_EVERY_MS / 3);
    };
    timer = setTimeout(tell, Math.max(0, last + AT_MOST_EVERY_MS - Date.now()));
  });
  return () => {
    stop();
    clearTimeout(timer);
  };
}

function ShelfBar({
  page,
  wanted,
  want,
  searching,
}: {
  page: ShelfPage;
  wanted: Wanted;
  want(next: Wanted): void;
  searching: React.RefObject<HTMLInputElement | null>;
}) {
  const { count: shown, labels, removed: away } = page;
  return (
    <div className="mt-5 flex flex-wrap items-center gap-x-3 gap-y-2" role="search">
      <input
        ref={searching}
        type="search"
        aria-label="Find parts"
        placeholder="Find by name, number, file, material  ( / )"
        className="w-[330px] rounded-lg border border-rule bg-raised px-3 py-1.5"
        value={wanted.text}
        onChange={(e) => {
          want({ ...wanted, text: e.target.value });
        }}
        onKeyDown={(e) => {
          if (e.key === "Escape") {
            want({ ...wanted, text: "" });
            e.currentTarget.blur();
          }
        }}
      />
      {labels.slice(0, 12).map(([label, count]) => (
        <button
          key={label}
          type="button"
          aria-pressed={wanted.labels.includes(label)}
          className={`rounded-full border px-2.5 py-0.5 text-[13px] ${wanted.labels.includes(label) ? "border-brick bg-blush text-brick" : "border-rule bg-raised hover:border-faint"}`}
          onClick={() => {
            want({
              ...wanted,
              labels: wanted.labels.includes(label)
                ? wanted.labels.filter((l) => l !== label)
                : [...wanted.labels, label],
            });
          }}
        >
          {label} <span className="num text-[11.5px] text-faint">{count}</span>
        </button>
      ))}
      <span className="flex-1" />
      <span className="text-[13px] text-faint">
        <span className="num">{shown}</span> {shown === 1 ? "part" : "parts"}
      </span>
      {away || wanted.archived ? (
        <button
          type="button"
          aria-pressed={wanted.archived}
          className={`rounded-lg border px-2.5 py-1 text-[13px] ${wanted.archived ? "border-brick bg-blush text-brick" : "border-rule bg-raised hover:border-faint"}`}
          onClick={() => {
            want({ ...wanted, archived: !wanted.archived, labels: [] });
          }}
        >
          Removed <span className="num text-[11.5px]">{away}</span>
        </button>
      ) : null}
      <label className="flex items-center gap-2 text-[13px] text-faint">
        in the order of
        <ChoiceField
          text={ORDERS[wanted.order]}
          value={wanted.order}
          label="Order"
          boxed
          options={Object.entries(ORDERS).map(([value, label]) => ({ value, label }))}
          onValue={(order) => {
            want({ ...wanted, order: order as Order });
          }}
        />
      </label>
    </div>
  );
}

/** Arrows go from card to card, / to the search, N to a new part, ? to the keys. */
function useShelfKeys({
  search,
  cards,
  bringIn,
  help,
  closed,
}: {
  search: React.RefObject<HTMLInputElement | null>;
  cards: React.RefObject<CardsControl | null>;
  bringIn(): void;
  help(): void;
  closed: boolean;
}): void {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const target = e.target as HTMLElement;
      if (!closed || e.defaultPrevented || e.ctrlKey || e.metaKey || e.altKey) return;
      if (target.matches("input, textarea, select") || target.closest("[role=menu], [role=dialog]")) {
        if (e.key !== "ArrowDown" || target !== search.current) return;
      }
      if (e.key === "/") search.current?.focus();
      else if (e.key === "?") help();
      else if (e.key === "n") bringIn();
      else if (!fromCard(e.key, target, cards.current)) return;
      e.preventDefault();
    };
    window.addEventListener("keydown", press);
    return () => {
      window.removeEventListener("keydown", press);
    };
  });
}

/** Move to the card beside, above or below; whether there was a way to go. */
function fromCard(key: string, from: HTMLElement, cards: CardsControl | null): boolean {
  if (!/^(Arrow|Home|End)/.test(key) || !cards?.count) return false;
  const at = Number(from.closest("[data-place]")?.getAttribute("data-place") ?? -1);
  const by = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: cards.wide, ArrowUp: -cards.wide }[key];
  const to = key === "Home" ? 0 : key === "End" ? cards.count - 1 : at < 0 ? 0 : at + (by ?? 0);
  if (to < 0 || to >= cards.count) return false;
  cards.focus(to);
  return true;
}

/** The name of a part from that of its file: as it is, without the ending. */
function nameFrom(file: string): string {
  return file.replace(/\.[^.]*$/, "").trim() || file;
}
