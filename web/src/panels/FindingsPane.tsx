/**
 * Tidy: the joining distance with its chart, and the list of findings; each has a distance, a place to fly to, and a
 * remedy with a preview.
 */

import { memo, useCallback, useEffect, useMemo, useRef, useState } from "react";

import type { Kind } from "../api/client";
import { type FindingFacts, type SheetData } from "../scene/sheetData";
import { show } from "../scene/shownUnits";
import type { SheetScene } from "../scene/sheetScene";
import { useTable } from "../state/table";
import { writeAs } from "../state/work";
import { Button } from "../ui/Button";
import { JoiningChart } from "./JoiningChart";

/** So many findings are listed at once; the keys go on through all that came. */
const MOST = 400;

export function FindingsPane({ scene, kinds }: { scene: React.RefObject<SheetScene | null>; kinds: Kind[] }) {
  const { shown, previewing, finding, draft, set } = useTable();
  const [offers, setOffers] = useState(false);
  const recorded = useRef<SheetData | null>(null),
    certain = (recorded.current ?? shown?.sheet)?.facts.mend_certain,
    mending = draft !== null && draft.step.kind === certain?.operation;
  if (shown && !previewing) recorded.current = shown.sheet;
  const sheet = recorded.current ?? shown?.sheet ?? null,
    mend = kinds.find((k) => k.name === certain?.operation);
  const visit = useCallback(
    (f: FindingFacts) => {
      if (!sheet) return;
      set({
        finding: f.key,
        ...(useTable.getState().draft ? {} : { picks: { regions: [], curves: f.curves } }),
        hover: {
          curves: f.curves.map((id) => sheet.rowOf.get(id) ?? -1).filter((r) => r >= 0),
          region: -1,
          piece: null,
        },
      });
      fly(scene.current, sheet, f);
    },
    [sheet, scene, set],
  );
  const remedy = useCallback(
    (f: FindingFacts) => {
      visit(f);
      const kind = kinds.find((k) => k.name === f.remedy?.operation);
      if (kind && f.remedy) writeAs(kind, f.remedy.values);
    },
    [kinds, visit],
  );
  const list = useMemo(() => (sheet ? (offers ? sheet.facts.offered : sheet.facts.findings) : []), [sheet, offers]);

  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if (
        (e.target as HTMLElement).matches("input, textarea, select") ||
        e.ctrlKey ||
        e.metaKey ||
        e.altKey ||
        (e.key !== "n" && e.key !== "p") ||
        !list.length
      )
        return;
      const at = list.findIndex((f) => f.key === finding);
      visit(list[(at + (e.key === "n" ? 1 : -1) + list.length) % list.length]!);
    };
    window.addEventListener("keydown", press);
    return () => {
      window.removeEventListener("keydown", press);
    };
  }, [list, finding, visit]);

  if (!sheet || !mend || !certain)
    return (
      <section className="grid place-items-center text-faint" aria-label="Findings">
        Looking…
      </section>
    );
  const { facts } = sheet;
  const now = mending
    ? Number(draft.step.params?.[certain.distance]) || facts.joining.proposed
    : facts.joining.proposed;
  return (
    <section className="min-h-0 overflow-y-auto px-4 py-3" aria-label="Findings">
      <span className="cap">Findings</span>
      {facts.joining.sizes.length ? (
        <>
          <h2 className="mt-2 text-[15px] font-semibold">
            Joining distance{" "}
            <span className="ml-1 text-[13px] font-normal text-faint">loops that close, and the gaps themselves</span>
          </h2>
          <JoiningChart
            joining={facts.joining}
            at={now}
            choose={(distance) => {
              writeAs(mend, { ...certain.values, [certain.distance]: distance });
            }}
          />
          <p className="mt-1.5 text-[13px] text-faint">{facts.joining.reason}</p>
        </>
      ) : null}
      <div className="mt-3 flex items-center gap-3">
        <h2 className="flex-1 text-[15px] font-semibold">
          {previewing && shown && (mending || shown.sheet.facts.finding_count !== facts.finding_count)
            ? `${shown.sheet.facts.finding_count} of ${facts.finding_count} left after this`
            : facts.finding_count
              ? `${facts.finding_count} found`
              : "Nothing is wrong with this linework"}
          <span className="ml-2 whitespace-nowrap text-[13px] font-normal text-faint">
            {facts.certain_count && !previewing
              ? `${facts.certain_count} ${facts.certain_count === 1 ? "is" : "are"} certain`
              : ""}
          </span>
        </h2>
        {facts.certain_count ? (
          <Button
            tone="good"
            className="!py-1"
            onClick={() => {
              writeAs(mend, certain.values);
            }}
          >
            Mend the {facts.certain_count} certain
          </Button>
        ) : null}
      </div>
      <Tabs facts={[facts.findings.length, facts.offered.length]} offers={offers} setOffers={setOffers} />
      <ul>
        {list.slice(0, MOST).map((f) => (
          <Row key={f.key} f={f} here={finding === f.key} visit={visit} remedy={remedy} />
        ))}
      </ul>
      {list.length ? (
        <p className="dash-t py-2 text-[13px] text-faint">
          {list.length > MOST ? `The first ${MOST} are listed. ` : ""}
          <kbd>N</kbd> next, <kbd>P</kbd> the one before
        </p>
      ) : null}
    </section>
  );
}

