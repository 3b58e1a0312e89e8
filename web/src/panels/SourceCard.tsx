/** One source: its unit with what speaks for it, how it was read, and a newer issue of it. */

import { useRef } from "react";

import { api, type Step } from "../api/client";
import type { SourceFacts } from "../scene/sheetData";
import { MM_OF } from "../scene/shownUnits";
import { sentenceOf } from "../state/draft";
import { useTable } from "../state/table";
import { changeRecorded, holdIssue } from "../state/work";
import { Button } from "../ui/Button";
import { ChoiceField } from "../ui/ChoiceField";
import { LengthField } from "../ui/LengthField";
import { StateMark } from "../ui/Mark";
import { ReadChoices } from "./ReadChoices";

const IN_WORDS: Record<string, string> = { in: "inches", ft: "feet", px: "pixels", pt: "points" };
const UNITS = ["auto", "mm", "cm", "m", "in", "ft", "mil", "um", "px", "pt"];

/** A unit as people say it: a name, or how long one unit is. */
function shownUnit(unit: string): string {
  return /^[\d.]/.test(unit)
    ? `1 = ${Number(unit)
        .toPrecision(4)
        .replace(/\.?0+$/, "")} mm`
    : unit;
}

export function SourceCard({ source, read }: { source: SourceFacts; read: Step | null }) {
  const chooser = useRef<HTMLInputElement>(null);
  const heading = source.chosen
    ? "You chose the unit"
    : source.sure
      ? "We are sure of the unit"
      : "We are not sure of the unit";
  const value = String(read?.params?.["unit"] ?? "auto");
  const options = [...UNITS, ...(UNITS.includes(value) ? [] : [value])].map((u) => ({
    value: u,
    label: u === "auto" ? `${shownUnit(source.proposed)}, as proposed` : shownUnit(u),
  }));
  const chord = source.sets.length === 1 ? source.sets[0]!.chord : 0;
  return (
    <div className="mt-2.5 rounded-xl border border-rule bg-raised p-3.5">
      <div className="flex items-center gap-3">
        <span className="num text-[18px] font-medium whitespace-nowrap">{shownUnit(source.unit)}</span>
        <h2 className="flex-1 text-[15px] font-semibold">{heading}</h2>
        {read && !source.sure && !source.chosen ? (
          <Button
            tone="main"
            onClick={() => {
              void changeRecorded(read.number, "unit", source.unit);
            }}
          >
            It is {IN_WORDS[source.unit] ?? shownUnit(source.unit)}
          </Button>
        ) : null}
        {read ? (
          <ChoiceField
            boxed
            label="unit"
            text="Use another unit"
            value={value}
            options={options}
            onValue={(u) => {
              void changeRecorded(read.number, "unit", u);
            }}
          />
        ) : null}
      </div>
      <ul className="mt-2 space-y-1 text-[13.5px]">
        {source.facts.map((f) => (
          <li key={f.text} className="flex items-center gap-2.5">
            <StateMark state={f.agrees ? "agreed" : "attention"} />
            <span className="flex-1">{f.text}</span>
            <span className="num text-[12px] text-faint">{f.rests_on}</span>
          </li>
        ))}
      </ul>
      {read && chord ? (
        <label className="mt-2 flex items-center gap-2 text-[13.5px]">
          Its chord is
          <LengthField
            key={source.unit}
            label="Chord"
            value={Number((chord * (MM_OF[source.unit] ?? (Number(source.unit) || 1))).toPrecision(7))}
            // a chord is one typed size of the part: the unit follows from it
            onValue={() => Promise.resolve()}
            onEntered={(typed) => {
              api.length(typed).then(
                (mm) => changeRecorded(read.number, "unit", String(Number((mm / chord).toPrecision(12)))),
                (error: unknown) => {
                  useTable.setState({ trouble: sentenceOf(error) });
                },
              );
            }}
          />
        </label>
      ) : null}
      <div className="mt-2 flex items-center gap-3 text-[13px] text-faint">
        <span className="min-w-0 flex-1 truncate" title={source.name}>
          {source.name}: {source.format} {source.version}
        </span>
        <input
          ref={chooser}
          type="file"
          className="sr-only"
          tabIndex={-1}
          aria-label={`Newer issue of ${source.name}`}
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) void holdIssue(source.name, file);
            e.target.value = "";
          }}
        />
        <button
          type="button"
          title="What changed is shown before anything is replaced"
          className="shrink-0 border-b border-faint text-ink hover:border-brick"
          onClick={() => {
            chooser.current?.click();
          }}
        >
          A newer issue of it
        </button>
      </div>
      {read ? <ReadChoices source={source} read={read} /> : null}
    </div>
  );
}
