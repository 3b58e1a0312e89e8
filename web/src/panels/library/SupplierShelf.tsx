/** A supplier's shelf: his sections by family and number, his drawing and what his table states; taken in by a press,
 * one or a family at once. */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api } from "../../api/client";
import { lengthText } from "../../scene/shownUnits";
import { Button } from "../../ui/Button";

export function SupplierShelf({
  takeIn,
  busy,
  close,
}: {
  takeIn(numbers: string[]): void;
  busy: boolean;
  close(): void;
}) {
  const found = useQuery({ queryKey: ["supplier"], queryFn: api.supplier }).data;
  const [looked, setLooked] = useState<string | null>(null);
  if (!found) return null;
  const families = [...new Set(found.sections.map((s) => s.family))],
    at = looked ?? found.sections[0]?.number;
  return (
    <section className="mb-4 rounded-xl border border-rule bg-raised p-4" aria-label="Supplier’s shelf">
      <div className="mb-2 flex items-center gap-3">
        <h2 className="cap" translate="no">
          {found.name}
        </h2>
        <span className="flex-1 text-[13px] text-faint">
          His drawings, cleaned as they come in; sizes are held against his table.
        </span>
        <a className="border-b border-faint text-[13px] hover:border-brick" href="/api/supplier/table" download>
          His table of sizes
        </a>
        <Button onClick={close}>Close</Button>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_260px] gap-4">
        <div className="max-h-[300px] overflow-y-auto">
          {families.map((family) => {
            const rows = found.sections.filter((s) => s.family === family),
              wanted = rows.filter((s) => !s.here).map((s) => s.number);
            return (
              <div key={family} className="mb-2">
                <div className="dash-b flex items-center gap-3 py-1">
                  <h3 className="flex-1 font-semibold">{family}</h3>
                  <Button
                    className="!py-0.5 text-[13px]"
                    disabled={busy || !wanted.length}
                    onClick={() => {
                      takeIn(wanted);
                    }}
                  >
                    {wanted.length ? `Bring all ${wanted.length} in` : "all are here"}
                  </Button>
                </div>
                {rows.map((s) => (
                  <div
                    key={s.number}
                    className={`dash-b flex items-center gap-3 py-0.5 text-[13.5px] ${s.number === at ? "bg-blush" : ""}`}
                  >
                    <button
                      type="button"
                      className="w-24 text-left font-medium hover:text-brick"
                      onClick={() => {
                        setLooked(s.number);
                      }}
                    >
                      {s.number}
                    </button>
                    <span className="num flex-1 truncate text-[12.5px] text-faint">
                      {lengthText(s.wide_mm, 1)} × {lengthText(s.high_mm, 1)}
                      {s.thickness_mm ? ` · ${lengthText(s.thickness_mm, 2)}` : ""} · {s.kg_per_m.toFixed(2)} kg/m
                    </span>
                    {s.here ? (
                      <span className="text-[13px] text-verdigris">in the library</span>
                    ) : (
                      <button
                        type="button"
                        className="border-b border-faint text-[13px] hover:border-brick disabled:opacity-45"
                        disabled={busy}
                        aria-label={`Take ${s.number} in`}
                        onClick={() => {
                          takeIn([s.number]);
                        }}
                      >
                        take in
                      </button>
                    )}
                  </div>
                ))}
              </div>
            );
          })}
        </div>
        {at ? (
          <figure className="min-w-0">
            <img
              className="h-[240px] w-full rounded-md border border-rule bg-white object-contain p-2"
              src={`/api/supplier/${encodeURIComponent(at)}/picture`}
              alt={`The supplier’s drawing of ${at}`}
            />
            <figcaption className="mt-1 text-[13px] text-faint">{at} as the supplier draws it</figcaption>
          </figure>
        ) : null}
      </div>
    </section>
  );
}
