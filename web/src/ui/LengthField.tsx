import { useEffect, useRef, useState } from "react";

import { takeTypedAhead } from "../state/typedAhead";

/** Typing has come to rest after so long: only then is anything computed of it. */
const RESTS_MS = 300;

interface Props {
  value: string | number;
  label: string;
  first?: boolean;
  /** A plain number, shown without a unit. */
  bare?: boolean;
  /** What stands in the empty field. */
  empty?: string;
  /** Whether what was typed can't be read. */
  refused?: boolean;
  /** Called a moment after typing stops, and at once on Enter. */
  onValue(text: string): Promise<unknown>;
  onEnter?(): void;
  /** What stood in the field when Enter was pressed, or it was left changed. */
  onEntered?(text: string): void;
  onEscape?(): void;
}

/** A length as typed: numbers, units and sums. Keeps the typed text apart from the value it stands for. */
export function LengthField({
  value,
  label,
  first,
  bare = false,
  empty = "",
  refused = false,
  onValue,
  onEnter,
  onEntered,
  onEscape,
}: Props) {
  const shown = bare
    ? String(value)
    : refused
      ? String(value)
      : typeof value === "number"
        ? `${value} mm`
        : /^[\s\d.,+-]+$/.test(value)
          ? `${value} mm`
          : value;
  const [text, setText] = useState<string | null>(null);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const box = useRef<HTMLInputElement>(null);
  const given = useRef(onValue);
  /** What was told last: told again, it would only take away what is shown for it. */
  const told = useRef<string | null>(null);
  useEffect(() => {
    if (!first) return;
    const ahead = takeTypedAhead();
    box.current?.select();
    if (!ahead) return;
    setText(ahead);
    told.current = ahead;
    box.current?.setSelectionRange(ahead.length, ahead.length);
    void given.current(ahead);
  }, [first]);
  useEffect(
    () => () => {
      clearTimeout(timer.current);
    },
    [],
  );
  const now = text ?? shown;
  return (
    <input
      ref={box}
      data-typed=""
      aria-label={label}
      placeholder={empty}
      spellCheck={false}
      autoComplete="off"
      value={now}
      aria-invalid={refused}
      className={`num rounded-lg border bg-paper px-2 py-1 text-center focus:border-brick ${refused ? "border-madder text-madder" : "border-rule"}`}
      style={{ width: `${Math.min(Math.max((now || empty).length, 4) + 3, 28)}ch` }}
      onFocus={(e) => {
        for (const other of e.target.form?.querySelectorAll<HTMLInputElement>("[data-typed]") ?? [])
          other.dataset["typed"] = "";
        e.target.dataset["typed"] = "last";
        e.target.select();
      }}
      onChange={(e) => {
        const typed = e.target.value;
        setText(typed);
        clearTimeout(timer.current);
        timer.current = setTimeout(() => {
          told.current = typed;
          void onValue(typed);
        }, RESTS_MS);
      }}
      onBlur={() => {
        clearTimeout(timer.current);
        if (text !== null && text !== shown && text !== told.current) void onValue(text);
        told.current = null;
        setText(null);
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter") {
          e.preventDefault();
          e.stopPropagation();
          clearTimeout(timer.current);
          void onValue(now).then(() => {
            onEnter?.();
            onEntered?.(now);
          });
        } else if (e.key === "Escape") {
          clearTimeout(timer.current);
          setText(null);
          onEscape?.();
        }
      }}
    />
  );
}
