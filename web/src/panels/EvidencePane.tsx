/** What came in: the unit with its evidence, the layers, and what was read but is no geometry. */

import type { LayerFacts, SheetFacts } from "../scene/sheetData";
import { useTable } from "../state/table";
import { changeRecorded, save, withStep } from "../state/work";
import { ChoiceField } from "../ui/ChoiceField";
import { StateMark } from "../ui/Mark";

const UNITS = ["auto", "mm", "cm", "m", "in", "ft", "mil", "um"];

export function EvidencePane() {
  const { shown, part } = useTable();
  if (!shown || !part) return <section className="grid place-items-center text-faint" aria-label="What came in">Reading…</section>;
  const { facts, curves } = shown.sheet;
  const read = part.card.steps!.find((s) => s.kind === "read");
  const skipped = Object.entries(facts.skipped);
  const [x0, y0, x1, y1] = facts.extents;
  return (
    <section className="min-h-0 overflow-y-auto px-4 py-3" aria-label="What came in">
      <span className="cap">What came in</span>
      {facts.sources.map((source) => (
        <div key={source.name} className="mt-2.5 rounded-xl border border-rule bg-raised p-3.5">
          <div className="flex items-center gap-3">
            <span className="num text-[22px] font-medium">{source.unit}</span>
            <h2 className="flex-1 text-[15px] font-semibold">{source.unit !== source.proposed ? "You chose the unit" : source.sure ? "We are sure of the unit" : "We are not sure of the unit"}</h2>
            {read ? (
              <ChoiceField boxed label="unit" text="Use another unit" value={String(read.params?.["unit"] ?? "auto")} options={UNITS.map((u) => ({ value: u, label: u === "auto" ? `${source.proposed}, as proposed` : u }))}
                onValue={(u) => { void changeRecorded(read.number, "unit", u); }} />
            ) : null}
          </div>
          <ul className="mt-2 space-y-1 text-[13.5px]">
            {source.facts.map((f) => <li key={f.text} className="flex items-center gap-2.5"><StateMark state={f.agrees ? "agreed" : "attention"} /><span className="flex-1">{f.text}</span><span className="num text-[12px] text-faint">{f.rests_on}</span></li>)}
          </ul>
          <p className="mt-2 text-[13px] text-faint">{source.name}: {source.format} {source.version}, <span className="num">{(x1 - x0).toFixed(2)} × {(y1 - y0).toFixed(2)} mm</span></p>
        </div>
      ))}
      <h2 className="mt-4 text-[15px] font-semibold">Layers <span className="ml-1 text-[13px] font-normal text-faint">{curves} curves on {facts.layers.filter((l) => l.curves).length}</span></h2>
      <Layers layers={facts.layers.filter((l) => l.curves)} />
      <h2 className="mt-4 text-[15px] font-semibold">Not geometry <span className="ml-1 text-[13px] font-normal text-faint">known for what it is, and not taken for lines</span></h2>
      {skipped.length ? <ul className="mt-1">{skipped.map(([kind, n]) => <li key={kind} className="dash-t flex justify-between py-1.5 text-[13.5px]"><span>{kind.toLowerCase()}</span><span className="num">{n}</span></li>)}</ul> : <p className="mt-1 text-[13.5px] text-faint">Nothing else was in the file.</p>}
      <Notes facts={facts} />
    </section>
  );
}

function Notes({ facts }: { facts: SheetFacts }) {
  if (!facts.notes.length) return null;
  return <ul className="mt-3 space-y-1 text-[13.5px] text-ochre">{facts.notes.map((n) => <li key={n.text}>{n.text}</li>)}</ul>;
}

function Layers({ layers }: { layers: LayerFacts[] }) {
  return (
    <ul className="mt-1">
      {layers.map((layer) => (
        <li key={layer.name} className="dash-t flex items-center gap-3 py-1.5 text-[13.5px]">
          <svg width="44" height="8" aria-hidden><line x1="0" x2="44" y1="4" y2="4" stroke={layer.colour === "#000000" ? "var(--ink)" : layer.colour} strokeWidth="1.6" strokeDasharray={dashes(layer.linetype)} /></svg>
          <span className="min-w-0 flex-1 truncate" title={`${layer.name}, ${layer.linetype.toLowerCase()}`}>{layer.name} <span className="text-faint">{layer.linetype.toLowerCase()}</span></span>
          <span className="num">{layer.curves}</span>
          <button type="button" role="switch" aria-checked={layer.kept > 0} aria-label={`Layer ${layer.name}`} disabled={!layer.on}
            className="w-[86px] rounded-md border border-rule bg-paper px-2 py-0.5 text-[12.5px] hover:border-faint disabled:opacity-50" onClick={() => { toggle(layer); }}>
            {!layer.on ? "off in file" : layer.kept ? "Leave out" : "Take back"}
          </button>
        </li>
      ))}
    </ul>
  );
}

function dashes(linetype: string): string {
  const name = linetype.toUpperCase();
  if (/CENT|CHAIN|PHANTOM|DASHDOT/.test(name)) return "12 3 3 3";
  return /HIDDEN|DASH/.test(name) ? "5 3" : "";
}

/** Leaving a layer out is an operation: the last such step takes it in, or gives it back. */
function toggle(layer: LayerFacts): void {
  const { part } = useTable.getState();
  if (!part) return;
  const steps = part.card.steps!;
  const holds = steps.filter((s) => s.kind === "leave_out" && ((s.params?.["layers"] as string[] | undefined) ?? []).includes(layer.name));
  if (layer.kept || !holds.length) {
    const last = steps.findLast((s) => s.kind === "leave_out");
    const numbers = steps.map((s) => s.number), reads = steps.filter((s) => s.kind === "read").map((s) => s.number);
    const after = Math.max(...reads), next = Math.min(...numbers.filter((n) => n > after), Infinity);
    const fresh = next === Infinity ? (Math.floor(after / 10) + 1) * 10 : Math.floor((after + next) / 2);
    const layers = [...((last?.params?.["layers"] as string[] | undefined) ?? []), layer.name];
    void save(withStep(part.card, last ? { ...last, params: { ...last.params, layers } } : { number: fresh, kind: "leave_out", params: { layers: [layer.name] }, on: true }), `Left out layer ${layer.name}`);
    return;
  }
  const kept = steps.flatMap((s) => {
    if (!holds.includes(s)) return [s];
    const layers = (s.params!["layers"] as string[]).filter((n) => n !== layer.name);
    return layers.length || ((s.params!["curves"] as string[] | undefined) ?? []).length ? [{ ...s, params: { ...s.params, layers } }] : [];
  });
  void save({ ...part.card, steps: kept }, `Took layer ${layer.name} back`);
}
