/** The drawing table: the one screen that does the work. */

import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { flushSync } from "react-dom";

import { api, type Gauge, type Kind, type Person, type Stage } from "../api/client";
import type { PartScene } from "../scene/partScene";
import { toHelp } from "../help/go";
import { JOBS } from "../help/jobs";
import type { SheetScene } from "../scene/sheetScene";
import { STAGES, useTable } from "../state/table";
import { goesAhead, typeAhead } from "../state/typedAhead";
import {
  beginSheet,
  begin,
  change,
  describePart,
  drop,
  goTo,
  leaveOutPicked,
  lookAt,
  move,
  openPart,
  record,
  showNumber,
  showSheet,
  stop,
  toggleRegion,
} from "../state/work";
import { Button } from "../ui/Button";
import { Segments } from "../ui/Segments";
import { HouseMark } from "../ui/Mark";
import { DepthsPanel } from "./DepthsPanel";
import { EvidencePane } from "./EvidencePane";
import { FindingsPane } from "./FindingsPane";
import { HandOverPane } from "./HandOverPane";
import { HistoryPanel } from "./HistoryPanel";
import { type Action, Finder, KeyPage } from "./Overlays";
import { NewerIssuePanel } from "./NewerIssuePanel";
import { PartPane } from "./PartPane";
import { Written } from "./PartCard";
import { PersonMenu } from "./PersonMenu";
import { ProfilesPane, toLibrary } from "./ProfilesPane";
import { RouteCard } from "./RouteCard";
import { SheetPane } from "./SheetPane";
import { addFiles } from "./addFiles";
import { droppedFiles } from "./dropped";
import { boundByNext, pickLike } from "./sheetPicking";
import { SYNONYMS } from "./synonyms";
import { StageStrip } from "./StageStrip";
import { useCheck } from "./useCheck";
import { BlankPane } from "./BlankPane";
import { DimensionsList } from "./DimensionsList";
import { DrawingPane } from "./DrawingPane";
import { ViewsPanel } from "./ViewsPanel";
import { WritingLine } from "./WritingLine";

const HEARD_MS = 20_000;
const NONE: Kind[] = [];
const IDLE: Record<Stage, string> = {
  bring_in: "Look at what came in: is the unit right, which layers are no geometry?",
  tidy: "Everything that is wrong is listed, with its place. Mend what is certain in one press, then step through the rest with N.",
  close: "Hatched regions are closed. Press one for its figures; give a line thickness, offset, put together, repeat.",
  arrange: "“Find the views” names them, folds them up and lines them up; or fold one by hand with a box round it.",
  build: "Pick a closed region on the sheet, then choose what to do with it.",
  check:
    "How much of the drawing the part explains, view by view. Press a view to look straight on, its linework over the part.",
  hand_over: "Draw the part on a sheet, or take it away as a file.",
};

