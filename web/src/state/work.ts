/**
 * What the drawing table does, for the part that is open: mouse and keys call the same functions. All of it is the
 * session's (session.ts).
 */

import { api, type Kind, type PartDescribed, type Stage, type Step } from "../api/client";
import { listen } from "../api/news";
import { finished } from "../api/wait";
import type { Piece } from "../scene/partData";
import type { Snap } from "../scene/snapping";
import type { Edited } from "./rebase";
import { Session } from "./session";
import { keepDraft, keptDraft } from "./keptDraft";
import { freeSheet } from "./numbering";
import { clearTable, useTable } from "./table";

let session: Session | null = null;

const HERE_EVERY = 10_000;

/** Open a part; it is left by the function that comes back, and nothing of it is shown any more. */
export function openPart(id: number): () => void {
  const mine = (session = new Session(id, { api, finished, table: useTable }));
  const before = keptDraft(id);
  if (before) useTable.setState({ aside: before.draft, stage: before.stage });
  let kept = before?.draft ?? null;
  void mine.open();
  const deaf = listen((news) => {
    mine.hear(news);
  });
  const sayHere = (leaving: boolean) => {
    api.present(id, leaving).then(
      (people) => {
        if (session === mine) useTable.setState({ people });
      },
      () => undefined,
    );
  };
  sayHere(false);
  const here = setInterval(sayHere, HERE_EVERY, false),
    closing = () => {
      sayHere(true);
    };
  window.addEventListener("pagehide", closing);
  const forget = useTable.subscribe(({ draft, aside, stage }) => {
    const now = draft?.touched ? draft : aside;
    if (now === kept) return;
    kept = now;
    keepDraft(id, now && { draft: now, stage });
  });
  return () => {
    forget();
    deaf();
    clearInterval(here);
    window.removeEventListener("pagehide", closing);
    sayHere(true);
    mine.end();
    if (session !== mine) return;
    session = null;
    clearTable();
  };
}

export const begin = (kind: Kind) => {
  session?.begin(kind);
};
export const resume = () => {
  session?.resume();
};
export const write = (step: Step, isNew: boolean) => session?.write(step, isNew) ?? Promise.resolve();
export const writeAs = (kind: Kind, values: Record<string, unknown>) => {
  // so that Enter records, and does not press that button again
  if (document.activeElement instanceof HTMLButtonElement) document.activeElement.blur();
  session?.writeAs(kind, values);
};
export const change = (field: string, value: unknown) => session?.change(field, value) ?? Promise.resolve();
export const changeMany = (values: Record<string, unknown>) => session?.changeMany(values) ?? Promise.resolve();
export const goTo = (stage: Stage) => {
  session?.goTo(stage);
};
export const drop = () => {
  session?.drop();
};
export const record = (anyway = false) => session?.record(anyway) ?? Promise.resolve();
export const save = (edit: Edited, words: string) => session?.save(edit, words) ?? Promise.resolve(false);
export const describePart = (change: PartDescribed) => session?.describe(change) ?? Promise.resolve();
export const move = (way: "undo" | "redo") => session?.move(way) ?? Promise.resolve();
export const stepBack = (number: number | null) => {
  session?.stepBack(number);
};
export const changeRecorded = (number: number, field: string, value: unknown) =>
  session?.changeRecorded(number, field, value) ?? Promise.resolve(false);
export const changeStep = (number: number, values: Record<string, unknown>, words: string) =>
  session?.changeStep(number, values, words) ?? Promise.resolve();
export const stop = () => session?.stop() ?? Promise.resolve();
export const drawSheet = () => session?.drawSheet() ?? Promise.resolve();
export const check = () => session?.check() ?? Promise.resolve();
export const toggleRegion = (id: string, add: boolean) => {
  session?.toggleRegion(id, add);
};
export const takeRegions = (ids: string[], add: boolean) => {
  session?.takeRegions(ids, add);
};
export const leaveOutPicked = (kind: Kind) => session?.leaveOutPicked(kind) ?? Promise.resolve();
export const givePoint = (snap: Snap) => {
  session?.givePoint(snap);
};
export const givePiece = (type: "face" | "edge", index: number, at: number[]) => {
  session?.givePiece(type, index, at);
};
export const lookAt = (number: number | null) => session?.lookAt(number) ?? Promise.resolve();
export const holdSolids = () => session?.holdSolids() ?? Promise.resolve();
export const bringBack = () => session?.bringBack() ?? Promise.resolve();
export const takePart = (id: number, step: number | null = null) => session?.takePart(id, step) ?? Promise.resolve();
export const takeSection = (id: number) => session?.takeSection(id) ?? Promise.resolve();
export const renewSection = (number: number, id: number) => session?.renewSection(number, id) ?? Promise.resolve();
export const showNumber = () => session?.showNumber() ?? false;
export const addSource = (file: File, where?: "beside" | "own" | "sheet" | Piece) =>
  session?.addSource(file, where) ?? Promise.resolve();
export const showSheet = (name: string) => session?.showSheet(name) ?? Promise.resolve();
/** Draw on a new, empty sheet. */
export const beginSheet = (kind: Kind, name = "Sheet 2") => {
  const card = useTable.getState().part?.card;
  if (!card) return;
  useTable.setState({ sheetName: freeSheet(card, name) });
  session?.begin(kind);
};
export const holdIssue = (old: string, file: File) => session?.holdIssue(old, file) ?? Promise.resolve();
export const pickInIssue = (step: number, field: string, value: unknown) =>
  session?.pickInIssue(step, field, value) ?? Promise.resolve();
export const settleIssue = (take: boolean) => session?.settleIssue(take) ?? Promise.resolve();
