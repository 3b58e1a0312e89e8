/** A bar at the foot of the page: five presses through the demo's bracket; closed, or done, it does not come back. */

import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";

import { api } from "../api/client";
import { useTable } from "../state/table";
import { after, keepStep, LED_THROUGH, nextStep, STEPS } from "./firstSteps";

const LED = { text: LED_THROUGH, labels: [], archived: false, order: "changed" };

function FirstSteps() {
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
      className="flex shrink-0 items-baseline gap-3 border-t border-rule bg-blush px-4 py-1.5 text-[13.5px]"
      aria-label="First steps"
    >
      <h2 className="cap whitespace-nowrap">Five presses</h2>
      <ol className="flex min-w-0 flex-1 items-baseline gap-3">
        {STEPS.map((s, n) => (
          <li
            key={n}
            className={n === step ? "min-w-0" : "num text-faint max-md:hidden"}
            title={s.words}
            aria-current={n === step}
          >
            <span className={`num ${n < step ? "text-verdigris" : n === step ? "mr-2 text-brick" : ""}`}>
              {n < step ? "✓" : n + 1}
            </span>
            {n === step ? <b className="font-medium">{s.words}</b> : <span className="sr-only">{s.words}</span>}
          </li>
        ))}
        {step >= STEPS.length ? (
          <li className="text-verdigris">That is all of it. Help, in the menu with your initials, has the rest.</li>
        ) : null}
      </ol>
      <button type="button" className="border-b border-faint text-[12.5px] hover:text-brick" onClick={away}>
        {step >= STEPS.length ? "done" : "close"}
      </button>
    </aside>
  );
}

/** A page with the first steps at its foot, for as long as they lead. */
export function WithFirstSteps({ children }: { children: ReactNode }) {
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1">{children}</div>
      <FirstSteps />
    </div>
  );
}
