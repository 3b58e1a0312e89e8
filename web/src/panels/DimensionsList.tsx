/** The dimensions that stand on the part, each with its value: a press lights it, another changes it. */

import { edited } from "../state/rebase";
import { useTable } from "../state/table";
import { save, write } from "../state/work";

export function DimensionsList({ kind }: { kind: string }) {
  const { shown, stage, part, set } = useTable();
  const mine = (part?.card.steps ?? []).filter((s) => s.kind === kind);
  if (!shown || stage !== "check" || !mine.length || !part) return null;
  const found = new Map(
    shown.report.steps.flatMap((s) =>
      s.notes.flatMap((n) => (n.drawn && "dimension" in n.drawn ? [[s.number, n.drawn.dimension] as const] : [])),
    ),
  );
  return (
    <div className="dash-t px-3.5 py-2 text-[13px]" role="group" aria-label="Dimensions on the part">
      <span className="cap">Dimensions</span>
      <ul>
        {mine.map((step) => {
          const one = found.get(step.number),
            problem = shown.report.steps.find((s) => s.number === step.number)?.message;
          return (
            <li key={step.number} className="flex items-baseline gap-2 py-0.5">
              <span className="num w-8 shrink-0 text-faint">{step.number}</span>
              {one ? (
                <button
                  type="button"
                  className="num min-w-0 flex-1 truncate text-left hover:text-brick"
                  title="Show it on the part"
                  onClick={() => {
                    set({ pointed: [0, 1, 2].map((k) => (one.from[k]! + one.to[k]!) / 2) as [number, number, number] });
                  }}
                >
                  {one.text}
                </button>
              ) : (
                <span className="min-w-0 flex-1 text-ochre">
                  {step.on ? (problem ?? "not measured") : "switched off"}
                </span>
              )}
              <button
                type="button"
                className="border-b border-rule text-faint hover:border-brick hover:text-ink"
                onClick={() => void write(step, false)}
              >
                edit
              </button>
              <button
                type="button"
                className="border-b border-rule text-faint hover:border-brick hover:text-ink"
                onClick={() =>
                  void save(
                    edited(part, { ...part.card, steps: part.card.steps!.filter((s) => s.number !== step.number) }),
                    `Deleted ${step.number}`,
                  )
                }
              >
                delete
              </button>
            </li>
          );
        })}
      </ul>
    </div>
  );
}
