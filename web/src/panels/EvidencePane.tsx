/**
 * The intake: what came in, how sure its unit is, what we would leave out, and a legend of everything by which it can
 * be told apart.
 */

import type { Kind } from "../api/client";
import type { SheetScene } from "../scene/sheetScene";
import { useTable } from "../state/table";
import { AddSource } from "./AddSource";
import { Legend } from "./Legend";
import { PointTable } from "./PointTable";
import { Proposals } from "./Proposals";
import { Remarks } from "./Remarks";
import { SourceCard } from "./SourceCard";

export function EvidencePane({ scene, kinds }: { scene: React.RefObject<SheetScene | null>; kinds: Kind[] }) {
  const { shown, part, trouble } = useTable();
  if (!shown || !part)
    return (
      <section className="grid place-items-center px-8 text-center text-faint" aria-label="What came in">
        {trouble ?? "Reading…"}
      </section>
    );
  const { sheet } = shown,
    { facts } = sheet;
  const skipped = Object.entries(facts.skipped);
  return (
    <section className="min-h-0 overflow-y-auto px-4 py-3" aria-label="What came in">
      <div className="flex items-center gap-3">
        <span className="cap">What came in</span>
        <span className="num flex-1 text-[13px] text-faint">
          {sheet.curves
            ? `${(facts.extents[2] - facts.extents[0]).toFixed(2)} × ${(facts.extents[3] - facts.extents[1]).toFixed(2)} mm`
            : ""}
        </span>
        <AddSource drawing={kinds.find((k) => k.begins_sheet && k.offered)} />
      </div>
      {facts.sources.map((source) => (
        <SourceCard
          key={source.name}
          source={source}
          read={part.card.steps!.find((s) => s.number === source.step) ?? null}
        />
      ))}
      {facts.character ? <p className="mt-3 text-[13px] text-faint">{facts.character}</p> : null}
      <Proposals sheet={sheet} card={part.card} kinds={kinds} />
      <Legend sheet={sheet} card={part.card} kinds={kinds} />
      {facts.sources.map((source) =>
        source.sets.length ? <PointTable key={source.name} source={source} scene={scene} /> : null,
      )}
      {skipped.length ? (
        <>
          <h2 className="mt-4 text-[15px] font-semibold">
            Not lines{" "}
            <span className="ml-1 text-[13px] font-normal text-faint">
              known for what it is, and not taken for geometry
            </span>
          </h2>
          <ul className="mt-1 columns-2 gap-6">
            {skipped.map(([kind, n]) => (
              <li key={kind} className="dash-t flex justify-between py-1 text-[13.5px]">
                <span className="truncate">{kind.toLowerCase()}</span>
                <span className="num">{n}</span>
              </li>
            ))}
          </ul>
        </>
      ) : null}
      <Remarks className="mt-4" notes={shown.report.notes} sheet={sheet} scene={scene} />
    </section>
  );
}
