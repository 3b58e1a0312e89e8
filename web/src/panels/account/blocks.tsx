/** What the account page is made of. */

import { type ReactNode, useState } from "react";

import { Written } from "../PartCard";

export type Told = { good: boolean; text: string } | null;
/** Do something, and say above how it went. */
export type Attempt = (act: () => Promise<unknown>, done?: string) => Promise<boolean>;

export function Block({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="rounded-xl border border-rule bg-raised p-5" aria-label={title}>
      <h2 className="cap mb-2">{title}</h2>
      {children}
    </section>
  );
}

export function Line({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="dash-b flex min-h-[42px] items-center gap-3 py-1.5">
      <span className="w-[150px] shrink-0 text-[13.5px] text-faint">{label}</span>
      <span className="min-w-0 flex-1">{children}</span>
    </div>
  );
}

/** A word that is changed by pressing it. */
export function Word({
  label,
  value,
  none,
  done,
}: {
  label: string;
  value: string;
  /** What stands there while there is no word; it may then be emptied too. */
  none?: string;
  done(text: string): void;
}) {
  const [open, setOpen] = useState(false);
  if (!open)
    return (
      <button
        type="button"
        aria-label={`${label}: ${value || (none ?? "")}`}
        className="border-b border-faint text-left font-semibold hover:border-brick"
        onClick={() => {
          setOpen(true);
        }}
      >
        {value || none}
      </button>
    );
  return (
    <Written
      label={label}
      value={value}
      done={(text) => {
        setOpen(false);
        if (text || (none && text !== null)) done(text);
      }}
    />
  );
}

/** A field with what is wanted in it above. */
export function Field({
  label,
  type = "password",
  complete,
  value,
  put,
}: {
  label: string;
  type?: "password" | "text";
  /** What a browser may fill in. */
  complete: string;
  value: string;
  put(text: string): void;
}) {
  return (
    <label className="mt-3 block text-[13px]">
      {label}
      <input
        type={type}
        autoComplete={complete}
        className="mt-1 w-full rounded-lg border border-rule bg-paper px-3 py-1.5"
        value={value}
        onChange={(e) => {
          put(e.target.value);
        }}
      />
    </label>
  );
}
