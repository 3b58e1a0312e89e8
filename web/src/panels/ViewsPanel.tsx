/** Arrange and check: how well the views agree with each other, and how much of each is explained by the part. */

import type { RefObject } from "react";

import type { PartScene } from "../scene/partScene";
import { type ViewFacts, show } from "../scene/sheetData";
import { useTable } from "../state/table";
import { StateMark } from "../ui/Mark";

const AGREED = 99.9;

export function ViewsPanel({ scene, flyTo }: { scene: RefObject<PartScene | null>; flyTo(view: ViewFacts): void }) {
  const { shown, stage, checked } = useTable();
  if (!shown || (stage !== "arrange" && stage !== "check") || !shown.sheet.facts.views.length) return null;
  const { views, agreements } = shown.sheet.facts, mine = checked?.of === shown.computation ? checked : null;
  const why = shown.sheet.facts.notes.filter((n) => n.code === "views").at(-1)?.text;
  const found = new Map(mine?.views.map((v) => [v.name, v])), lit = mine?.views.some((v) => v.unexplained.length) ?? false, lacks = mine?.views.some((v) => v.lacking.length) ?? false;
  return (
    <div className="dash-t max-h-[62%] shrink-0 overflow-y-auto px-3.5 py-2 text-[13px]" role="group" aria-label="Views">
      <span className="cap">Views</span>
      {why ? <p className="mb-1 text-[12px] text-faint">{why}</p> : null}
      <ul>
        {views.map((v) => {
          const one = found.get(v.name);
          return (
            <li key={v.name}>
              <button type="button" className="flex w-full items-center gap-2 rounded py-0.5 text-left hover:bg-blush" title={`Look straight on at the ${v.name} view`} onClick={() => { scene.current?.look(v.name as "front"); flyTo(v); }}>
                <StateMark state={one ? (one.percent >= AGREED ? "agreed" : "attention") : "none"} />
                <span className="flex-1">{v.name}</span>
                {one ? <span className="num">{show(Math.floor(one.percent * 10) / 10, 1)} %</span> : <span className="text-faint">{mine?.state === "looking" ? "looking …" : shown.report.figures.bodies ? "" : "no body yet"}</span>}
              </button>
              {one && one.unexplained_mm > 0 ? <p className="pl-6 text-[12px] text-faint">{show(one.unexplained_mm, 1)} mm drawn that the part has no edge for</p> : null}
              {one && one.lacking_mm > 0 ? <p className="pl-6 text-[12px] text-faint">{show(one.lacking_mm, 1)} mm of edges that the drawing lacks</p> : null}
            </li>
          );
        })}
      </ul>
      {mine?.state === "done" ? <p className="dash-t mt-1 pt-1 text-[12px] text-faint">Share of the drawn length that lies on an edge of the part, seen or hidden.{lit || lacks ? " On the sheet:" : ""}{lit ? <b className="font-normal text-ochre"> not explained</b> : null}{lit && lacks ? "," : ""}{lacks ? <b className="font-normal text-brick"> lacking</b> : null}</p> : mine && mine.state !== "looking" ? <p className="dash-t mt-1 pt-1 text-[12px]">{mine.state}</p> : null}
      {agreements.length ? (
        <table className="dash-t mt-1 w-full text-[12.5px]">
          <thead><tr className="text-left text-faint"><th className="pt-1 font-normal">Shared</th><th className="font-normal">by</th><th className="text-right font-normal">in both</th><th className="text-right font-normal">worst, mm</th></tr></thead>
          <tbody>
            {agreements.map((a) => (
              <tr key={`${a.pair.join()}${a.axis}`}>
                <td className="py-0.5"><span className="inline-flex items-center gap-1.5"><StateMark state={a.holds ? "agreed" : "attention"} />{a.axis}</span></td><td>{a.pair[0]}, {a.pair[1]}</td>
                <td className="num text-right">{a.matched} of {a.matched + a.unmatched}</td><td className="num text-right">{show(a.holds ? a.worst : a.off, 3)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : null}
    </div>
  );
}
