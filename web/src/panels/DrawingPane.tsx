/**
 * The drawing sheet, drawn anew whenever the part or its sentence changes. It lies over the pane of the linework. What
 * a hand does on it goes into the step that draws it.
 */

import { useEffect, useRef, useState } from "react";

import type { AxisName, SheetDimension, SheetMark } from "../api/client";
import {
  added,
  asItComes,
  type ByHand,
  changed,
  datumAt,
  type Detail,
  dropped,
  type End,
  type Form,
  inView,
  type Section,
} from "../scene/sheetWishes";
import { useTable } from "../state/table";
import { changeMany, changeStep, drawSheet } from "../state/work";
import { SheetHandles, type Tool } from "./SheetHandles";

/** Sections, then details are called by them. */
const LETTERS = "ABCDEFGHJKLMNPRSTUVWYZ";
const MOST_TOLD = 12,
  CLOSEST = 12;
interface Look {
  zoom: number;
  x: number;
  y: number;
}
type Place3 = [number, number, number];
interface Wishes {
  datum?: End[];
  sections?: Section[];
  details?: Detail[];
  by_hand?: ByHand[];
}
const WHOLE: Look = { zoom: 1, x: 0, y: 0 };

/** What is open, those of one kind together. */
function alike(open: { text: string; at: Place3 }[]): { text: string; at: Place3[] }[] {
  const out = new Map<string, Place3[]>();
  for (const one of open) out.set(one.text, [...(out.get(one.text) ?? []), one.at]);
  return [...out].map(([text, at]) => ({ text, at }));
}

const TOOLS: { tool: Exclude<Tool, null>; text: string; told: string }[] = [
  { tool: "add", text: "add a dimension", told: "Press two places in one view, or something round. Escape ends it." },
  { tool: "section", text: "section", told: "Press the middle that the section goes through, or type where it cuts." },
  { tool: "detail", text: "detail", told: "Draw a circle over a view, from its middle outwards." },
  { tool: "datum", text: "datum corner", told: "Press the corner of a view that lengths are taken from." },
];

