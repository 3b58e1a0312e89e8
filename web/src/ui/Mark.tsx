import type { Gauge } from "../api/client";

/** A state as colour and shape: a full dot agreed, a diamond wants attention, a cross wrong, a ring nothing yet. */
export function StateMark({ state }: { state: Gauge["state"] }) {
  const shapes = {
    agreed: <circle cx="6" cy="6" r="5" fill="var(--verdigris)" />,
    attention: <path d="M6 1 11 6 6 11 1 6z" fill="none" stroke="var(--ochre)" strokeWidth="1.8" />,
    wrong: <path d="M2 2l8 8M10 2l-8 8" stroke="var(--madder)" strokeWidth="2.2" />,
    none: <circle cx="6" cy="6" r="4.4" fill="none" stroke="var(--rule)" strokeWidth="1.4" />,
  };
  return (
    <svg viewBox="0 0 12 12" className="h-3 w-3 shrink-0" aria-label={state} role="img">
      {shapes[state]}
    </svg>
  );
}

/** The mark of the house. */
export function HouseMark() {
  return (
    <svg viewBox="0 0 24 24" className="h-6 w-6" aria-hidden>
      <path d="M12 1.5 22 7l-10 5.5L2 7z" fill="none" stroke="var(--ink)" strokeWidth="1.4" strokeDasharray="2 1.3" />
      <path d="M2 11.5 12 17l10-5.5" fill="none" stroke="var(--ink)" strokeWidth="1.6" />
      <path d="M2 16 12 21.5 22 16l-4-2.2-6 3.3-6-3.3z" fill="var(--brick)" />
    </svg>
  );
}
