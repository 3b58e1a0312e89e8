/**
 * How a file is read, where its format leaves a choice: each is a value of the step that reads it, described by the
 * core.
 */

import type { ReactNode } from "react";

import { api, type Step } from "../api/client";
import type { ReadOption, SourceFacts } from "../scene/sheetData";
import { sentenceOf } from "../state/draft";
import { useTable } from "../state/table";
import { changeRecorded, changeStep } from "../state/work";
import { ChoiceField } from "../ui/ChoiceField";
import { LengthField } from "../ui/LengthField";

const SMALL = "rounded border border-rule bg-paper px-2 py-0.5 text-[12.5px] hover:border-faint";

interface FieldProps {
  option: ReadOption;
  read: Step;
  value: unknown;
}

export function ReadChoices({ source, read }: { source: SourceFacts; read: Step }) {
  const valueOf = (field: string) =>
    read.params?.[field] ?? source.options.find((o) => o.field === field)?.usual ?? null;
  const shown = source.options.filter(({ needs }) => {
    if (!needs) return true;
    const value = valueOf(needs[0]);
    return needs[1] ? value === needs[1] : value !== null;
  });
  if (!shown.length) return null;
  return (
    <div className="dash-t mt-2.5 flex flex-wrap gap-x-5 gap-y-1.5 pt-2 text-[13.5px]">
      {shown.map((option) => {
        const Field = FIELDS[option.editor];
        return (
          <span key={option.field} className="flex items-center gap-2">
            {option.label ? (
              <span className="text-faint">{option.label.charAt(0).toUpperCase() + option.label.slice(1)}</span>
            ) : null}
            <Field option={option} read={read} value={valueOf(option.field)} />
          </span>
        );
      })}
    </div>
  );
}

const FIELDS: Record<ReadOption["editor"], (props: FieldProps) => ReactNode> = {
  choice: Choice,
  switch: Switch,
  number: Figure,
  colour: Colour,
  part: Part,
};

function Choice({ option, read, value }: FieldProps) {
  return (
    <ChoiceField
      boxed={false}
      label={option.field}
      text={option.words[String(value)] ?? String(value)}
      value={String(value)}
      options={Object.entries(option.words).map(([code, label]) => ({ value: code, label }))}
      onValue={(v) => {
        void changeRecorded(read.number, option.field, v);
      }}
    />
  );
}

function Switch({ option, read, value }: FieldProps) {
  return (
    <button
      type="button"
      className={SMALL}
      onClick={() => {
        void changeRecorded(read.number, option.field, !value);
      }}
    >
      {option.words[String(value)]}
    </button>
  );
}

function Figure({ option, read, value }: FieldProps) {
  return (
    <LengthField
      bare
      empty={option.empty}
      value={value === null ? "" : String(value as number)}
      label={option.field.replace(/_/g, " ")}
      onValue={async (text) => {
        try {
          const value = text === "" ? option.usual : await api.number(text);
          await changeRecorded(read.number, option.field, value);
        } catch (error) {
          useTable.setState({ trouble: sentenceOf(error) });
        }
      }}
    />
  );
}

function Colour({ option, read, value }: FieldProps) {
  const { sheetAsks, set } = useTable();
  return (
    <>
      <button
        type="button"
        className={SMALL}
        aria-pressed={sheetAsks?.what === "colour"}
        onClick={() => {
          set({ sheetAsks: { what: "colour", step: read.number } });
        }}
      >
        {typeof value === "string" ? (
          <>
            <span
              className="mr-1.5 inline-block h-2.5 w-2.5 border border-rule align-middle"
              style={{ background: value }}
            />
            {value}
          </>
        ) : (
          "press one on the picture"
        )}
      </button>
      {value ? (
        <button
          type="button"
          className={SMALL}
          onClick={() => {
            void changeRecorded(read.number, option.field, null);
          }}
        >
          {option.empty}
        </button>
      ) : null}
    </>
  );
}

/** A part of the picture, as a box or by a line drawn round it. */
function Part({ read }: FieldProps) {
  const { sheetAsks, set } = useTable();
  const whole = !read.params?.["region"] && !(read.params?.["polygon"] as unknown[] | undefined)?.length;
  return (
    <>
      <button
        type="button"
        className={SMALL}
        aria-pressed={sheetAsks?.what === "part"}
        onClick={() => {
          set({ sheetAsks: { what: "part", step: read.number } });
        }}
      >
        {whole ? "all of it; draw round a part" : "a part; draw another"}
      </button>
      {whole ? null : (
        <button
          type="button"
          className={SMALL}
          onClick={() => {
            void changeStep(read.number, { region: null, polygon: [] }, "the whole picture");
          }}
        >
          all of it
        </button>
      )}
    </>
  );
}