export function DrawingPane({ kind, mayEdit }: { kind: string; mayEdit: boolean }) {
  const { shown, drawn, draft, part, set } = useTable();
  const [look, setLook] = useState(WHOLE),
    [tool, setTool] = useState<Tool>(null),
    [chosen, setChosen] = useState<number | null>(null);
  const step = draft?.step.kind === kind ? draft.step : part?.card.steps?.findLast((s) => s.kind === kind && s.on);
  const params = (step?.params ?? {}) as unknown as Wishes,
    hands = params.by_hand ?? [],
    sections = params.sections ?? [],
    details = params.details ?? [];
  const write = (values: Partial<Wishes>, words: string) => {
    setTool(null);
    setChosen(null);
    if (!step) return;
    if (draft?.step.kind === kind) void changeMany(values as Record<string, unknown>);
    else void changeStep(step.number, values as Record<string, unknown>, words);
  };
  const cutAt = (axis: AxisName, at: string | number, through: string[]) => {
    write({ sections: [...sections, { axis, at, through }] }, `section at ${axis} ${at}`);
  };
  const pane = useRef<HTMLDivElement>(null),
    from = useRef<{ x: number; y: number } | null>(null);
  const of = shown?.computation;
  useEffect(() => {
    if (of) void drawSheet();
  }, [of]);
  useEffect(() => {
    if (!tool) return;
    const end = (e: KeyboardEvent) => {
      if (e.key !== "Escape") return;
      e.preventDefault(); // it ends the tool, wherever the focus is, and nothing else
      setTool(null);
    };
    window.addEventListener("keydown", end, { capture: true });
    return () => {
      window.removeEventListener("keydown", end, { capture: true });
    };
  }, [tool]);
  useEffect(() => {
    const box = pane.current;
    if (!box) return;
    const zoomed = (e: WheelEvent) => {
      e.preventDefault();
      const { left, top, width, height } = box.getBoundingClientRect(),
        dx = e.clientX - left - width / 2,
        dy = e.clientY - top - height / 2;
      setLook((now) => {
        const zoom = Math.min(CLOSEST, Math.max(1, now.zoom * Math.exp(-e.deltaY / 300))),
          by = zoom / now.zoom;
        return zoom === 1 ? WHOLE : { zoom, x: dx - (dx - now.x) * by, y: dy - (dy - now.y) * by };
      });
    };
    box.addEventListener("wheel", zoomed, { passive: false });
    return () => {
      box.removeEventListener("wheel", zoomed);
    };
  }, []);
  const sheet = drawn?.sheet ?? null,
    fresh = drawn?.of === of && sheet !== null;
  const one = sheet && chosen !== null ? sheet.dimensions[chosen] : undefined;
  const move = (d: SheetDimension, [along, away]: [number, number]) => {
    write({ by_hand: changed(hands, d, { along, away }) }, `moved the dimension ${d.text}`);
  };
  const dropIt = (d: SheetDimension) => {
    write({ by_hand: dropped(hands, d) }, `dropped the dimension ${d.text}`);
  };
  const turn = (d: SheetDimension, form: Form, words: string) => {
    write({ by_hand: changed(hands, d, { form }) }, `${d.text} ${words}`);
  };
  return (
    <section
      className="absolute inset-0 z-10 grid min-h-0 min-w-0 grid-rows-[auto_minmax(0,1fr)_auto] bg-paper"
      aria-label="Drawing sheet"
    >
      <div className="flex items-center gap-3 px-3.5 pt-2">
        <span className="cap">Drawing sheet</span>
        <span className="flex-1" />
        {mayEdit && sheet
          ? TOOLS.map((t) => (
              <button
                key={t.tool}
                type="button"
                aria-pressed={tool === t.tool}
                title={t.told}
                className={`border-b text-[13px] hover:border-brick ${
                  tool === t.tool ? "border-brick text-brick" : "border-rule text-ink"
                }`}
                onClick={() => {
                  setChosen(null);
                  setTool(tool === t.tool ? null : t.tool);
                }}
              >
                {t.text}
              </button>
            ))
          : null}
        {look.zoom > 1 ? (
          <button
            type="button"
            className="border-b border-rule text-[13px] text-faint hover:border-brick hover:text-ink"
            onClick={() => {
              setLook(WHOLE);
            }}
          >
            whole sheet
          </button>
        ) : null}
      </div>
      <div
        ref={pane}
        className="relative m-3 min-h-0 cursor-grab select-none overflow-hidden rounded-md border border-rule bg-white active:cursor-grabbing"
        onPointerDown={(e) => {
          from.current = { x: e.clientX - look.x, y: e.clientY - look.y };
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={(e) => {
          const start = from.current;
          if (start && look.zoom > 1) setLook({ ...look, x: e.clientX - start.x, y: e.clientY - start.y });
        }}
        onPointerUp={() => {
          from.current = null;
        }}
      >
        {sheet ? (
          <div
            className="absolute inset-0 grid place-items-center [&>svg]:h-full [&>svg]:w-full"
            style={{ transform: `translate(${look.x}px, ${look.y}px) scale(${look.zoom})` }}
            role="img"
            aria-label={`Drawing sheet ${sheet.sheet} with ${sheet.dimensions.length} dimensions`}
            dangerouslySetInnerHTML={{ __html: sheet.svg.slice(sheet.svg.indexOf("<svg")) }}
          />
        ) : null}
        {sheet && mayEdit ? (
          <div
            className="absolute inset-0"
            style={{ transform: `translate(${look.x}px, ${look.y}px) scale(${look.zoom})` }}
          >
            <SheetHandles
              sheet={sheet}
              tool={tool}
              chosen={chosen}
              choose={setChosen}
              move={move}
              dropIt={dropIt}
              add={(a: SheetMark, b: SheetMark | null) => {
                write({ by_hand: added(hands, a, b) }, "added a dimension");
              }}
              cut={(m) => {
                if (m.axis) cutAt(m.axis, Math.round(m.mm * 1e4) / 1e4, m.owners);
              }}
              enlarge={(view, centre, edge) => {
                const [a, b] = [inView(view, centre), inView(view, edge)],
                  radius = Math.max(0.1, Math.round(Math.hypot(b[0] - a[0], b[1] - a[1]) * 10) / 10);
                const at: [number, number] = [Math.round(a[0] * 100) / 100, Math.round(a[1] * 100) / 100];
                write({ details: [...details, { view: view.name, at, radius, times: 2 }] }, "added a detail");
              }}
              setDatum={(view, right, upper) => {
                const datum = datumAt(view, right, upper, params.datum ?? ["low", "low", "low"]);
                write({ datum }, "moved the datum corner");
              }}
            />
          </div>
        ) : null}
        {!fresh ? (
          <p className="absolute inset-x-0 top-2 text-center text-[13px] text-[#5a5348]" role="status">
            {drawn?.trouble ? drawn.trouble : "Drawing…"}
          </p>
        ) : null}
      </div>
      <div className="max-h-40 overflow-y-auto px-3.5 pb-2 text-[13px]" aria-live="polite">
        {tool ? (
          <p className="mb-1 flex flex-wrap items-center gap-2">
            {TOOLS.find((t) => t.tool === tool)?.told}
            {tool === "section" ? <TypedCut cut={cutAt} /> : null}
          </p>
        ) : null}
        {one ? (
          <p className="mb-1 flex flex-wrap items-center gap-x-3">
            <b className="num font-semibold">{one.text}</b>
            <span className="text-faint">drag it, or move it with the arrow keys</span>
            {one.held.axis === null ? (
              <Small
                text={one.kind === "diameter" ? "as a radius" : "as a diameter"}
                press={() => {
                  const form = one.kind === "diameter" ? "radius" : "diameter";
                  turn(one, form, `as a ${form}`);
                }}
              />
            ) : (
              <Small
                text={one.in_brackets ? "without brackets" : "in brackets"}
                press={() => {
                  turn(
                    one,
                    one.in_brackets ? "plain" : "brackets",
                    one.in_brackets ? "without brackets" : "in brackets",
                  );
                }}
              />
            )}
            <Small
              text="drop it"
              press={() => {
                dropIt(one);
              }}
            />
            {one.hand !== null ? (
              <Small
                text="back to its place"
                press={() => {
                  write({ by_hand: asItComes(hands, one) }, `${one.text} back to its place`);
                }}
              />
            ) : null}
          </p>
        ) : null}
        {mayEdit && (sections.length || details.length || hands.length) ? (
          <p className="mb-1 flex flex-wrap items-center gap-x-4">
            {sections.map((s, n) => (
              <span key={`s${n}`}>
                section {LETTERS[n]}–{LETTERS[n]} at {s.axis}{" "}
                <span className="num">{typeof s.at === "number" ? `${s.at} mm` : s.at}</span>{" "}
                <Small
                  text="drop it"
                  press={() => {
                    write({ sections: sections.filter((_, k) => k !== n) }, "dropped a section");
                  }}
                />
              </span>
            ))}
            {details.map((d, n) => (
              <span key={`d${n}`}>
                detail {LETTERS[sections.length + n]}, <span className="num">{d.times}×</span>{" "}
                {[2, 5, 10]
                  .filter((t) => t !== d.times)
                  .map((t) => (
                    <Small
                      key={t}
                      text={`${t}×`}
                      press={() => {
                        write(
                          { details: details.map((other, k) => (k === n ? { ...other, times: t } : other)) },
                          `detail ${t}×`,
                        );
                      }}
                    />
                  ))}
                <Small
                  text="drop it"
                  press={() => {
                    write({ details: details.filter((_, k) => k !== n) }, "dropped a detail");
                  }}
                />
              </span>
            ))}
            {hands.length ? (
              <span>
                <span className="num">{hands.length}</span> set by hand
                {sheet?.lost ? `, ${sheet.lost} of them for what is gone` : ""}{" "}
                <Small
                  text="all as they come"
                  press={() => {
                    write({ by_hand: [] }, "all dimensions as they come");
                  }}
                />
              </span>
            ) : null}
          </p>
        ) : null}
        {sheet?.refused.map((text) => (
          <p key={text} className="text-ochre">
            {text}
          </p>
        ))}
        {sheet ? (
          <p>
            <span className="num text-faint">
              {sheet.sheet}, {sheet.scale},
            </span>{" "}
            <span className="text-faint">{sheet.projection} angle;</span>{" "}
            <span className="num">{sheet.dimensions.length}</span> dimensions;{" "}
            {sheet.open.length ? (
              <b className="font-semibold text-ochre">
                {sheet.open.length === 1 ? "one thing is" : `${sheet.open.length} things are`} still undimensioned
              </b>
            ) : sheet.dimensions.length ? (
              <span className="text-verdigris">nothing of the part is undimensioned</span>
            ) : (
              "none is wanted"
            )}
            {sheet.spare.length ? `; ${sheet.spare.length} stated twice` : ""}
          </p>
        ) : null}
        {sheet?.open.length ? (
          <ul className="columns-2 gap-6">
            {alike(sheet.open).map(({ text, at }) => (
              <li key={text}>
                {text}{" "}
                {at.slice(0, MOST_TOLD).map((place, n) => (
                  <button
                    key={place.join()}
                    type="button"
                    className="num mr-1.5 border-b border-rule hover:border-brick"
                    aria-label={`Show ${text}, ${n + 1} of ${at.length}, on the part`}
                    title="Show it on the part"
                    onClick={() => {
                      set({ pointed: place });
                    }}
                  >
                    {n + 1}
                  </button>
                ))}
                {at.length > MOST_TOLD ? <span className="text-faint">and {at.length - MOST_TOLD} more</span> : null}
              </li>
            ))}
          </ul>
        ) : null}
      </div>
    </section>
  );
}

function Small({ text, press }: { text: string; press(): void }) {
  return (
    <button type="button" className="mr-1.5 border-b border-rule hover:border-brick" onClick={press}>
      {text}
    </button>
  );
}

/** Where a section cuts, typed: along which axis, and at which length. */
function TypedCut({ cut }: { cut(axis: AxisName, at: string, through: string[]): void }) {
  const [axis, setAxis] = useState<AxisName>("x"),
    [at, setAt] = useState("");
  return (
    <form
      className="flex items-center gap-1.5"
      onSubmit={(e) => {
        e.preventDefault();
        if (at.trim()) cut(axis, at.trim(), []);
      }}
    >
      <select
        aria-label="axis that the section is square to"
        className="rounded-md border border-rule bg-paper px-1 py-0.5"
        value={axis}
        onChange={(e) => {
          setAxis(e.target.value as AxisName);
        }}
      >
        {(["x", "y", "z"] as const).map((a) => (
          <option key={a}>{a}</option>
        ))}
      </select>
      <input
        aria-label="where the section cuts"
        placeholder="20 mm"
        className="num w-20 rounded-md border border-rule bg-paper px-2 py-0.5"
        value={at}
        onChange={(e) => {
          setAt(e.target.value);
        }}
        onKeyDown={(e) => {
          e.stopPropagation();
        }}
      />
      <button type="submit" className="border-b border-rule hover:border-brick" disabled={!at.trim()}>
        cut there
      </button>
    </form>
  );
}