export function Table({ id, person, leave }: { id: number; person: Person; leave(): void }) {
  const { part, stage, shown, busy, split, draft } = useTable();
  const mayEdit = person.role !== "viewer" && !part?.released;
  const sheetScene = useRef<SheetScene | null>(null),
    partScene = useRef<PartScene | null>(null);
  const [overlay, setOverlay] = useState<"finder" | "keys" | null>(null);
  const [recorded, setRecorded] = useState<number | null>(null);
  const kinds = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity }).data;
  const kept = useQuery({ queryKey: ["workshop"], queryFn: api.workshop }).data?.bend_rows;
  useEffect(() => {
    if (kept) useTable.setState({ bendTable: kept as [number, number][] });
  }, [kept]);
  useEffect(() => openPart(id), [id]);
  useEffect(
    () =>
      useTable.subscribe((s) => {
        if (s.shown && !s.previewing) setRecorded(s.shown.report.figures.volume_mm3);
      }),
    [],
  );
  useEffect(() => {
    document.title = part ? `${part.name} · Tectogon` : "Tectogon";
  }, [part]);

  const flyTo = useCallback((gauge: Gauge) => {
    void showSheet(gauge.where.point ? gauge.sheet : useTable.getState().sheetName).then(() => {
      flyToGauge(gauge, sheetScene.current);
    });
  }, []);
  useCheck();
  const [history, setHistory] = useState(false);
  const [blank, setBlank] = useState(false);
  const [pane, setPane] = useState<PaneShown>("sheet");
  const bends = (kinds ?? []).filter((k) => k.serves === "makes_sheet"),
    lays = kinds?.find((k) => k.serves === "lays_blank");
  const drawing = kinds?.find((k) => k.serves === "draws_sheet"),
    measures = kinds?.find((k) => k.serves === "measures");
  const drawsSheet = (name: string) =>
    draft?.step.kind === name || (part?.card.steps ?? []).some((s) => s.kind === name && s.on);
  const here = useMemo(() => (kinds ?? []).filter((k) => k.stage === stage && k.offered), [kinds, stage]);
  const actions = useMemo(() => allActions(kinds ?? [], sheetScene, partScene, leave), [kinds, leave]);
  const open = useCallback((what: "finder" | "keys") => {
    // at once, with its field in focus: what is typed next is for it, and must not be taken for keys of the table
    flushSync(() => {
      setOverlay(what);
    });
  }, []);
  useKeys({
    here: mayEdit ? here : NONE,
    sheetScene,
    partScene,
    open,
    closed: overlay === null,
    leavingOut: kinds?.find((k) => k.serves === "leaves_out"),
  });

  return (
    <div className="flex h-full flex-col">
      <header className="flex h-11 shrink-0 items-center gap-3 border-b border-rule px-4">
        <button type="button" aria-label="Back to the shelf" title="Back to the shelf" onClick={leave}>
          <HouseMark />
        </button>
        <Name mayEdit={mayEdit} />
        <span className="truncate text-[13px] text-faint">
          {part?.number ? `${part.number} · ` : ""}
          {part && (part.released || part.issue > 1)
            ? `issue ${part.issue}${part.released ? ", released" : ""} · `
            : ""}
          {part ? (
            <button
              type="button"
              className="border-b border-rule hover:border-brick hover:text-ink"
              title="What the part was, and who changed it"
              aria-expanded={history}
              onClick={() => {
                setHistory(!history);
              }}
            >
              revision {part.revision}
            </button>
          ) : null}{" "}
          · {person.workshop}
        </span>
        <Others me={person.name} />
        <span className="flex-1" />
        <button
          type="button"
          className="rounded px-1.5 text-[14px] hover:bg-blush disabled:opacity-40"
          disabled={!part?.undo}
          title={part?.undo ? `Undo: ${part.undo}` : "Nothing to undo"}
          onClick={() => {
            void move("undo");
          }}
        >
          ↶ <span className="max-md:sr-only">undo</span>
        </button>
        <button
          type="button"
          className="rounded px-1.5 text-[14px] hover:bg-blush disabled:opacity-40"
          disabled={!part?.redo}
          title={part?.redo ? `Redo: ${part.redo}` : "Nothing to redo"}
          onClick={() => {
            void move("redo");
          }}
        >
          <span className="max-md:sr-only">redo</span> ↷
        </button>
        <button
          type="button"
          className="flex w-[150px] items-center justify-between max-md:w-auto rounded-full border border-rule bg-raised px-3 py-1 text-[13px] text-faint hover:border-faint"
          onClick={() => {
            setOverlay("finder");
          }}
        >
          <span className="max-md:sr-only">Find an action</span> <kbd>/</kbd>
        </button>
        <button
          type="button"
          aria-label="All keys"
          title="All keys"
          className="rounded-full border border-rule bg-raised px-2 py-1 text-[13px] text-faint hover:border-faint"
          onClick={() => {
            setOverlay("keys");
          }}
        >
          ?
        </button>
        <PersonMenu
          person={person}
          themed={() => {
            sheetScene.current?.redraw();
            partScene.current?.redraw();
          }}
        />
      </header>
      <StageStrip flyTo={flyTo} />
      <PaneTabs stage={stage} shown={pane} show={setPane} />
      <main
        data-pane-shown={pane}
        className="relative flex min-h-0 flex-1"
        onDragOver={(e) => {
          e.preventDefault();
        }}
        onDrop={(e) => {
          e.preventDefault();
          const face = partScene.current?.faceUnder(e.clientX, e.clientY) ?? null;
          void droppedFiles(e.dataTransfer).then((files) => addFiles(files, face ?? undefined));
        }}
      >
        <div
          className="panes grid min-h-0 min-w-0 flex-1"
          style={{ gridTemplateColumns: `${split}fr 5px ${1 - split}fr` }}
        >
          <div className="relative grid min-h-0 min-w-0">
            <SheetPane scene={sheetScene} />
            {(stage === "build" || stage === "hand_over") && bends.some((k) => drawsSheet(k.name)) ? (
              blank ? (
                <BlankPane
                  scene={partScene}
                  close={() => {
                    setBlank(false);
                  }}
                  inTheFlat={
                    mayEdit && lays
                      ? () => {
                          setBlank(false);
                          beginSheet(lays, "Blank");
                          void record();
                        }
                      : null
                  }
                />
              ) : (
                <button
                  type="button"
                  className="absolute right-3.5 bottom-11 z-20 rounded-lg border border-rule bg-raised px-3 py-1 hover:border-faint"
                  onClick={() => {
                    setBlank(true);
                  }}
                >
                  Flat blank
                </button>
              )
            ) : null}
            {stage === "hand_over" && drawing && drawsSheet(drawing.name) ? (
              <DrawingPane kind={drawing.name} mayEdit={mayEdit} />
            ) : null}
          </div>
          <Divider />
          {stage === "bring_in" ? (
            <EvidencePane scene={sheetScene} kinds={kinds ?? []} />
          ) : stage === "tidy" ? (
            <FindingsPane scene={sheetScene} kinds={kinds ?? []} />
          ) : stage === "close" ? (
            <ProfilesPane />
          ) : stage === "hand_over" ? (
            <div className="grid min-h-0 min-w-0 grid-rows-[minmax(150px,2fr)_minmax(200px,3fr)] overflow-y-auto">
              <PartPane scene={partScene} kinds={kinds ?? []} />
              <HandOverPane />
            </div>
          ) : (
            <PartPane scene={partScene} kinds={kinds ?? []} />
          )}
        </div>
        <RouteCard
          below={
            <>
              <ViewsPanel kinds={kinds ?? []} part={partScene} sheet={sheetScene} />
              <DepthsPanel kinds={kinds ?? []} />
              {measures ? <DimensionsList kind={measures.name} /> : null}
            </>
          }
        />
        <NewerIssuePanel sheet={sheetScene} />
        {history ? (
          <HistoryPanel
            mayEdit={mayEdit}
            close={() => {
              void lookAt(null);
              setHistory(false);
            }}
          />
        ) : null}
        {busy ? (
          <div
            className="absolute inset-x-0 top-0 flex items-center gap-3 border-b border-rule bg-raised/95 px-4 py-1.5 text-[13px]"
            role="status"
          >
            <span className="h-[3px] w-24 overflow-hidden rounded bg-rule">
              <span className="block h-full w-1/3 animate-[run_1.1s_linear_infinite] bg-brick" />
            </span>
            <span className="flex-1 truncate">{busy.text}</span>
            {busy.id ? (
              <Button
                onClick={() => {
                  void stop();
                }}
                className="!py-0.5"
              >
                Stop
              </Button>
            ) : null}
          </div>
        ) : null}
      </main>
      <footer className="relative shrink-0 border-t border-rule bg-raised">
        {mayEdit ? <ActionRow here={here} shown={shown !== null} /> : null}
        <div className="dash-t">
          <WritingLine
            idle={
              mayEdit
                ? IDLE[stage]
                : part?.released
                  ? "This issue is released and stays as it is; its next issue is made on the shelf."
                  : "You may look at this part and turn it; changing it is for editors."
            }
            kinds={kinds ?? []}
            recorded={recorded}
            scene={sheetScene}
          />
        </div>
      </footer>
      {overlay === "finder" ? (
        <Finder
          actions={actions}
          close={() => {
            setOverlay(null);
          }}
        />
      ) : null}
      {overlay === "keys" ? (
        <KeyPage
          close={() => {
            setOverlay(null);
          }}
        />
      ) : null}
      <span hidden data-ready={shown ? shown.report.keys.whole : ""} />
    </div>
  );
}

