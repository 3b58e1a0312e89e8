/** Find an action by its words; and all keys on one page. */

import { Dialog } from "radix-ui";
import { useState } from "react";

import { toHelp } from "../help/go";
import { told } from "../words/language";
import { NEAREST, speaksOf } from "./synonyms";

export interface Action {
  label: string;
  help: string;
  keys: string;
  /** Other words for it. */
  also?: string;
  act(): void;
}

const BOX =
  "fixed top-[12%] left-1/2 z-50 w-[560px] max-w-[92vw] -translate-x-1/2 rounded-xl border border-rule bg-raised shadow-2xl";

export function Finder({ actions, close }: { actions: Action[]; close(): void }) {
  const [text, setText] = useState(""),
    [at, setAt] = useState(0);
  const typed = text.trim().toLowerCase();
  const called = actions.filter((a) => `${told(a.label)} ${a.label} ${a.help}`.toLowerCase().includes(typed)),
    meant = typed ? actions.filter((a) => a.also && !called.includes(a) && speaksOf(a.also, typed)) : [],
    found = [...called, ...meant],
    nearest = typed.length > 2 ? NEAREST.filter((one) => speaksOf(one.words, typed)) : [];
  const run = (a: Action | undefined) => {
    close();
    if (a) setTimeout(a.act, 0);
  };
  return (
    <Dialog.Root open onOpenChange={close}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/20" />
        <Dialog.Content className={BOX} aria-describedby={undefined}>
          <Dialog.Title className="sr-only">Find an action</Dialog.Title>
          <input
            autoFocus
            placeholder="Find an action"
            aria-label="Find an action"
            className="w-full rounded-t-xl bg-transparent px-4 py-3 text-[16px] outline-none"
            value={text}
            onChange={(e) => {
              setText(e.target.value);
              setAt(0);
            }}
            onKeyDown={(e) => {
              if (e.key === "ArrowDown") setAt((n) => Math.min(n + 1, found.length - 1));
              else if (e.key === "ArrowUp") setAt((n) => Math.max(n - 1, 0));
              else if (e.key === "Enter") run(found[at]);
              else return;
              e.preventDefault();
            }}
          />
          <ul className="dash-t max-h-[50vh] overflow-y-auto p-1.5" role="listbox" aria-label="Actions">
            {found.map((a, n) => (
              <li key={a.label} role="option" aria-selected={n === at}>
                <button
                  type="button"
                  className={`flex w-full items-baseline gap-3 rounded-lg px-3 py-1.5 text-left ${n === at ? "bg-blush" : ""}`}
                  onMouseMove={() => {
                    setAt(n);
                  }}
                  onClick={() => {
                    run(a);
                  }}
                >
                  <span className="font-medium">{a.label}</span>
                  <span className="flex-1 truncate text-[13px] text-faint">{a.help}</span>
                  {a.keys ? <kbd>{a.keys}</kbd> : null}
                </button>
              </li>
            ))}
            {nearest.map((one) => (
              <li key={one.text} className="px-3 py-2 text-[13.5px] text-faint">
                {one.text}
              </li>
            ))}
            {found.length || nearest.length ? null : (
              <li className="px-3 py-2 text-faint">No action is called that.</li>
            )}
          </ul>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

const KEYS: [string, string][] = [
  ["1 … 9", "the stage's actions, in order"],
  ["/", "find any action"],
  ["Tab", "next value in the writing line"],
  ["↑ ↓", "step through the choices of a value"],
  ["Enter", "record what is written"],
  ["Esc", "back from what Show went to; drop what is written; drop the pick"],
  ["]  [", "point at the next, the previous region"],
  ["Space", "take the region pointed at into the pick, or out"],
  ["A", "pick all material: every outer profile with its holes"],
  ["Delete", "leave out the curves that are picked"],
  ["B", "bound profiles by dashed lines too, by centre lines too, by solid lines alone"],
  ["E", "pick everything like what is picked"],
  ["N  P", "next, previous finding (Tidy)"],
  ["L", "drag picks by a box, or by a hand-drawn line"],
  ["Shift ← →", "previous, next stage"],
  ["Ctrl Z", "undo"],
  ["Ctrl Shift Z", "redo"],
  ["D", "to the downloads (Hand over)"],
  ["Shift press", "on a second face or edge: how far apart the two are"],
  ["F", "fit sheet and part"],
  ["arrows", "move the sheet, turn the part (pane in focus)"],
  ["+  -", "nearer, farther (pane in focus)"],
  ["?", "this page"],
];

const SHELF_KEYS: [string, string][] = [
  ["/", "find parts"],
  ["arrows", "from part to part; Home and End to the first and the last"],
  ["Enter", "open the part"],
  ["F2", "rename the part"],
  ["X", "pick the part, to hand it over with others"],
  ["N", "new part from a drawing"],
  ["Esc", "leave the search, and empty it"],
  ["?", "this page"],
];

/** `of`: the page whose keys are wanted. */
export function KeyPage({ of = "table", close }: { of?: "table" | "shelf"; close(): void }) {
  return (
    <Dialog.Root open onOpenChange={close}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/20" />
        <Dialog.Content className={`${BOX} max-h-[85vh] overflow-y-auto p-5 md:w-[820px]`} aria-describedby={undefined}>
          <div className="flex items-center gap-3">
            <Dialog.Title className="cap flex-1">Keys</Dialog.Title>
            <button
              type="button"
              className="border-b border-faint text-[13px] hover:border-brick"
              onClick={() => {
                close();
                toHelp();
              }}
            >
              The everyday jobs, step by step
            </button>
          </div>
          <dl className="mt-3 columns-1 gap-x-8 md:columns-2">
            {(of === "shelf" ? SHELF_KEYS : KEYS).map(([k, t]) => (
              <div key={k} className="grid break-inside-avoid grid-cols-[96px_1fr] gap-x-3 py-[3px]">
                <dt>
                  <kbd>{k}</kbd>
                </dt>
                <dd>{t}</dd>
              </div>
            ))}
          </dl>
          <h3 className="cap mt-5">Pointer</h3>
          {of === "shelf" ? (
            <p className="mt-1.5 text-[13.5px]">
              Press a picture to open the part; ⋯ at its corner renames, numbers, labels, copies it or puts it away.
              Drop drawings anywhere: each becomes a part.
            </p>
          ) : null}
          <p className={`mt-1.5 text-[13.5px] ${of === "shelf" ? "hidden" : ""}`}>
            Press picks, Shift adds or takes away. Drag a box to the right for what lies inside it, to the left for all
            it touches. Right button or Alt and drag moves the sheet; in the part, drag turns. The wheel goes nearer to
            the pointer. While points are picked, Shift locks them level, upright or at 45° from the one before.
            Pressing a curve twice picks the whole block it came with; in Arrange one press picks a whole view.
          </p>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
