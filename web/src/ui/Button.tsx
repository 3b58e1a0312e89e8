import type { ButtonHTMLAttributes, ReactNode } from "react";

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  tone?: "main" | "good" | "plain" | "quiet";
  hint?: string;
  children: ReactNode;
}

const TONES = {
  main: "bg-brick text-onbrick font-semibold hover:brightness-110",
  good: "bg-verdigris text-onbrick font-semibold hover:brightness-110",
  plain: "bg-paper border border-rule hover:border-faint",
  quiet: "hover:bg-blush",
};

/** A button that says what it does, with its key beside it. */
export function Button({ tone = "plain", hint, children, className = "", ...rest }: Props) {
  return (
    <button
      type="button"
      className={`inline-flex items-center gap-2 rounded-lg px-3 py-1.5 disabled:opacity-45 ${TONES[tone]} ${className}`}
      {...rest}
    >
      {children}
      {hint ? (
        <kbd className={tone === "main" ? "!border-onbrick/40 !bg-transparent !text-onbrick" : ""}>{hint}</kbd>
      ) : null}
    </button>
  );
}