/** The part's name, changed by pressing it. */
function Name({ mayEdit }: { mayEdit: boolean }) {
  const { part } = useTable();
  const [writing, setWriting] = useState(false);
  if (!part || !mayEdit) return <h1 className="truncate text-[17px] font-semibold">{part?.name ?? "…"}</h1>;
  if (writing)
    return (
      <Written
        label="Name of the part"
        value={part.name}
        className="w-[300px] text-[16px] font-semibold"
        done={(name) => {
          setWriting(false);
          if (name) void describePart({ name });
        }}
      />
    );
  return (
    <h1 className="truncate text-[17px] font-semibold">
      <button
        type="button"
        title="Press to rename the part"
        className="truncate border-b border-transparent hover:border-faint"
        onClick={() => {
          setWriting(true);
        }}
      >
        <span translate="no">{part.name}</span>
      </button>
    </h1>
  );
}

/** Who else has the part open, and for a while what they recorded. */
function Others({ me }: { me: string }) {
  const { people, heard, set } = useTable();
  useEffect(() => {
    if (!heard) return;
    const timer = setTimeout(set, HEARD_MS, { heard: null });
    return () => {
      clearTimeout(timer);
    };
  }, [heard, set]);
  const others = people.filter((name) => name !== me);
  return (
    <>
      {others.length ? (
        <span
          className="max-w-[200px] min-w-0 truncate rounded-full border border-verdigris px-2 text-[12.5px] text-verdigris"
          title="They see what you record at once, and you what they do"
        >
          {others.length === 1 ? `${others[0]!} is here` : `${others.join(", ")} are here`}
        </span>
      ) : null}
      {heard ? (
        <span
          className="fixed top-12 right-4 z-40 max-w-[420px] truncate rounded-lg border border-verdigris bg-raised px-3 py-1 text-[13px] text-verdigris shadow-lg"
          role="status"
          title={heard}
        >
          {heard}
        </span>
      ) : null}
    </>
  );
}

