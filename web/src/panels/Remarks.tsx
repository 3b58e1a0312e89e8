/** What a step or a reader has to say beside its result: each remark with its place, and what it offers to do. */

import type { RefObject } from "react";

import type { Note } from "../api/client";
import type { SheetData, SheetFacts } from "../scene/sheetData";
import type { SheetScene } from "../scene/sheetScene";
import { useTable } from "../state/table";
import { changeMany, changeStep } from "../state/work";
import { Button } from "../ui/Button";
import { StateMark } from "../ui/Mark";

/** Remarks as a list; nothing where there are none. */
export function Remarks({
  notes,
  sheet,
  scene,
  className = "",
}: {
  notes: Note[];
  sheet: SheetData;
  scene: RefObject<SheetScene | null>;
  className?: string;
}) {
  if (!notes.length) return null;
  return (
    <ul className={`space-y-1 text-[13.5px] ${className}`} aria-label="Remarks">
      {notes.map((note) => (
        <li key={note.text} className="flex items-start gap-2">
          <span className="mt-1">
            <StateMark state={note.good ? "agreed" : "attention"} />
          </span>
          <span className={`flex-1 ${note.good ? "" : "text-ochre"}`}>{note.text}</span>
          {note.where.point ? <Show note={note} sheet={sheet} scene={scene} /> : null}
          <Offered note={note} />
        </li>
      ))}
    </ul>
  );
}

/** Goes to the place of a note. Its curves are lit while it is pointed at; all of them come into sight. */
function Show({ note, sheet, scene }: { note: Note; sheet: SheetData; scene: RefObject<SheetScene | null> }) {
  const set = useTable((s) => s.set),
    rows = note.where.curves.map((id) => sheet.rowOf.get(id) ?? -1).filter((row) => row >= 0);
  const light = (curves: number[]) => {
    set({ hover: { curves, region: -1, piece: null } });
  };
  return (
    <Button
      className="shrink-0 !px-2 !py-0 text-[12.5px]"
      onMouseEnter={() => {
        light(rows);
      }}
      onMouseLeave={() => {
        light([]);
      }}
      onFocus={() => {
        light(rows);
      }}
      onBlur={() => {
        light([]);
      }}
      onClick={() => {
        light(rows);
        if (rows.length && !useTable.getState().draft) set({ picks: { regions: [], curves: note.where.curves } });
        if (rows.length) scene.current?.flyTo(sheet.boxOf(rows));
        else fly(note.where.point!, sheet.facts, scene.current);
      }}
    >
      Show
    </Button>
  );
}

function fly(point: number[], facts: SheetFacts, scene: SheetScene | null): void {
  const [x, y] = [point[0]! - facts.origin[0], point[1]! - facts.origin[1]],
    reach = Math.max((facts.extents[2] - facts.extents[0]) * 0.05, 1e-3);
  scene?.flyTo([x - reach, y - reach, x + reach, y + reach]);
}

/** What a note offers to do: other values for the step that said it, whether that is on record or being written. */
export function Offered({ note: { change: offer }, className = "" }: { note: Note; className?: string }) {
  const { draft } = useTable();
  if (!offer) return null;
  return (
    <Button
      className={`shrink-0 !px-2 !py-0 text-[12.5px] text-ink ${className}`}
      onClick={() => {
        if (draft?.step.number === offer.step) void changeMany(offer.values);
        else void changeStep(offer.step, offer.values, offer.words);
      }}
    >
      {offer.words}
    </Button>
  );
}
