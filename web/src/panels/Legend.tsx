/** A legend of the linework by layer, kind, line type, colour or block: counts, and each on or off. */

import { useMemo, useState } from "react";

import type { Card, Kind } from "../api/client";
import type { Respect as By, SheetData } from "../scene/sheetData";
import { useTable } from "../state/table";
import { type Named, keepOnly, leaveOut, leftOut, namesHolding, takeBack } from "./leavingOut";

const TABS: [By, string, Named][] = [
  ["layer", "Layers", "layers"],
  ["kind", "Kinds", "kinds"],
  ["linetype", "Line types", "linetypes"],
  ["colour", "Colours", "colours"],
  ["block", "Blocks", "blocks"],
];

export function Legend({ sheet, card, kinds }: { sheet: SheetData; card: Card; kinds: Kind[] }) {
  const [by, setBy] = useState<By>("layer");
  const rows = useMemo(() => sheet.legend(by), [sheet, by]);
  const field = TABS.find((t) => t[0] === by)![2];
  const [typed, setTyped] = useState("");
  const gone = leftOut(
    card,
    kinds,
    field,
    rows.map((row) => row.name),
  );
  const found = namesHolding(rows, typed);
  const counts = useMemo(() => new Map(TABS.map(([key]) => [key, sheet.legend(key).length])), [sheet]);
  return (
    <div role="group" aria-label="Legend">
      <div className="mt-4 flex items-center gap-1" role="tablist" aria-label="Legend by">
        {TABS.filter(([key]) => counts.get(key)).map(([key, label]) => (
          <button
            key={key}
            type="button"
            role="tab"
            aria-selected={by === key}
            className={`rounded-t-md border-b-2 px-2.5 py-0.5 text-[13.5px] ${by === key ? "border-brick font-semibold" : "border-transparent text-faint hover:text-ink"}`}
            onClick={() => {
              setBy(key);
              setTyped("");
            }}
          >
            {label} <span className="num text-[12px] text-faint">{counts.get(key)}</span>
          </button>
        ))}
        <span className="flex-1" />
        <span className="text-[13px] text-faint">
          <span className="num">{sheet.curves}</span> {sheet.curves === 1 ? "curve" : "curves"}
        </span>
      </div>
      {rows.length > 4 ? (
        <div className="flex flex-wrap items-center gap-2 py-1.5 text-[12.5px]">
          <input
            type="search"
            aria-label="Part of a name"
            placeholder="part of a name, or several: hole, edge"
            className="min-w-0 flex-1 rounded-md border border-rule bg-paper px-2 py-1"
            value={typed}
            onChange={(e) => {
              setTyped(e.target.value);
            }}
          />
          {found.length && found.length < rows.length ? (
            <>
              <Choice
                label={`Keep only these ${found.length}`}
                take={() => {
                  keepOnly(kinds, field, namesOf(found), saidOf(by, found));
                  setTyped("");
                }}
              />
              <Choice
                label={`Leave these ${found.length} out`}
                take={() => {
                  leaveOut(kinds, field, namesOf(found), saidOf(by, found));
                  setTyped("");
                }}
              />
            </>
          ) : null}
        </div>
      ) : null}
      {found.length ? null : <p className="py-1 text-[13px] text-faint">No name holds this.</p>}
      <ul>
        {found.slice(0, 200).map((row) => (
          <li
            key={row.name}
            className="dash-t flex items-center gap-3 py-1 text-[13.5px]"
            onMouseEnter={() => {
              light(sheet, by, row.name);
            }}
            onMouseLeave={() => {
              light(sheet, by, null);
            }}
          >
            <Sample sheet={sheet} by={by} name={row.name} />
            <span
              className={`min-w-0 flex-1 truncate ${gone.has(row.name) ? "text-faint line-through" : ""}`}
              title={row.name}
              translate={by === "layer" || by === "block" ? "no" : "yes"}
            >
              {row.name}
              {row.kept && row.kept < row.curves ? (
                <span className="ml-2 text-[12.5px] text-faint">{row.curves - row.kept} left out</span>
              ) : null}
            </span>
            <span className="num">{row.curves}</span>
            <Switch kinds={kinds} sheet={sheet} by={by} field={field} row={row} gone={gone.has(row.name)} />
          </li>
        ))}
      </ul>
    </div>
  );
}

const namesOf = (rows: { name: string }[]) => rows.map((row) => row.name);

/** Rows of a respect in words: the one by its name, several by their number. */
function saidOf(by: By, rows: { name: string }[]): string {
  const what = by === "linetype" ? "line type" : by;
  return rows.length === 1 ? `${what} ${rows[0]!.name}` : `${rows.length} ${what}s`;
}

function Choice({ label, take }: { label: string; take(): void }) {
  return (
    <button
      type="button"
      className="rounded-md border border-rule bg-paper px-2 py-1 hover:border-faint"
      onClick={take}
    >
      {label}
    </button>
  );
}

function Switch({
  kinds,
  sheet,
  by,
  field,
  row,
  gone,
}: {
  kinds: Kind[];
  sheet: SheetData;
  by: By;
  field: Named;
  row: { name: string; kept: number };
  gone: boolean;
}) {
  const off = by === "layer" && sheet.facts.layers.find((l) => l.name === row.name)?.on === false;
  const words = `${by === "linetype" ? "line type" : by} ${row.name}`;
  return (
    <button
      type="button"
      role="switch"
      aria-checked={row.kept > 0}
      aria-label={`${words.charAt(0).toUpperCase()}${words.slice(1)}`}
      disabled={off || (!row.kept && !gone)}
      className="w-[86px] rounded-md border border-rule bg-paper px-2 py-0.5 text-[12.5px] hover:border-faint disabled:opacity-50"
      onClick={() => {
        if (gone) takeBack(kinds, field, row.name, words);
        else leaveOut(kinds, field, [row.name], words);
      }}
    >
      {off ? "off in file" : gone ? "Take back" : row.kept ? "Leave out" : "left out"}
    </button>
  );
}

function Sample({ sheet, by, name }: { sheet: SheetData; by: By; name: string }) {
  const layer = sheet.facts.layers.find((l) => l.name === name);
  const colour = by === "colour" ? name : by === "layer" ? (layer?.colour ?? "#000000") : "#000000";
  const linetype = by === "linetype" ? name : by === "layer" ? (layer?.linetype ?? "") : "";
  const ink = colour === "#000000" ? "var(--ink)" : colour;
  if (by === "kind" || by === "block")
    return (
      <span className="w-11 text-center text-[12px] text-faint" aria-hidden>
        {{ line: "╱", arc: "◜", circle: "○", ellipse: "⬭", spline: "∿" }[name] ?? "▦"}
      </span>
    );
  return (
    <svg width="44" height="8" aria-hidden>
      <line x1="0" x2="44" y1="4" y2="4" stroke={ink} strokeWidth="1.6" strokeDasharray={dashes(linetype)} />
    </svg>
  );
}

function dashes(linetype: string): string {
  const name = linetype.toUpperCase();
  if (/CENT|CHAIN|PHANTOM|DASHDOT/.test(name)) return "12 3 3 3";
  return /HIDDEN|DASH/.test(name) ? "5 3" : "";
}

function light(sheet: SheetData, by: By, name: string | null): void {
  useTable.setState({
    hover: { curves: name === null || sheet.curves > 40_000 ? [] : sheet.named(by, name), region: -1, piece: null },
  });
}