const Row = memo(function Row({
  f,
  here,
  visit,
  remedy,
}: {
  f: FindingFacts;
  here: boolean;
  visit(f: FindingFacts): void;
  remedy(f: FindingFacts): void;
}) {
  return (
    <li className={`dash-t flex items-center gap-3 py-1.5 text-[13.5px] ${here ? "bg-blush" : ""}`}>
      <button
        type="button"
        className="flex min-w-0 flex-1 items-center gap-3 text-left"
        title={f.words}
        onClick={() => {
          visit(f);
        }}
      >
        <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden>
          <path
            d="M6 1 11 6 6 11 1 6z"
            fill={f.sure ? "var(--ochre)" : "none"}
            stroke="var(--ochre)"
            strokeWidth="1.5"
          />
        </svg>
        <span className="min-w-0 flex-1 truncate">
          {f.name}
          {f.sure ? "" : <span className="text-faint"> · look first</span>}
        </span>
        <span className="num">{f.size > 0 ? `${show(f.size, f.size < 0.01 ? 5 : 3)} mm` : ""}</span>
      </button>
      <Button
        className="w-[104px] justify-center !px-2 !py-0.5 text-[12.5px]"
        onClick={() => {
          remedy(f);
        }}
      >
        {f.remedy?.words ?? "Show"}
      </Button>
    </li>
  );
});

function Tabs({
  facts: [faults, offered],
  offers,
  setOffers,
}: {
  facts: [number, number];
  offers: boolean;
  setOffers(on: boolean): void;
}) {
  if (!offered) return null;
  const tab = (on: boolean) =>
    `rounded-t-md border-b-2 px-2.5 py-0.5 text-[13.5px] ${on ? "border-brick font-semibold" : "border-transparent text-faint hover:text-ink"}`;
  return (
    <div className="mt-1.5 flex gap-1" role="tablist">
      <button
        type="button"
        role="tab"
        aria-selected={!offers}
        className={tab(!offers)}
        onClick={() => {
          setOffers(false);
        }}
      >
        Faults <span className="num text-[12px]">{faults}</span>
      </button>
      <button
        type="button"
        role="tab"
        aria-selected={offers}
        className={tab(offers)}
        onClick={() => {
          setOffers(true);
        }}
      >
        May be meant otherwise <span className="num text-[12px]">{offered}</span>
      </button>
    </div>
  );
}

/** To the finding, so near that its distance can be seen: a gap of 0.02 mm in a drawing of 2 m too. */
function fly(scene: SheetScene | null, sheet: SheetData, f: FindingFacts): void {
  const [ox, oy] = sheet.facts.origin,
    size = Math.max(sheet.facts.extents[2] - sheet.facts.extents[0], sheet.facts.extents[3] - sheet.facts.extents[1]);
  const reach = Math.max(
    ["gap", "undershoot", "overshoot", "short"].includes(f.kind) ? f.size * 5 : size * 0.08,
    size * 1e-7,
  );
  scene?.flyTo([f.point[0] - ox - reach, f.point[1] - oy - reach, f.point[0] - ox + reach, f.point[1] - oy + reach]);
}
