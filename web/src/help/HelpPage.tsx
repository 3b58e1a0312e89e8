/** The everyday jobs step by step, what is new, and a search through both. */

import { useState } from "react";

import { Button } from "../ui/Button";
import { HouseMark } from "../ui/Mark";
import { type Job, JOBS, NEWS } from "./jobs";

const PICTURES = import.meta.glob<string>("../../../docs/screenshots/*.png", {
  eager: true,
  query: "?url",
  import: "default",
});

export function HelpPage({ at, leave }: { at: string; leave(): void }) {
  const [text, setText] = useState(""),
    [shown, setShown] = useState(at || JOBS[0]!.key);
  const found = JOBS.filter((j) => matches(j, text)),
    job = found.find((j) => j.key === shown) ?? found[0];
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-11 shrink-0 items-center gap-3 border-b border-rule px-4">
        <HouseMark />
        <h1 className="text-[17px] font-semibold">Help</h1>
        <span className="text-[13px] text-faint">the everyday jobs, step by step</span>
        <span className="flex-1" />
        <Button className="!py-0.5" onClick={leave}>
          Back
        </Button>
      </header>
      <div className="flex min-h-0 flex-1 max-md:flex-col">
        <nav
          className="w-[300px] shrink-0 overflow-y-auto border-r border-rule px-4 py-4 max-md:max-h-[40%] max-md:w-full"
          aria-label="Jobs"
        >
          <input
            autoFocus
            aria-label="Search the help"
            placeholder="Search the help"
            className="w-full rounded-lg border border-rule bg-raised px-3 py-1.5"
            value={text}
            onChange={(e) => {
              setText(e.target.value);
            }}
          />
          <ul className="mt-3">
            {found.map((j) => (
              <li key={j.key} className="dash-b">
                <button
                  type="button"
                  aria-current={j === job}
                  className={`w-full px-2 py-1.5 text-left text-[14px] hover:text-brick ${j === job ? "bg-blush" : ""}`}
                  onClick={() => {
                    setShown(j.key);
                  }}
                >
                  {j.title}
                </button>
              </li>
            ))}
          </ul>
          {found.length ? null : <p className="mt-3 text-faint">Nothing here speaks of that.</p>}
          <h2 className="cap mt-6">What is new</h2>
          {NEWS.map((n) => (
            <section key={n.when} className="mt-2 text-[13px]">
              <h3 className="text-faint">{n.when}</h3>
              <ul className="mt-1 list-disc space-y-1 pl-4">
                {n.what.map((w) => (
                  <li key={w}>{w}</li>
                ))}
              </ul>
            </section>
          ))}
        </nav>
        {job ? (
          <main className="min-w-0 flex-1 overflow-y-auto px-8 py-6" aria-label={job.title} tabIndex={0}>
            <h2 className="text-[22px] font-semibold">{job.title}</h2>
            <p className="mt-1 text-faint">{job.from}</p>
            <ol className="mt-4 max-w-[720px] space-y-2.5">
              {job.steps.map((s, n) => (
                <li key={s} className="flex gap-3">
                  <span className="num w-6 shrink-0 text-right text-brick">{n + 1}</span>
                  <span>{s}</span>
                </li>
              ))}
            </ol>
            <figure className="mt-6 max-w-[900px]">
              <img
                className="w-full rounded-lg border border-rule"
                src={PICTURES[`../../../docs/screenshots/${job.picture}.png`]}
                alt={job.shows}
              />
              <figcaption className="mt-1 text-[13px] text-faint">{job.shows}</figcaption>
            </figure>
          </main>
        ) : (
          <div className="flex-1" />
        )}
      </div>
    </div>
  );
}

const matches = (job: Job, text: string): boolean =>
  text
    .toLowerCase()
    .split(/\s+/)
    .every((word) => [job.title, job.from, ...job.steps].join(" ").toLowerCase().includes(word));