/** Formats of which several are the layers of one circuit board. */
const BOARD_FORMATS = new Set(["Gerber", "drill"]);

function ActionRow({ here, shown }: { here: Kind[]; shown: boolean }) {
  const { draft, shown: now, part } = useTable();
  if (!here.length) return null;
  const bends = here.filter((k) => k.serves === "makes_sheet").map((k) => k.name),
    bodies = now?.report.figures.bodies ?? 0,
    there: Record<string, boolean> = {
      body: bodies > 0,
      bodies: bodies > 1,
      views: (now?.sheet.facts.views.length ?? 0) > 0,
      board: (now?.sheet.facts.sources ?? []).filter((s) => BOARD_FORMATS.has(s.format)).length > 1,
      sheet_metal: (part?.card.steps ?? []).some((s) => bends.includes(s.kind) && s.on),
    };
  return (
    <div
      className="flex max-h-[68px] min-h-9 flex-wrap items-center gap-1.5 overflow-y-auto px-3 py-0.5 whitespace-nowrap max-[1400px]:gap-x-0.5"
      role="toolbar"
      aria-label="Actions of this stage"
    >
      {here.map((kind, n) =>
        there[kind.wants] === false && draft?.step.kind !== kind.name ? null : (
          <button
            key={kind.name}
            type="button"
            title={kind.help}
            disabled={!shown}
            aria-pressed={draft?.step.kind === kind.name}
            className={`rounded-full px-3 py-0.5 max-[1400px]:px-1.5 ${draft?.step.kind === kind.name ? "bg-blush font-semibold text-brick" : "hover:bg-blush"}`}
            onClick={(e) => {
              e.currentTarget.blur();
              begin(kind);
            }}
          >
            {kind.label} {n < 9 ? <kbd className="ml-1">{n + 1}</kbd> : null}
          </button>
        ),
      )}
    </div>
  );
}

