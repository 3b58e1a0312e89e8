/**
 * Arrange and check: which view is which and why, how well they agree, and how much of each is explained by the part.
 */

import { DropdownMenu } from "radix-ui";
import { type RefObject, useEffect, useState } from "react";

import type { CheckedSize, CheckedView, Difference, Kind, Note } from "../api/client";
import type { PartScene } from "../scene/partScene";
import { type AgreementFacts, type SheetData, type ViewFacts } from "../scene/sheetData";
import { lengthText, show } from "../scene/shownUnits";
import type { SheetScene } from "../scene/sheetScene";
import { type Shown, useTable } from "../state/table";
import { writeAs } from "../state/work";
import { ITEM, MENU } from "../ui/ChoiceField";
import { StateMark } from "../ui/Mark";
import { Offered } from "./Remarks";

const AROUND = 10;
const NAMES = ["front", "top", "right", "left", "bottom", "rear"];

export function ViewsPanel({
  kinds,
  part,
  sheet,
}: {
  kinds: Kind[];
  part: RefObject<PartScene | null>;
  sheet: RefObject<SheetScene | null>;
}) {
  const { shown, stage, checked } = useTable();
  if (!shown || (stage !== "arrange" && stage !== "check") || !shown.sheet.facts.views.length) return null;
  const { views, agreements } = shown.sheet.facts,
    mine = checked?.of === shown.computation ? checked : null,
    here = mine?.views.filter((v) => v.sheet === shown.sheetName) ?? [];
  const found = new Map(here.map((v) => [v.name, v])),
    lit = here.some((v) => v.unexplained.length),
    lacks = here.some((v) => v.lacking.length);
  const visit = (v: ViewFacts) => {
    if (NAMES.includes(v.name)) part.current?.look(v.name as "front");
    flyToBox(sheet.current, shown.sheet, v.box);
  };
  const go = (line: [number, number][]) => {
    const xs = line.map(([x]) => x),
      ys = line.map(([, y]) => y);
    flyToBox(sheet.current, shown.sheet, [
      Math.min(...xs) - AROUND,
      Math.min(...ys) - AROUND,
      Math.max(...xs) + AROUND,
      Math.max(...ys) + AROUND,
    ]);
  };
  return (
    <div
      className="dash-t max-h-[68%] shrink-0 overflow-y-auto px-3.5 py-2 text-[13px]"
      role="group"
      aria-label="Views"
    >
      <span className="cap">Views</span>
      {stage === "arrange" ? <Why shown={shown} /> : null}
      <ul>
        {views.map((v, n) => (
          <ViewRow
            key={v.name}
            view={v}
            one={found.get(v.name)}
            curves={shown.sheet.ofView(n + 1)}
            waiting={mine?.state === "looking" ? "looking …" : shown.report.figures.bodies ? "" : "no body yet"}
            kinds={stage === "arrange" ? kinds : null}
            visit={visit}
            go={go}
          />
        ))}
      </ul>
      {stage === "check" && shown.report.figures.bodies ? <Fade part={part} /> : null}
      {mine?.state === "done" ? (
        <p className="dash-t mt-1 pt-1 text-[12px] text-faint">
          Share of the drawn length that lies on an edge of the part, seen or hidden.
          {lit || lacks ? " On the sheet:" : ""}
          {lit ? <b className="font-normal text-ochre"> not explained</b> : null}
          {lit && lacks ? "," : ""}
          {lacks ? <b className="font-normal text-brick"> lacking</b> : null}
        </p>
      ) : mine && mine.state !== "looking" ? (
        <p className="dash-t mt-1 pt-1 text-[12px]">{mine.state}</p>
      ) : null}
      {mine?.state === "done" ? (
        <StatedSizes
          sizes={mine.sizes.filter((s) => s.sheet === shown.sheetName)}
          go={(at) => {
            go([at]);
          }}
        />
      ) : null}
      {agreements.length ? <Agreements agreements={agreements} sheet={shown.sheet} /> : null}
      <Contradictions sheet={shown.sheet} scene={sheet} />
    </div>
  );
}

/** The drawing faded over the part, as far as the hand likes. */
function Fade({ part }: { part: RefObject<PartScene | null> }) {
  const [share, setShare] = useState(100);
  useEffect(() => {
    const scene = part.current;
    return () => scene?.fade(1);
  }, [part]);
  return (
    <label className="dash-t mt-1 flex items-center gap-2 pt-1 text-[12px] text-faint">
      drawing
      <input
        type="range"
        className="min-w-0 flex-1 accent-[var(--brick)]"
        aria-label="How strongly the part shows under the drawing"
        min={0}
        max={100}
        value={share}
        onChange={(e) => {
          setShare(Number(e.target.value));
          part.current?.fade(Number(e.target.value) / 100);
        }}
      />
      part
    </label>
  );
}

