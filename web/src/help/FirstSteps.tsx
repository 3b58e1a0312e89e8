/** A card that leads through the demo's bracket in five presses; closed, or done, it does not come back. */

import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { api } from "../api/client";
import { useTable } from "../state/table";
import { after, keepStep, LED_THROUGH, nextStep, STEPS } from "./firstSteps";

const LED = { text: LED_THROUGH, labels: [], archived: false, order: "changed" };

export function FirstSteps() {
  const { part, stage } = useTable(),
    [step, setStep] = useState(nextStep),
    begun = useRef<{ part: number; revision: number } | null>(null),
    elsewhere = part !== null && part.name !== LED_THROUGH;
  useEffect(() => {
    if (step === null || elsewhere) return;
    if (part && begun.current?.part !== part.id) begun.current = { part: part.id, revision: part.revision };
    const now = after(step, { part, stage }, begun.current?.revision ?? Infinity);
    if (now === step) return;
    keepStep(now);
    setStep(now);
  }, [step, part, stage, elsewhere]);
  const led = useQuery({
    queryKey: ["shelf", LED_THROUGH],
    queryFn: () => api.shelf(LED, 0, 10),
    enabled: step !== null,
  });
  if (step === null || elsewhere || !led.data?.parts.some((p) => p.name === LED_THROUGH)) return null;
  const away = () => {
    keepStep(null);
    setStep(null);
  };
  return (
    <aside
      className={`fixed left-4 z-30 w-[300px] rounded-xl border border-rule bg-raised p-4 text-[13.5px] shadow-xl ${part ? "bottom-[calc(150px+var(--told,0px))]" : "bottom-4"}`}
      aria-label="First steps"
    >
      <div className="flex items-baseline gap-2">
        <h2 className="cap flex-1">Five presses{part && step < STEPS.length ? `: ${step + 1} of 5` : ""}</h2>
        <button type="button" className="text-[12.5px] text-faint hover:text-brick" onClick={away}>
          {step >= STEPS.length ? "done" : "close"}
        </button>
      </div>
      <ol className="mt-2 space-y-1.5">
        {STEPS.map((s, n) =>
          part && n !== step ? null : (
            <li key={n} className={`flex gap-2 ${n === step ? "" : "text-faint"}`} aria-current={n === step}>
              <span className={`num w-4 shrink-0 ${n < step ? "text-verdigris" : n === step ? "text-brick" : ""}`}>
                {n < step ? "✓" : n + 1}
              </span>
              {n === step ? <b className="font-medium">{s.words}</b> : <span>{s.words}</span>}
            </li>
          ),
        )}
      </ol>
      {step >= STEPS.length ? (
        <p className="mt-2 text-verdigris">That is all of it. Help, in the menu with your initials, has the rest.</p>
      ) : null}
    </aside>
  );
}
