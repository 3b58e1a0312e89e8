/** The writing line: the operation as a sentence, its effect beside it, and the one press that records it. */

import { type ReactNode, type RefObject, useEffect, useRef } from "react";

import type { Kind, Stage } from "../api/client";
import { volumeText } from "../scene/shownUnits";
import type { SheetScene } from "../scene/sheetScene";
import { wantsRegions } from "../state/draft";
import { type Draft, useTable } from "../state/table";
import { change, drop, record, resume } from "../state/work";
import { Button } from "../ui/Button";
import { Remarks } from "./Remarks";
import { Sentence } from "./Sentence";

/** Stages with a pane of their own for what steps have to say. */
const TOLD_ELSEWHERE = new Set<Stage>(["bring_in", "arrange"]);

export function WritingLine({
  idle,
  kinds,
  recorded,
  scene,
}: {
  idle: string;
  kinds: Kind[];
  recorded: number | null;
  scene: RefObject<SheetScene | null>;
}) {
  const { draft, trouble, shown, shownStep, aside, stage, set } = useTable();
  if (!draft) {
    return (
      <div className="flex h-[76px] [@media(max-height:520px)]:h-[60px] items-center gap-3 px-4">
        {trouble ? (
          <Trouble
            text={trouble}
            close={() => {
              set({ trouble: null });
            }}
          />
        ) : (
          <p className="flex-1 text-faint">{idle}</p>
        )}
        {aside ? <Aside draft={aside} /> : null}
      </div>
    );
  }
  const mine = shownStep === draft.step ? shown?.report.steps.find((s) => s.number === draft.step.number) : undefined;
  const wants = mine?.code === "unfinished" && !trouble ? mine.message : null;
  const problem = draft.problem ?? (mine?.status === "failed" ? mine.message : trouble);
  return (
    <form
      className="flex min-h-[76px] [@media(max-height:520px)]:min-h-[60px] items-center gap-2 px-4"
      aria-label="Writing line"
      onSubmit={(e) => {
        e.preventDefault();
        void record();
      }}
    >
      <div className="flex -m-1 max-h-[122px] [@media(max-height:520px)]:max-h-[82px] min-w-0 flex-1 flex-wrap items-center gap-x-2 gap-y-1 overflow-y-auto p-1 text-[15px]">
        {draft.tokens.length ? (
          <Sentence
            key={`${draft.step.kind}${draft.step.number}`}
            tokens={trimmed(draft)}
            boxed
            onValue={async (field, value) => {
              await change(field, value);
            }}
            onEnter={() => {
              void record();
            }}
          />
        ) : (
          <span className="text-faint">{kinds.find((k) => k.name === draft.step.kind)?.label}…</span>
        )}
        {problem ? null : (
          <Effect after={mine?.status === "ok" ? (shown?.report.figures.volume_mm3 ?? null) : null} before={recorded} />
        )}
      </div>
      <Told>
        {wants && !draft.problem ? (
          <p className="text-[13px] text-faint" role="status">
            {wants}
            {wantsRegions(draft) ? " Shift takes more, a box all that lies in it, A all material." : ""}
          </p>
        ) : problem ? (
          <p className="text-[13px] text-madder" role="alert">
            {problem}
          </p>
        ) : null}
        {mine && shown && !TOLD_ELSEWHERE.has(stage) ? (
          <Remarks className="max-h-24 overflow-y-auto" notes={mine.notes} sheet={shown.sheet} scene={scene} />
        ) : null}
      </Told>
      {aside ? <Aside draft={aside} /> : null}
      <Button
        tone="quiet"
        hint="Esc"
        onClick={() => {
          drop();
        }}
      >
        Drop
      </Button>
      {mine?.status === "failed" && !wants && !draft.problem ? (
        <Button
          title="It stays on the card, marked, until what it lacks is there"
          onClick={() => {
            void record(true);
          }}
        >
          Record it marked
        </Button>
      ) : null}
      <Button tone="main" hint="Enter" type="submit">
        Record
      </Button>
    </form>
  );
}

/**
 * What is to be said of what is being written, over the foot of the panes: these keep their size, so that nothing moves
 * under the pointer, and lift what they write there.
 */
function Told({ children }: { children: ReactNode }) {
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const root = document.documentElement.style;
    const watcher = new ResizeObserver(() => {
      root.setProperty("--told", `${box.current?.offsetHeight ?? 0}px`);
    });
    watcher.observe(box.current!);
    return () => {
      watcher.disconnect();
      root.removeProperty("--told");
    };
  }, []);
  return (
    <div
      ref={box}
      className="absolute inset-x-0 bottom-full space-y-1 border-t border-rule bg-raised/95 px-4 py-1.5 empty:hidden"
    >
      {children}
    </div>
  );
}

/** What was being written before, kept so that nothing put into it is lost. */
function Aside({ draft }: { draft: Draft }) {
  const words = draft.tokens.map((t) => t.text).join("");
  return (
    <Button className="max-w-[240px] truncate" title={`Set aside: ${words}`} onClick={resume}>
      Go on with: {words}
    </Button>
  );
}

function trimmed(draft: Draft) {
  return draft.tokens.map((t) => (t.editor ? t : { ...t, text: t.text.trim() })).filter((t) => t.text);
}

function Effect({ before, after }: { before: number | null; after: number | null }) {
  if (before === null || after === null || Math.abs(after - before) < 1e-6) return null;
  return (
    <span className="text-[13px] text-faint">
      {after > before ? "adds" : "takes"} <span className="num">{volumeText(Math.abs(after - before))}</span>
    </span>
  );
}

function Trouble({ text, close }: { text: string; close(): void }) {
  return (
    <>
      <p className="flex-1 text-madder" role="alert">
        {text}
      </p>
      <Button onClick={close}>Close</Button>
    </>
  );
}