type PaneShown = "sheet" | "beside" | "card";

const BESIDE: Record<Stage, string> = {
  bring_in: "What came in",
  tidy: "Findings",
  close: "Profiles",
  arrange: "Part",
  build: "Part",
  check: "Part",
  hand_over: "Part and downloads",
};

/** In a narrow window, or one that is much enlarged, there is room for one pane at a time. */
function PaneTabs({ stage, shown, show }: { stage: Stage; shown: PaneShown; show(pane: PaneShown): void }) {
  return (
    <div className="pane-tabs hidden shrink-0 justify-center border-b border-rule bg-raised py-1">
      <Segments
        label="Pane"
        lead=""
        title="Which pane is shown: there is room for one at a time"
        value={shown}
        options={[
          ["sheet", "Sheet"],
          ["beside", BESIDE[stage]],
          ["card", "Route card"],
        ]}
        choose={show}
      />
    </div>
  );
}

function Divider() {
  const { set, split } = useTable();
  const drag = (e: React.PointerEvent<HTMLDivElement>) => {
    if (!e.currentTarget.hasPointerCapture(e.pointerId)) return;
    const box = e.currentTarget.parentElement!.getBoundingClientRect();
    set({ split: Math.min(0.92, Math.max(0.08, (e.clientX - box.left) / box.width)) });
  };
  return (
    <div
      role="separator"
      aria-orientation="vertical"
      aria-label="Divider"
      aria-valuenow={Math.round(split * 100)}
      tabIndex={0}
      className="cursor-col-resize border-x border-rule bg-raised hover:bg-blush"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
      }}
      onPointerMove={drag}
      onDoubleClick={() => {
        set({ split: 0.5 });
      }}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -0.05, ArrowRight: 0.05 }[e.key];
        if (by) {
          e.stopPropagation();
          set({ split: Math.min(0.92, Math.max(0.08, split + by)) });
        }
      }}
    />
  );
}

function flyToGauge(gauge: Gauge, scene: SheetScene | null): void {
  const sheet = useTable.getState().shown?.sheet;
  if (!scene || !sheet) return;
  const [ox, oy] = sheet.facts.origin;
  const point = gauge.where.point;
  if (point) {
    const reach = Math.max((sheet.facts.extents[2] - sheet.facts.extents[0]) * 0.04, 1);
    scene.flyTo([point[0]! - ox - reach, point[1]! - oy - reach, point[0]! - ox + reach, point[1]! - oy + reach]);
  }
}

type Scenes = { sheetScene: React.RefObject<SheetScene | null>; partScene: React.RefObject<PartScene | null> };

function pickAllMaterial(): void {
  const { draft, shown, set } = useTable.getState();
  if (!shown) return;
  if (draft && "profiles" in (draft.step.params ?? {})) void change("profiles", { rule: "material", picks: [] });
  else
    set({
      picks: { regions: shown.sheet.facts.regions.filter((r) => r.level % 2 === 0).map((r) => r.id), curves: [] },
    });
}

function stepRegion(by: number): void {
  const { shown, hover, set } = useTable.getState();
  const count = shown?.sheet.closed.length ?? 0;
  if (count)
    set({
      hover: {
        curves: [],
        piece: null,
        region: hover.region < 0 ? (by > 0 ? 0 : count - 1) : (hover.region + by + count) % count,
      },
    });
}

