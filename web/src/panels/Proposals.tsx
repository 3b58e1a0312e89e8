/** What we would leave out, each with its reason and one press; what was left out by proposal, to be taken back. */

import type { Card, Kind } from "../api/client";
import type { SheetData } from "../scene/sheetData";
import { useTable } from "../state/table";
import { Button } from "../ui/Button";
import { leaveOut, leftOut, takeBack } from "./leavingOut";

interface Proposal {
  kind: string;
  words: string;
  why: string;
  curves: number;
  numbers: number[];
}

function byKind(sheet: SheetData): Proposal[] {
  const out = new Map<string, Proposal>();
  sheet.facts.asides.forEach((a, n) => {
    const entry = out.get(a.kind) ?? { ...a, curves: 0, numbers: [] };
    entry.curves += a.curves;
    entry.numbers.push(n + 1);
    out.set(a.kind, entry);
  });
  return [...out.values()];
}

export function Proposals({ sheet, card, kinds }: { sheet: SheetData; card: Card; kinds: Kind[] }) {
  const all = byKind(sheet),
    gone = leftOut(card, kinds, "proposals", []);
  const open = all.filter((p) => !gone.has(p.kind));
  if (!all.length) return null;
  const light = (p: Proposal | null) => {
    useTable.setState({
      hover: { curves: p ? p.numbers.flatMap((n) => sheet.aside(n)) : [], region: -1, piece: null },
    });
  };
  return (
    <div aria-label="Proposals" role="group">
      <div className="mt-2 flex items-center gap-3">
        <h2 className="flex-1 text-[15px] font-semibold">
          {open.length ? "We would leave out" : "Left out as proposed"}
        </h2>
        {open.length > 1 ? (
          <Button
            tone="good"
            className="!py-1"
            onClick={() => {
              leaveOut(
                kinds,
                "proposals",
                open.map((p) => p.kind),
                open.map((p) => p.words).join(", "),
              );
            }}
          >
            All {open.length}
          </Button>
        ) : null}
      </div>
      <ul className="mt-1">
        {all.map((p) => (
          <li
            key={p.kind}
            className="dash-t flex items-center gap-3 py-1.5"
            onMouseEnter={() => {
              light(p);
            }}
            onMouseLeave={() => {
              light(null);
            }}
          >
            <div className="min-w-0 flex-1">
              <span className={`text-[14px] ${gone.has(p.kind) ? "text-faint line-through" : ""}`}>
                {p.words.charAt(0).toUpperCase() + p.words.slice(1)}, <b className="num font-medium">{p.curves}</b>{" "}
                {p.curves === 1 ? "curve" : "curves"}
              </span>
              <p className="text-[13px] text-faint">{p.why}</p>
            </div>
            {gone.has(p.kind) ? (
              <Button
                className="!px-2.5 !py-0.5 text-[12.5px]"
                onClick={() => {
                  takeBack(kinds, "proposals", p.kind, p.words);
                }}
              >
                Take back
              </Button>
            ) : (
              <Button
                className="!px-2.5 !py-0.5 text-[12.5px]"
                onClick={() => {
                  leaveOut(kinds, "proposals", [p.kind], p.words);
                }}
              >
                Leave out
              </Button>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}
