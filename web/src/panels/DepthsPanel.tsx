/**
 * Build: the depths that other views allow for the profile that is picked, the likeliest first; pressing one writes the
 * sentence.
 */

import type { Kind } from "../api/client";
import { show } from "../scene/shownUnits";
import { useTable } from "../state/table";
import { choiceOf } from "../state/draft";
import { writeAs } from "../state/work";
import { useDepths } from "./useDepths";

export function DepthsPanel({ kinds }: { kinds: Kind[] }) {
  const { shown, stage } = useTable();
  const found = useDepths();
  if (!shown || stage !== "build" || !found) return null;
  return (
    <div
      className="dash-t max-h-[45%] shrink-0 overflow-y-auto px-3.5 py-2 text-[13px]"
      role="group"
      aria-label="Depths proposed"
    >
      <span className="cap">Depth</span>
      {found.state ? <p className="text-[12.5px] leading-snug text-faint">{found.state}</p> : null}
      <ul>
        {found.depths.map((d, n) => (
          <li key={n}>
            <button
              type="button"
              className="flex w-full gap-2 rounded py-1 text-left leading-snug hover:bg-blush"
              title={`From ${show(d.low)} to ${show(d.high)} mm over the profile's plane`}
              onClick={() => {
                const kind = kinds.find((k) => k.name === d.kind);
                if (kind) writeAs(kind, { ...d.values, profiles: choiceOf(found.regions, shown.sheet) });
              }}
            >
              <span className="num text-faint">{n + 1}</span>
              <span>{d.words}</span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
