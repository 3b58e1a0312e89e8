/** What changed with a newer issue, marked on the sheet: + added, − removed, ⤢ resized, a line from where to where. */

import type { SheetData } from "../scene/sheetData";
import type { SheetScene } from "../scene/sheetScene";
import { useTable } from "../state/table";
import { MARKS, told, way } from "./issueWords";

const MOST = 300;
const INK = { added: "text-verdigris", removed: "text-madder", moved: "text-ochre", resized: "text-brick" };

export function IssueMarks({ scene, sheet }: { scene: SheetScene; sheet: SheetData }) {
  const newer = useTable((s) => s.looking?.newer);
  if (!newer) return null;
  const [ox, oy] = sheet.facts.origin,
    on = ([x, y]: [number, number]) => scene.toScreen(x - ox, y - oy);
  const changed = newer.found.changed.slice(0, MOST);
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden" aria-hidden data-issue-marks={changed.length}>
      <svg className="absolute inset-0 h-full w-full">
        {changed.map((c, n) => {
          const ends = way(c);
          if (!ends) return null;
          const [[x0, y0], [x1, y1]] = [on(ends[0]), on(ends[1])];
          return (
            <g key={n} stroke="var(--ochre)" strokeWidth={1.5} fill="none">
              <path d={`M${x0} ${y0}L${x1} ${y1}`} strokeDasharray="5 3" />
              <circle cx={x0} cy={y0} r={4} />
            </g>
          );
        })}
      </svg>
      {changed.map((c, n) => {
        const [x, y] = on(c.at);
        return (
          <span
            key={n}
            title={told(c)}
            className={`absolute grid h-5 w-5 -translate-x-1/2 -translate-y-1/2 place-items-center rounded-full border border-current bg-raised text-[13px] leading-none font-bold ${INK[c.kind]}`}
            style={{ left: x, top: y }}
          >
            {MARKS[c.kind]}
          </span>
        );
      })}
    </div>
  );
}