function goStage(by: number): void {
  const { stage } = useTable.getState();
  const next = STAGES[STAGES.findIndex((s) => s.key === stage) + by];
  if (next) goTo(next.key);
}

function allActions(
  kinds: Kind[],
  sheetScene: Scenes["sheetScene"],
  partScene: Scenes["partScene"],
  leave: () => void,
): Action[] {
  const { set } = useTable.getState();
  const inStage = (k: Kind) => kinds.filter((o) => o.stage === k.stage && o.offered).indexOf(k) + 1;
  return [
    ...kinds
      .filter((k) => k.offered)
      .map((k) => ({
        label: k.label,
        help: k.help,
        also: SYNONYMS[k.name] ?? "",
        keys: String(inStage(k)),
        act: () => {
          set({ stage: k.stage as Stage });
          begin(k);
        },
      })),
    {
      label: "Pick everything like this",
      help: "The same kind, layer, line type, colour and radius as what is picked",
      keys: "E",
      act: pickLike,
    },
    {
      label: "Pick by a hand-drawn line",
      help: "Or by a box again",
      keys: "L",
      act: () => {
        set({ pickBy: useTable.getState().pickBy === "box" ? "lasso" : "box" });
      },
    },
    {
      label: "Keep a profile in the library",
      help: "As a section, of which bars are made",
      keys: "",
      act: toLibrary,
    },
    {
      label: "Bound profiles by dashed or centre lines too",
      help: "Or by solid lines alone again",
      keys: "B",
      act: boundByNext,
    },
    {
      label: "Pick all material",
      help: "Every outer profile with its holes, islands too",
      keys: "A",
      act: pickAllMaterial,
    },
    {
      label: "Undo",
      help: "Back to the card before",
      keys: "Ctrl Z",
      act: () => {
        void move("undo");
      },
    },
    {
      label: "Redo",
      help: "Forward again",
      keys: "Ctrl Shift Z",
      act: () => {
        void move("redo");
      },
    },
    {
      label: "Fit",
      help: "Sheet and part fill their panes",
      keys: "F",
      act: () => {
        sheetScene.current?.fit();
        partScene.current?.fit();
      },
    },
    ...(["front", "top", "right", "left", "rear", "bottom"] as const).map((d) => ({
      label: `Look from the ${d}`,
      help: "Straight on, parallel",
      keys: "",
      act: () => {
        partScene.current?.look(d);
      },
    })),
    ...STAGES.map((s) => ({
      label: `Go to ${s.label}`,
      help: "Stage",
      keys: "",
      act: () => {
        goTo(s.key);
      },
    })),
    { label: "Back to the shelf", help: "All parts of the workshop", keys: "", act: leave },
    ...JOBS.map((j) => ({
      label: `Help: ${j.title}`,
      help: j.steps.join(" "),
      keys: "",
      act: () => {
        toHelp(j.key);
      },
    })),
  ];
}

