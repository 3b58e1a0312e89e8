/** Where am I, and each stage's one figure. Pressing a stage goes there, and to the first place its figure is about. */

import type { Gauge } from "../api/client";
import { STAGES, useTable } from "../state/table";
import { goTo } from "../state/work";
import { StateMark } from "../ui/Mark";

export function StageStrip({ flyTo }: { flyTo(gauge: Gauge): void }) {
  const { stage, shown, checked } = useTable();
  const gauges = new Map(shown?.report.gauges.map((g) => [g.stage, g]));
  if (shown && checked?.of === shown.computation) for (const gauge of checked.gauges) gauges.set(gauge.stage, gauge);
  return (
    <nav className="flex border-b border-rule bg-raised" aria-label="Stages">
      {STAGES.map(({ key, label }, n) => {
        const gauge = gauges.get(key);
        const here = stage === key;
        return (
          <button
            key={key}
            type="button"
            aria-current={here ? "step" : undefined}
            title={`${label}: ${[gauge?.figure, gauge?.words ?? "not yet"].filter(Boolean).join(" ")}`}
            className={`relative min-w-0 flex-1 px-2 pt-2 pb-2.5 text-left xl:px-4 ${n < 6 ? "dash-r" : ""} ${here ? "bg-paper" : "hover:bg-paper"}`}
            onClick={() => {
              goTo(key);
              if (gauge) flyTo(gauge);
            }}
          >
            {here ? <span className="absolute inset-x-0 top-0 h-[3px] bg-brick" /> : null}
            <span className={`cap block ${here ? "" : "text-faint"}`}>{label}</span>
            <span className="mt-0.5 flex items-center gap-x-2 text-[13px] leading-tight whitespace-nowrap xl:text-[14px]">
              <StateMark state={gauge?.state ?? "none"} />
              {gauge?.figure ? <span className="num">{gauge.figure}</span> : null}
              <span
                className={`min-w-0 truncate max-md:sr-only ${gauge?.state === "none" || !gauge ? "text-faint" : "font-medium"}`}
              >
                {gauge?.words ?? "not yet"}
              </span>
            </span>
          </button>
        );
      })}
    </nav>
  );
}