/** How the angle of projection was decided, one press to take the other, and what does not fit. */
function Why({ shown }: { shown: Shown }) {
  const { notes } = shown.report,
    why = notes.findLast((n) => n.code === "views");
  return (
    <>
      {why ? (
        <div className="mb-1 text-[12px] leading-snug text-faint">
          {why.text}
          <Offered note={why} className="my-1 block" />
        </div>
      ) : null}
      {shown.sheet.facts.misfits.map((text) => (
        <Doubt key={text} text={text} />
      ))}
      {notes
        .filter((n) => n.code === "views_scale" || n.code === "views_advice")
        .map((n) => (
          <Doubt key={n.text} text={n.text} note={n} />
        ))}
    </>
  );
}

function Doubt({ text, note }: { text: string; note?: Note }) {
  return (
    <div className="mb-1 border-l-2 border-ochre pl-2 text-[12.5px] leading-snug">
      {text}
      {note ? <Offered note={note} className="my-1 block" /> : null}
    </div>
  );
}

function ViewRow({
  view,
  one,
  curves,
  waiting,
  kinds,
  visit,
  go,
}: {
  view: ViewFacts;
  one: CheckedView | undefined;
  curves: string[];
  waiting: string;
  kinds: Kind[] | null;
  visit(v: ViewFacts): void;
  go(line: [number, number][]): void;
}) {
  return (
    <li>
      <div className="flex items-center gap-1">
        <button
          type="button"
          className="flex min-w-0 flex-1 items-center gap-2 rounded py-0.5 text-left hover:bg-blush"
          title={`Look straight on at the ${view.name} view`}
          onClick={() => {
            visit(view);
          }}
        >
          <StateMark state={one ? (one.agrees ? "agreed" : "attention") : "none"} />
          <span className="flex-1 truncate">{view.name}</span>
          {one ? (
            <span className="num">{show(Math.floor(one.percent * 10) / 10, 1)} %</span>
          ) : (
            <span className="text-faint">{waiting}</span>
          )}
        </button>
        {kinds ? <ViewMenu view={view} curves={curves} kinds={kinds} /> : null}
      </div>
      {one ? <Differences one={one} go={go} /> : null}
    </li>
  );
}

const TOLD: [Difference, string][] = [
  ["unexplained", "drawn that the part has no edge for"],
  ["lacking", "of edges that the drawing lacks"],
  ["lacking_hidden", "of hidden edges that the drawing lacks"],
  ["dashed_but_seen", "drawn dashed where an edge is seen"],
  ["solid_but_hidden", "drawn solid where the edge is hidden"],
];
const MOST_PLACES = 8;

/** In what a view and the part differ, each place a press to fly to. */
function Differences({ one, go }: { one: CheckedView; go(line: [number, number][]): void }) {
  const aside = one.left_out;
  return (
    <div className="pl-6 text-[12px] text-faint">
      {TOLD.filter(([kind]) => one[kind].length).map(([kind, words]) => (
        <p key={kind}>
          {lengthText(one[`${kind}_mm`], 1)} {words}
          {one[kind].slice(0, MOST_PLACES).map((line, n) => (
            <button
              key={n}
              type="button"
              className="num ml-1 border-b border-rule px-0.5 hover:border-brick hover:text-ink"
              aria-label={`Show place ${n + 1}: ${words}`}
              title="Show it on the sheet"
              onClick={() => {
                go(line);
              }}
            >
              {n + 1}
            </button>
          ))}
        </p>
      ))}
      {aside.curves ? (
        <p>
          {aside.curves === 1 ? "one curve" : `${aside.curves} curves`}, {lengthText(aside.mm, 1)}, left out of it
        </p>
      ) : null}
    </div>
  );
}

/** The sizes that the drawing states, against the part. */
function StatedSizes({ sizes, go }: { sizes: CheckedSize[]; go(at: [number, number]): void }) {
  const off = sizes.filter((s) => s.agrees === false),
    known = sizes.filter((s) => s.agrees !== null);
  if (!known.length) return null;
  return (
    <div className="dash-t mt-1 pt-1 text-[12px]">
      <span className={off.length ? "text-ochre" : "text-faint"}>
        {off.length
          ? `${off.length} of ${known.length} stated sizes differ from the part:`
          : `The part has all ${known.length} sizes that the drawing states.`}
      </span>
      {off.slice(0, MOST_PLACES).map((s) => (
        <button
          key={`${s.text} ${s.at.join()}`}
          type="button"
          className="flex w-full justify-between gap-2 text-left hover:text-brick"
          title="Show it on the sheet"
          onClick={() => {
            go(s.at);
          }}
        >
          <span className="num">{s.text.replace("%%c", "⌀")}</span>
          <span className="num text-faint">the part has {lengthText(s.part_mm ?? 0, 3)}</span>
        </button>
      ))}
    </div>
  );
}

