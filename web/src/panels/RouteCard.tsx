/** The route card: the list of sentences. Press a value to change it; switch a step off; step back; take one out. */

import { useQuery } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";

import { api, type Step, type StepReport } from "../api/client";
import { fileReadBy } from "../state/numbering";
import { withStep } from "../state/draft";
import { edited } from "../state/rebase";
import { useTable } from "../state/table";
import { changeRecorded, renewSection, save, stepBack, takePart, write } from "../state/work";
import { ITEM, MENU } from "../ui/ChoiceField";
import { Sentence } from "./Sentence";

/** `below` stands under the sentences: what the stage at hand has to say of the part as a whole. */
export function RouteCard({ below }: { below: ReactNode }) {
  const { part, shown, draft, upto, looking } = useTable();
  const steps = (looking ?? part)?.card.steps ?? [];
  const reports = new Map(shown?.report.steps.map((s) => [s.number, s]));
  const rows: (Step | "draft")[] = [...steps];
  if (draft?.isNew) rows.splice(steps.filter((s) => s.number < draft.step.number).length, 0, "draft");
  return (
    <aside
      className="flex min-h-0 w-[286px] shrink-0 pb-[var(--told,0px)] max-lg:w-[240px] max-md:w-[190px] flex-col border-l border-rule bg-raised"
      aria-label="Route card"
    >
      <div className="dash-b flex items-center justify-between px-3.5 py-2.5">
        <span className="cap">Route card</span>
        <span className="num text-[12px] text-faint">{steps.length}</span>
      </div>
      <ol className="min-h-0 flex-1 overflow-y-auto">
        {rows.map((row) =>
          row === "draft" ? (
            <DraftRow key="draft" number={draft!.step.number} />
          ) : (
            <Row
              key={row.number}
              step={row}
              report={reports.get(row.number)}
              written={draft?.step.number === row.number}
              after={upto !== null && row.number > upto}
            />
          ),
        )}
      </ol>
      {below}
      {upto !== null ? (
        <button
          type="button"
          className="dash-t bg-blush px-3.5 py-2.5 text-left"
          onClick={() => {
            stepBack(null);
          }}
        >
          Shown as it was after {upto}. <b className="border-b border-brick">Back to now</b>
        </button>
      ) : (
        <p className="dash-t px-3.5 py-2.5 text-[13px] text-faint">
          Press a value to change it. Everything after follows.
        </p>
      )}
    </aside>
  );
}

function DraftRow({ number }: { number: number }) {
  return (
    <li className="dash-b flex gap-3 bg-blush px-3 py-2">
      <span className="num w-7 text-[12px] text-brick">{number}</span>
      <span className="flex-1 text-[13.5px]">being written below</span>
      <span className="text-brick">•</span>
    </li>
  );
}

function Row({
  step,
  report,
  written,
  after,
}: {
  step: Step;
  report: StepReport | undefined;
  written: boolean;
  after: boolean;
}) {
  const failed = report?.status === "failed" && step.on,
    looking = useTable((s) => s.looking);
  const tone = written ? "bg-blush" : after || !step.on ? "opacity-50" : "";
  return (
    <li className={`dash-b group relative flex gap-3 px-3 py-2 ${tone}`} data-step={step.number}>
      <span className={`num w-7 shrink-0 pt-px text-[12px] ${failed ? "text-madder" : "text-faint"}`}>
        {step.number}
      </span>
      <div className="min-w-0 flex-1 text-[13.5px] leading-[1.4] break-words">
        <span className={step.on ? "" : "line-through"}>
          <Sentence
            tokens={report?.tokens ?? [{ text: step.kind.replace(/_/g, " "), field: null, editor: null }]}
            boxed={false}
            onValue={(field, value) => changeRecorded(step.number, field, value)}
            onPick={() => {
              void write(step, false);
            }}
          />
        </span>
        {failed ? (
          <p className="mt-1 text-[12.5px] text-madder" role="alert">
            {report.message}
          </p>
        ) : null}
        {failed && report.likely && !looking ? (
          <Offered
            text={`Likeliest now: ${report.likely.text}.`}
            does="Use it"
            take={() => {
              void changeRecorded(step.number, report.likely!.field, report.likely!.value);
            }}
          />
        ) : null}
        {typeof step.params?.["section"] === "string" && step.params["section"] ? <NewerIssue step={step} /> : null}
        {step.kind === "place_part" && step.params?.["part"] ? <NewerRevision step={step} /> : null}
      </div>
      <StepMenu step={step} failed={failed} />
    </li>
  );
}

/** A newer issue of the section that a bar is of, offered. */
function NewerIssue({ step }: { step: Step }) {
  const sections = useQuery({ queryKey: ["library"], queryFn: api.library }).data?.sections ?? [];
  const now = sections.find((s) => s.number === step.params!["section"] && !s.away);
  if (!now || now.issue <= Number(step.params!["issue"] ?? 1)) return null;
  return (
    <Offered
      text={`The library has issue ${now.issue}.`}
      take={() => {
        void renewSection(step.number, now.id);
      }}
    />
  );
}

/** A newer revision of the part that is placed, offered. */
function NewerRevision({ step }: { step: Step }) {
  const parts = useQuery({ queryKey: ["parts"], queryFn: api.parts, refetchOnMount: "always" }).data ?? [];
  const now = parts.find((p) => p.id === step.params!["part"]);
  if (!now || now.revision <= Number(step.params!["revision"] ?? 0)) return null;
  return (
    <Offered
      text={`${now.name} is at revision ${now.revision}.`}
      take={() => {
        void takePart(now.id, step.number);
      }}
    />
  );
}

function Offered({ text, does = "See what comes of it", take }: { text: string; does?: string; take(): void }) {
  return (
    <p className="mt-1 text-[12.5px] text-ochre">
      {text}{" "}
      <button type="button" className="border-b border-ochre hover:text-brick" onClick={take}>
        {does}
      </button>
    </p>
  );
}

function StepMenu({ step, failed }: { step: Step; failed: boolean }) {
  /** The record with another step in its place, or none. */
  const put = (instead: Step[], words: string) => {
    const part = useTable.getState().part!,
      others = part.card.steps!.filter((s) => s.number !== step.number),
      basedOn = { ...part, card: withStep(part.card, step) };
    void save(edited(basedOn, { ...part.card, steps: [...others, ...instead] }), words);
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          type="button"
          aria-label={`What to do with ${step.number}`}
          className="h-6 w-6 shrink-0 rounded text-[12px] hover:bg-blush"
        >
          {failed ? (
            <span className="text-madder">✕</span>
          ) : step.on ? (
            <span className="text-verdigris">✓</span>
          ) : (
            <span className="text-faint">○</span>
          )}
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className={MENU} align="end">
          {fileReadBy(step) === null ? (
            <DropdownMenu.Item
              className={ITEM}
              onSelect={() => {
                void write(step, false);
              }}
            >
              Edit
            </DropdownMenu.Item>
          ) : null}
          <DropdownMenu.Item
            className={ITEM}
            onSelect={() => {
              put([{ ...step, on: !step.on }], `Switched ${step.number} ${step.on ? "off" : "on"}`);
            }}
          >
            {step.on ? "Switch off" : "Switch on"}
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className={ITEM}
            onSelect={() => {
              stepBack(step.number);
            }}
          >
            See the part as it was after this; insert here
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className={`${ITEM} text-madder`}
            onSelect={() => {
              put([], `Deleted ${step.number}`);
            }}
          >
            Delete
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
