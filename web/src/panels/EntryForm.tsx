/** The form by which one gets in: with a name and a password, or by an invitation. */

import { useState } from "react";

import { sentenceOf } from "../state/draft";
import { LANGUAGES, others, speak } from "../words/language";
import { Button } from "../ui/Button";
import { HouseMark } from "../ui/Mark";

export interface EntryField {
  name: string;
  label: string;
  /** What a browser may fill in. */
  complete: string;
  type: "text" | "password";
}

interface Props {
  intro: string;
  fields: readonly EntryField[];
  /** What the button says; without it there is nothing to do but read. */
  words?: string;
  problem?: string;
  /** Another way, beside the button. */
  aside?: { words: string; go(): void };
  submit(given: Record<string, string>): Promise<void>;
}

export function EntryForm({ intro, fields, words, problem, aside, submit }: Props) {
  const [given, setGiven] = useState<Record<string, string>>({}),
    [refused, setRefused] = useState<string | null>(null);
  const told = problem ?? refused;
  return (
    <main className="grid h-full place-items-center">
      <form
        className="w-[350px] rounded-xl border border-rule bg-raised p-7"
        onSubmit={(e) => {
          e.preventDefault();
          submit(given).catch((error: unknown) => {
            setRefused(sentenceOf(error));
          });
        }}
      >
        <div className="flex items-center gap-3">
          <HouseMark />
          <h1 className="text-[22px] font-semibold">Tectogon</h1>
        </div>
        <p className="mt-1 mb-1 text-[14px] text-faint">{intro}</p>
        {fields.map(({ name, label, complete, type }, n) => (
          <label key={name} className="mt-4 block text-[13px]">
            {label}
            <input
              autoFocus={n === 0}
              name={name}
              type={type}
              autoComplete={complete}
              className="mt-1 w-full rounded-lg border border-rule bg-paper px-3 py-2 text-[15px]"
              value={given[name] ?? ""}
              onChange={(e) => {
                setGiven({ ...given, [name]: e.target.value });
              }}
            />
          </label>
        ))}
        {told ? (
          <p className="mt-3 text-[13.5px] text-madder" role="alert">
            {told}
          </p>
        ) : null}
        {words ? (
          <Button tone="main" type="submit" className="mt-5 w-full justify-center !py-2">
            {words}
          </Button>
        ) : null}
        {aside ? (
          <button
            type="button"
            className="mt-3 border-b border-faint text-[13px] text-faint hover:border-brick hover:text-ink"
            onClick={aside.go}
          >
            {aside.words}
          </button>
        ) : null}
        <p className="mt-5 flex gap-3 text-[13px]" translate="no">
          {others().map((language) => (
            <button
              key={language}
              type="button"
              lang={language}
              className="border-b border-rule text-faint hover:border-brick hover:text-ink"
              onClick={() => {
                speak(language);
              }}
            >
              {LANGUAGES[language]}
            </button>
          ))}
        </p>
      </form>
    </main>
  );
}