function ViewMenu({ view, curves, kinds }: { view: ViewFacts; curves: string[]; kinds: Kind[] }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          type="button"
          className="rounded border border-rule px-1.5 text-[12px] text-faint hover:border-faint"
          aria-label={`What to do with the ${view.name} view`}
        >
          change
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          className={`${MENU} text-[13px]`}
          sideOffset={4}
          align="end"
          onCloseAutoFocus={(e) => {
            e.preventDefault();
          }}
        >
          {view.offers.map((offer) => (
            <DropdownMenu.Item
              key={offer.words}
              className={ITEM}
              onSelect={() => {
                const kind = kinds.find((k) => k.name === offer.operation);
                if (kind) writeAs(kind, offer.on_curves ? { ...offer.values, curves } : offer.values);
              }}
            >
              {offer.words}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/**
 * What pairs of views share; pointing at a row lights what only one of the two shows, pressing keeps it lit. By mouse
 * events: they come after the pointer has left the sheet, which puts its own light out.
 */
function Agreements({ agreements, sheet }: { agreements: AgreementFacts[]; sheet: SheetData }) {
  const set = useTable((s) => s.set),
    [kept, keep] = useState<AgreementFacts | null>(null);
  const light = (a: AgreementFacts | null) => {
    set({
      hover: {
        curves: (a?.alone ?? []).map((id) => sheet.rowOf.get(id) ?? -1).filter((r) => r >= 0),
        region: -1,
        piece: null,
      },
    });
  };
  return (
    <table className="dash-t mt-1 w-full text-[12.5px]">
      <thead>
        <tr className="text-left text-faint">
          <th className="pt-1 font-normal">Shared</th>
          <th className="font-normal">by</th>
          <th className="text-right font-normal">in both</th>
          <th className="text-right font-normal">worst, mm</th>
        </tr>
      </thead>
      <tbody>
        {agreements.map((a) => (
          <tr
            key={`${a.pair.join()}${a.axis}`}
            className={`cursor-pointer ${kept === a ? "bg-blush" : "hover:bg-blush"}`}
            title={a.alone.length ? "Lights what only one of the two shows" : "Both show the same"}
            onMouseEnter={() => {
              light(a);
            }}
            onMouseLeave={() => {
              light(kept);
            }}
            onClick={() => {
              keep(kept === a ? null : a);
              light(kept === a ? null : a);
            }}
          >
            <td className="py-0.5">
              <span className="inline-flex items-center gap-1.5">
                <StateMark state={a.holds ? "agreed" : "attention"} />
                {a.axis}
              </span>
            </td>
            <td>
              {a.pair[0]}, {a.pair[1]}
            </td>
            <td className="num text-right">
              {a.matched} of {a.matched + a.unmatched}
            </td>
            <td className="num text-right">{show(a.holds ? a.worst : a.off, 3)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Sizes that the drawing states and does not have. */
function Contradictions({ sheet, scene }: { sheet: SheetData; scene: RefObject<SheetScene | null> }) {
  const { contradictions } = sheet.facts;
  if (!contradictions.length) return null;
  return (
    <div className="dash-t mt-1 pt-1 text-[12.5px]">
      <p className="text-faint">
        {contradictions.length === 1 ? "One stated size is" : `${contradictions.length} stated sizes are`} not as drawn
      </p>
      <ul>
        {contradictions.slice(0, 20).map((c, n) => (
          <li key={n}>
            <button
              type="button"
              className="flex w-full items-center gap-2 rounded py-0.5 text-left hover:bg-blush"
              disabled={!c.at}
              onClick={() => {
                if (c.at) flyToBox(scene.current, sheet, [c.at[0] - 10, c.at[1] - 10, c.at[0] + 10, c.at[1] + 10]);
              }}
            >
              <StateMark state="attention" />
              <span className="flex-1">
                stated <span className="num">{show(c.stated, 3)}</span>
              </span>
              <span>
                drawn <span className="num">{show(c.drawn, 3)} mm</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

function flyToBox(
  scene: SheetScene | null,
  sheet: SheetData,
  [x0, y0, x1, y1]: [number, number, number, number],
): void {
  const [ox, oy] = sheet.facts.origin,
    room = Math.max(x1 - x0, y1 - y0) * 0.12;
  scene?.flyTo([x0 - ox - room, y0 - oy - room, x1 - ox + room, y1 - oy + room]);
}