function useKeys({
  here,
  sheetScene,
  partScene,
  open,
  closed,
  leavingOut,
}: Scenes & {
  here: Kind[];
  open(what: "finder" | "keys"): void;
  closed: boolean;
  leavingOut: Kind | undefined;
}): void {
  useEffect(() => {
    const { set } = useTable.getState();
    const press = (e: KeyboardEvent) => {
      const target = e.target as HTMLElement;
      const typing =
        (target.matches("input, textarea, select") && !isBeforeTyping(target, e.key)) ||
        target.closest("[role=menu]") !== null;
      if (!closed || e.defaultPrevented) return;
      if (e.key === "Escape") {
        if (!sheetScene.current?.back()) drop();
      } else if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z") void move(e.shiftKey ? "redo" : "undo");
      else if (e.ctrlKey && e.key.toLowerCase() === "y") {
        e.preventDefault();
        void move("redo");
      } else if (typing || e.ctrlKey || e.metaKey || e.altKey) return;
      else if (e.key === "Enter" && useTable.getState().draft && !target.closest("button, a")) void record();
      else if (useTable.getState().draft?.tokens.length === 0 && goesAhead(e.key)) typeAhead(e.key);
      else if (e.key === "/") open("finder");
      else if (e.key === "?") open("keys");
      else if (useTable.getState().draft && /^[0-9.,-]$/.test(e.key) && toWritingLine())
        return; // digits belong to what is written
      else if (useTable.getState().draft && goesAhead(e.key) && showNumber()) typeAhead(e.key);
      else if (/^[1-9]$/.test(e.key) && here[Number(e.key) - 1]) {
        if (target.closest("button")) target.blur(); // so that Enter records, and does not press that button again
        begin(here[Number(e.key) - 1]!);
      } else if (e.key === "]" || e.key === "[") stepRegion(e.key === "]" ? 1 : -1);
      else if (e.key === " " && !target.matches("button") && pickPointed()) {
        /* taken */
      } else if (e.key === "Delete" && leavingOut) void leaveOutPicked(leavingOut);
      else if (e.key === "a") pickAllMaterial();
      else if (e.key === "l") set({ pickBy: useTable.getState().pickBy === "box" ? "lasso" : "box" });
      else if (e.key === "b") boundByNext();
      else if (e.key === "e") pickLike();
      else if (e.key === "d" && useTable.getState().stage === "hand_over")
        document.querySelector<HTMLElement>("[data-downloads] button:not(:disabled)")?.focus();
      else if (e.key === "f") {
        sheetScene.current?.fit();
        partScene.current?.fit();
      } else if (e.shiftKey && (e.key === "ArrowLeft" || e.key === "ArrowRight"))
        goStage(e.key === "ArrowRight" ? 1 : -1);
      else if (!paneKey(e.key, target.dataset["pane"], sheetScene.current, partScene.current)) return;
      e.preventDefault();
    };
    window.addEventListener("keydown", press);
    return () => {
      window.removeEventListener("keydown", press);
    };
  }, [here, sheetScene, partScene, open, closed, leavingOut]);
}

/** Whether a letter that begins no length comes to a value that is marked as a whole: it is meant as a key. */
function isBeforeTyping(target: HTMLElement, key: string): boolean {
  return (
    key === "a" &&
    target instanceof HTMLInputElement &&
    target.dataset["typed"] !== undefined &&
    target.selectionStart === 0 &&
    target.selectionEnd === target.value.length
  );
}

/**
 * Put the typing into the value that was touched last, or the first; the key that is pressed just now goes there too.
 */
function toWritingLine(): boolean {
  const fields = [...document.querySelectorAll<HTMLInputElement>("form[aria-label='Writing line'] input[data-typed]")];
  const field = fields.find((f) => f.dataset["typed"] === "last") ?? fields[0];
  field?.focus();
  field?.select();
  return field !== undefined;
}

function pickPointed(): boolean {
  const { shown, hover } = useTable.getState();
  const region = shown?.sheet.closed[hover.region];
  if (region) toggleRegion(region.id, true);
  return region !== undefined;
}

function paneKey(key: string, pane: string | undefined, sheet: SheetScene | null, part: PartScene | null): boolean {
  const ways: Record<string, [number, number]> = {
    ArrowLeft: [1, 0],
    ArrowRight: [-1, 0],
    ArrowUp: [0, 1],
    ArrowDown: [0, -1],
  };
  const way = ways[key],
    zoom = { "+": 1.25, "=": 1.25, "-": 0.8 }[key];
  if (pane === "sheet" && way) sheet?.pan(way[0] * 40, way[1] * 40);
  else if (pane === "part" && way) part?.orbit(-way[0] * 0.12, -way[1] * 0.12);
  else if (pane === "sheet" && zoom) sheet?.zoom(zoom);
  else if (pane === "part" && zoom) part?.zoom(zoom);
  else return false;
  return true;
}
