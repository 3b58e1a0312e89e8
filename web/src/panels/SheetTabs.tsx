/**
 * The sheets of the part: which one is looked at and worked on. A part has one to begin with, and then this is its
 * heading alone.
 */

import type { Card } from "../api/client";
import { fileReadBy } from "../state/numbering";
import { useTable } from "../state/table";
import { showSheet } from "../state/work";

export function SheetTabs() {
  const { part, shown, sheetName } = useTable();
  const names = (shown?.report.keys.sheets ?? []).map((s) => s.name);
  if (names.length < 2 || !part)
    return <span className="cap pointer-events-none absolute top-2.5 left-2.5 rounded bg-paper/85 px-1">Sheet</span>;
  return (
    <div className="absolute top-2 left-3 flex max-w-[60%] gap-1 overflow-x-auto" role="tablist" aria-label="Sheets">
      {names.map((name) => (
        <button
          key={name}
          type="button"
          role="tab"
          aria-selected={name === sheetName}
          title={`Sheet ${labelOf(part.card, name)}`}
          className={`max-w-40 shrink-0 truncate rounded border px-2.5 py-0.5 text-[12.5px] ${name === sheetName ? "border-brick bg-blush font-semibold" : "border-rule bg-raised text-faint hover:text-ink"}`}
          onClick={() => {
            void showSheet(name);
          }}
        >
          {labelOf(part.card, name)}
        </button>
      ))}
    </div>
  );
}

/** The first sheet goes by the first file that was read onto it. */
function labelOf(card: Card, name: string): string {
  if (name) return name;
  const first = card.steps?.find((s) => fileReadBy(s) !== null && !s.sheet);
  return first ? fileReadBy(first)!.replace(/\.[^.]+$/, "") : "First";
}
