/**
 * A coordinate table beside its picture: the points of each curve with their line numbers; pressing one flies there.
 */

import { useState } from "react";

import { type SourceFacts } from "../scene/sheetData";
import { MM_OF, show } from "../scene/shownUnits";
import type { SheetScene } from "../scene/sheetScene";
import { useTable } from "../state/table";

const AT_FIRST = 60;

export function PointTable({ source, scene }: { source: SourceFacts; scene: React.RefObject<SheetScene | null> }) {
  const [open, setOpen] = useState(false);
  const fly = (x: number, y: number) => {
    const sheet = useTable.getState().shown?.sheet;
    if (!sheet || !scene.current) return;
    const [ox, oy] = sheet.facts.origin,
      unit = sheet.facts.sources.find((s) => s.name === source.name)?.unit ?? "mm";
    const mm = MM_OF[unit] ?? (Number(unit) || 1),
      reach = Math.max((sheet.facts.extents[2] - sheet.facts.extents[0]) * 0.06, 1e-6);
    scene.current.flyTo([x * mm - ox - reach, y * mm - oy - reach, x * mm - ox + reach, y * mm - oy + reach]);
  };
  return (
    <div className="mt-4">
      {source.sets.map((set) => (
        <div key={set.name}>
          <h2 className="text-[15px] font-semibold">
            <span translate="no">{set.name}</span>{" "}
            <span className="ml-1 text-[13px] font-normal text-faint">
              {set.points} points, {set.closed ? `closed, ${set.trailing_edge} edge` : "open"}, chord{" "}
              {show(set.chord, 4)}
              {set.dropped ? `, ${set.dropped} dropped` : ""}
            </span>
          </h2>
          <table className="num mt-1 w-full text-[12.5px]">
            <thead>
              <tr className="text-left text-faint">
                <th className="font-normal">line</th>
                <th className="text-right font-normal">x</th>
                <th className="text-right font-normal">y</th>
              </tr>
            </thead>
            <tbody>
              {set.rows.slice(0, open ? undefined : AT_FIRST).map(([line, x, y]) => (
                <tr
                  key={line}
                  className="dash-t cursor-pointer hover:bg-blush"
                  onClick={() => {
                    fly(x, y);
                  }}
                >
                  <td className="text-faint">{line}</td>
                  <td className="text-right">{x}</td>
                  <td className="text-right">{y}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {set.rows.length > AT_FIRST ? (
            <button
              type="button"
              className="mt-1 border-b border-faint text-[13px]"
              onClick={() => {
                setOpen(!open);
              }}
            >
              {open ? "Fewer rows" : `All ${set.rows.length} rows`}
            </button>
          ) : null}
        </div>
      ))}
    </div>
  );
}
