/** A section on the library's page: its picture to the scale of all, its number and figures. */

import type { Section } from "../../api/client";
import { lengthText } from "../../scene/shownUnits";
import { highOf, pathOf, wideOf } from "./sections";

const WIDE = 190,
  HIGH = 120;
export const ROOM = [WIDE - 16, HIGH - 16] as const;

export function SectionCard({
  section: s,
  scale,
  picked,
  press,
}: {
  section: Section;
  scale: number;
  picked: boolean;
  press(add: boolean): void;
}) {
  const [x0, , , y1] = s.figures.bbox_mm,
    [ix, iy] = s.facts.insertion_mm;
  const left = (WIDE - wideOf(s) * scale) / 2 - (x0! - ix) * scale,
    top = (HIGH - highOf(s) * scale) / 2 - (iy - y1!) * scale;
  return (
    <button
      type="button"
      aria-pressed={picked}
      className={`w-[206px] rounded-xl border p-2 text-left ${picked ? "border-brick bg-blush" : "border-rule bg-raised hover:border-faint"}`}
      onClick={(e) => {
        press(e.shiftKey || e.ctrlKey || e.metaKey);
      }}
    >
      <svg width={WIDE} height={HIGH} role="img" aria-label={`Section ${s.number}`}>
        <path
          transform={`translate(${left} ${top}) scale(${scale})`}
          d={pathOf(s)}
          fill="var(--hatch)"
          fillOpacity={0.35}
          fillRule="evenodd"
          stroke="var(--ink)"
          strokeWidth={1.1 / scale}
        />
        <circle cx={left} cy={top} r={2.5} fill="var(--brick)" />
      </svg>
      <span className="block truncate font-semibold">{s.number}</span>
      <span className="block truncate text-[13px] text-faint">{s.facts.name || s.facts.family || s.facts.source}</span>
      <span className="num block truncate text-[12.5px] text-faint">
        {lengthText(wideOf(s), 1)} × {lengthText(highOf(s), 1)}
        {s.facts.thickness_mm ? ` · ${lengthText(s.facts.thickness_mm, 2)}` : ""}
        {s.figures.kg_per_m === null ? "" : ` · ${s.figures.kg_per_m.toFixed(2)} kg/m`}
      </span>
    </button>
  );
}
