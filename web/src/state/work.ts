/** What the drawing table does: run the card, preview a draft, record it, undo. One place, so that mouse and keys do the same. */

import { api, Refused, type Card, type Computation, type Keys, type Kind, type PartOpen, type Report, type Step } from "../api/client";
import { type Parcel, unpack } from "../api/parcel";
import { finished } from "../api/wait";
import { PartData, type PartFacts } from "../scene/partData";
import { type SheetData, type SheetFacts, sheetOf } from "../scene/sheetData";
import type { Snap } from "../scene/snapping";
import { freeNumber } from "./numbering";
import { type Draft, type Shown, useTable } from "./table";

let current: AbortController | null = null;
/** Sheets by the key of their placements, and any one of them by the key of its linework. */
const sheets = new Map<string, SheetData>(), lines = new Map<string, SheetData>();
/** Lines that came ahead of what is found in them, and the computation they are of. */
let earlyLines: { of: string; lines: Parcel<SheetFacts> } | null = null;

const get = () => useTable.getState();
const put = (change: Partial<ReturnType<typeof get>>) => { useTable.setState(change); };

export function sentenceOf(error: unknown): string {
  return error instanceof Refused ? error.message : error instanceof Error ? `Something of ours went wrong: ${error.message}` : "Something of ours went wrong.";
}

export async function openPart(id: number): Promise<void> {
  forgetSheets();
  try {
    put({ part: await api.part(id) });
    await refresh();
    const report = get().shown?.report;
    if (report && get().stage === "bring_in" && report.figures.bodies) put({ stage: "build" });
  } catch (error) {
    put({ trouble: sentenceOf(error) });
  }
}

/** The card as it is to be shown: with the draft in it, or stepped back, or as it is on record. */
function shownCard(): { card: Card | null; preview: boolean } {
  const { part, draft, upto } = get();
  if (!part) return { card: null, preview: false };
  if (draft && !draft.problem) return { card: withStep(part.card, draft.step), preview: true };
  if (upto !== null) return { card: { ...part.card, steps: part.card.steps!.filter((s) => s.number <= upto) }, preview: true };
  return { card: null, preview: false };
}

export function withStep(card: Card, step: Step): Card {
  return { ...card, steps: [...card.steps!.filter((s) => s.number !== step.number), step].sort((a, b) => a.number - b.number) };
}

/** Compute what is to be shown, and show it. A newer call takes the place of an older one. */
export async function refresh(): Promise<void> {
  current?.abort();
  const mine = (current = new AbortController());
  const { card, preview } = shownCard();
  const part = get().part;
  if (!part) return;
  const later = setTimeout(() => { if (!mine.signal.aborted) put({ busy: { text: "Computing", id: null } }); }, 250);
  try {
    const asked = await api.run(part.id, card);
    const timer = setTimeout(() => { if (!mine.signal.aborted) put({ busy: { text: asked.progress || "Computing", id: asked.id } }); }, 250);
    mine.signal.addEventListener("abort", () => { clearTimeout(timer); });
    const done = await finished(asked, (text) => { if (!mine.signal.aborted) put({ busy: { text, id: asked.id } }); }, mine.signal, () => { void showEarly(asked.id, mine.signal); });
    clearTimeout(timer);
    if (mine.signal.aborted) return;
    await take(done, preview, mine.signal);
  } catch (error) {
    if (!mine.signal.aborted) put({ trouble: sentenceOf(error) });
  } finally {
    clearTimeout(later);
    if (current === mine) put({ busy: null, early: null });
  }
}

/** The lines of a drawing that is still being looked into; what was found in it before stands beside them till then. */
async function showEarly(id: string, signal: AbortSignal): Promise<void> {
  const fresh = unpack<SheetFacts>(await api.parcel(id, "lines"));
  earlyLines = { of: id, lines: fresh };
  if (!signal.aborted) put({ early: get().shown?.sheet.withLines(fresh) ?? sheetOf(fresh) });
}

async function take(done: Computation, preview: boolean, signal: AbortSignal): Promise<void> {
  if (done.state === "stopped" && done.code === "superseded") return;
  if (!done.report) {
    put({ trouble: done.message || "The computation did not finish." });
    return;
  }
  const shown = await fetchShown(done.id, done.report);
  if (signal.aborted) return;
  put({ shown, early: null, shownStep: preview ? (get().draft?.step ?? null) : null, previewing: preview, trouble: null, pickedPieces: [], hover: { curves: [], region: -1, piece: null } });
  const draft = get().draft;
  if (draft && preview) {
    const mine = done.report.steps.find((s) => s.number === draft.step.number);
    if (mine) put({ draft: { ...draft, tokens: mine.tokens } });
  }
}

async function fetchShown(id: string, report: Report): Promise<Shown> {
  const shape = api.parcel(id, "part");
  const sheet = sheets.get(report.keys.placements) ?? (await fetchSheet(id, report.keys));
  return { computation: id, report, sheet, part: new PartData(unpack<PartFacts>(await shape)) };
}

/** The sheet of a computation; lines that are known lie in other planes at most. */
async function fetchSheet(id: string, keys: Keys): Promise<SheetData> {
  const known = lines.get(keys.linework);
  const placed = api.parcel(id, "placements").then(unpack<SheetFacts>);
  const early = earlyLines?.of === id ? earlyLines.lines : null;
  earlyLines = null;
  const sheet = known ? known.placedAs(await placed) : sheetOf(...(await Promise.all([early ?? api.parcel(id, "lines").then(unpack<SheetFacts>), api.parcel(id, "regions").then(unpack<SheetFacts>), placed])));
  if (sheets.size > 5) forgetSheets();
  sheets.set(keys.placements, sheet);
  lines.set(keys.linework, sheet);
  return sheet;
}

function forgetSheets(): void {
  sheets.clear();
  lines.clear();
}

// drafts ----------------------------------------------------------------------------------

/** Begin to write an operation; what is picked goes into it. */
export function begin(kind: Kind): void {
  const { part, picks, shown, upto } = get();
  if (!part) return;
  const params: Record<string, unknown> = structuredClone(kind.defaults);
  if ("profiles" in params && picks.regions.length && shown) params["profiles"] = choiceOf(picks.regions, shown.sheet);
  if ("curves" in params && picks.curves.length) params["curves"] = picks.curves;
  if (kind.name === "extrude" && shown?.report.figures.bodies) params["result"] = "join";
  void write({ number: freeNumber(part.card, upto), kind: kind.name, params, on: true }, true);
}

export function choiceOf(ids: string[], sheet: SheetData): unknown {
  const picks = ids.flatMap((id) => {
    const region = sheet.facts.regions[sheet.regionOf.get(id) ?? -1];
    return region ? [{ id, curves: sheet.boundaryOf(id).slice(0, 40), at: region.inside, area: region.area }] : [];
  });
  return { rule: "picked", picks };
}

let asking = 0;
let writing: Promise<void> = Promise.resolve();

/** Write a step into the writing line, with its sentence and its preview. */
export function write(step: Step, isNew: boolean): Promise<void> {
  return (writing = told(step, isNew));
}

async function told(step: Step, isNew: boolean): Promise<void> {
  const before = get().draft;
  const mine = ++asking;
  put({ draft: { step, isNew, tokens: before && before.step.kind === step.kind ? before.tokens : [], problem: before?.problem ?? null }, trouble: null });
  try {
    const { tokens, problem } = await api.sentence(step);
    if (mine !== asking) return;
    const kept = problem ? get().draft?.tokens : undefined; // a value that can't be read leaves the sentence as it was, so that it can be put right
    put({ draft: { step, isNew, tokens: kept?.length ? kept : tokens, problem } });
    if (!problem) void refresh();
  } catch (error) {
    if (mine === asking) put({ trouble: sentenceOf(error) });
  }
}

export function change(field: string, value: unknown): Promise<void> {
  return changeMany({ [field]: value });
}

/** Change several values of the draft at once. */
export async function changeMany(values: Record<string, unknown>): Promise<void> {
  const draft = get().draft;
  if (draft) await write({ ...draft.step, params: { ...draft.step.params, ...values } }, draft.isNew);
}

/** Drop the draft; what is on record is shown again. */
export function drop(): void {
  if (!get().draft && get().upto === null) {
    put({ picks: { regions: [], curves: [] }, pickedPieces: [] });
    return;
  }
  asking++;
  put({ draft: null, upto: null, trouble: null });
  void refresh();
}

let recording = false;

/** Put the draft on record. One that can't be read is not recorded; one that fails on the part is, marked, if the person insists. */
export async function record(): Promise<void> {
  await writing;
  const { draft, part } = get();
  if (!draft || !part || recording) return;
  if (draft.problem) {
    put({ trouble: draft.problem });
    return;
  }
  if (get().shownStep !== draft.step) await refresh();
  const mine = get().shown?.report.steps.find((s) => s.number === draft.step.number);
  if (mine?.status === "failed") {
    put({ trouble: mine.message });
    return;
  }
  const words = draft.tokens.map((t) => t.text).join("");
  recording = true;
  try {
    if (draft.isNew && draft.step.kind === "from_views" && (await recordFromViews(part.card, draft))) return;
    await save(withStep(part.card, draft.step), draft.isNew ? words : `Changed ${draft.step.number}: ${words}`, draft);
  } finally {
    recording = false;
  }
}

/** The part from its views goes on record as the ordinary operations it consists of, so that each can be changed or thrown away. */
async function recordFromViews(card: Card, draft: Draft): Promise<boolean> {
  const id = get().shown?.computation, from = draft.step.number;
  if (!id || card.steps!.some((s) => s.number > from)) return false;
  const done = await finished(await api.steps(id), () => undefined, new AbortController().signal);
  if (done.state !== "done") return false;
  const { steps } = await api.stepsFound(done.id);
  const more = steps.map(({ kind, params }, n): Step => ({ number: from + 10 * n, kind, params, on: true }));
  return save({ ...card, steps: [...card.steps!, ...more] }, `Built the part from its views in ${more.length} steps`, draft);
}

let changing: Promise<unknown> = Promise.resolve();

/** Changes of the record go one after another, so that undo pressed right after Enter undoes what Enter recorded. */
function inTurn<T>(work: () => Promise<T>): Promise<T> {
  const mine = changing.then(work, work);
  changing = mine.catch(() => undefined);
  return mine;
}

export function save(card: Card, words: string, draft: Draft | null = null): Promise<boolean> {
  return inTurn(() => saveNow(card, words, draft));
}

/** The card counts as saved from now on, so that the next pick or operation need not wait; if it can't be, all is put back as it was. */
async function saveNow(card: Card, words: string, draft: Draft | null): Promise<boolean> {
  const { part } = get();
  if (!part) return false;
  asking++;
  put({ part: { ...part, card }, draft: null, upto: null, trouble: null, picks: { regions: [], curves: [] } });
  try {
    const saved = await api.save(part.id, part.revision, card, words.slice(0, 300));
    put({ part: saved });
    if (!get().draft) void refresh();
    return true;
  } catch (error) {
    put({ part, trouble: sentenceOf(error), draft });
    if (error instanceof Refused && error.code === "clash") put({ part: await api.part(part.id) });
    return false;
  }
}

export function move(way: "undo" | "redo"): Promise<void> {
  return inTurn(() => moveNow(way));
}

async function moveNow(way: "undo" | "redo"): Promise<void> {
  const part = get().part;
  if (!part || !part[way]) return;
  try {
    const moved: PartOpen = await api[way](part.id, part.revision);
    asking++;
    put({ part: moved, draft: null, upto: null, trouble: null });
    void refresh();
  } catch (error) {
    put({ trouble: sentenceOf(error) });
    if (error instanceof Refused && error.code === "clash") {
      put({ part: await api.part(part.id) });
      await refresh();
    }
  }
}

export function stepBack(number: number | null): void {
  put({ upto: number, draft: null });
  void refresh();
}

/** Change one value of a step that is on record, at once. */
export async function changeRecorded(number: number, field: string, value: unknown): Promise<boolean> {
  const part = get().part;
  const step = part?.card.steps!.find((s) => s.number === number);
  if (!part || !step) return false;
  const changed: Step = { ...step, params: { ...step.params, [field]: value } };
  const { problem } = await api.sentence(changed);
  if (problem) {
    put({ trouble: problem });
    return false;
  }
  return save(withStep(part.card, changed), `Changed ${number}: ${field.replace(/_/g, " ")}`);
}

export async function stop(): Promise<void> {
  const id = get().busy?.id;
  if (id) await api.stop(id);
}

/** Take a region into the pick, or out of it; while an operation with profiles is written, into that. */
export function toggleRegion(id: string, add: boolean): void {
  const { draft, picks, shown } = get();
  if (!shown) return;
  const chosen = draft && "profiles" in (draft.step.params ?? {}) ? draftRegions(draft) : picks.regions;
  const next = chosen.includes(id) ? chosen.filter((r) => r !== id) : add || draft ? [...chosen, id] : [id];
  if (draft && "profiles" in (draft.step.params ?? {})) void change("profiles", choiceOf(next, shown.sheet));
  else put({ picks: { regions: next, curves: [] } });
}

/** Write a step of a kind with these values, in place of what is being written. */
export function writeAs(kind: Kind, values: Record<string, unknown>): void {
  const { part, draft, upto } = get();
  if (!part) return;
  const mine = draft?.isNew && draft.step.kind === kind.name ? draft.step.number : freeNumber(part.card, upto);
  if (document.activeElement instanceof HTMLButtonElement) document.activeElement.blur(); // so that Enter records, and does not press that button again
  void write({ number: mine, kind: kind.name, params: { ...structuredClone(kind.defaults), ...values }, on: true }, true);
}

// points, faces, sources --------------------------------------------------------------------

export interface PointPick { at: [number, number]; curve: string | null; kind: Snap["kind"]; other: string | null }

/** Where a solid begins or ends: one of a point of a view, a face, or an edge of the part. */
interface EndPick { point?: PointPick | null; face?: { name: string; body: string; beside: string[]; normal: number[] | null; point: number[] } | null; edge?: { faces: string[]; point: number[] } | null }

/** `drawn`: a line is drawn from point to point, so that what it arrives at can be tangent, square or in line. */
export interface Wanted { field: string; ends: boolean; drawn: boolean; wanted: number; given: unknown[]; picks: PointPick[] }

/** The field of the draft that the next point pressed on the sheet goes into. */
export function wantedPoints(draft: Draft | null): Wanted | null {
  const tokens = (draft?.tokens ?? []).flatMap((t): Wanted[] => {
    if (!t.field || (t.editor?.type !== "points" && t.editor?.type !== "ends")) return [];
    const given = (draft?.step.params?.[t.field] ?? []) as unknown[], ends = t.editor.type === "ends";
    return [{ field: t.field, ends, drawn: draft?.step.kind === "draw", wanted: t.editor.wanted ?? 1, given, picks: ends ? (given as EndPick[]).flatMap((e) => (e.point ? [e.point] : [])) : (given as PointPick[]) }];
  });
  return tokens.find((t) => t.given.length < t.wanted) ?? tokens[0] ?? null;
}

function give(field: Wanted, value: unknown): void {
  void change(field.field, field.given.length >= field.wanted ? [value] : [...field.given, value]);
}

/** Put a point into the draft; a full field begins anew. */
export function givePoint(snap: Snap): void {
  const { draft, shown } = get();
  const field = wantedPoints(draft);
  if (!field || !shown) return;
  const [ox, oy] = shown.sheet.facts.origin;
  const id = (row: number | undefined) => (row !== undefined && row >= 0 ? shown.sheet.facts.ids[row]! : null);
  const pick: PointPick = { at: [snap.x + ox, snap.y + oy], curve: id(snap.row), kind: snap.kind, other: id(snap.other) };
  give(field, field.ends ? { point: pick } : pick);
}

/** Whether the draft wants a face of the part, or an end that a face or an edge can give. */
export function wantsPiece(draft: Draft | null, type: "face" | "edge"): boolean {
  return (type === "face" && (draft?.tokens.some((t) => t.editor?.type === "face") ?? false)) || (wantedPoints(draft)?.ends ?? false);
}

/** Put a face or an edge into the draft; `at` is where it was pressed, in space. */
export function givePiece(type: "face" | "edge", index: number, at: number[]): void {
  const { draft, shown } = get(), field = wantedPoints(draft);
  if (!shown) return;
  if (type === "edge") {
    const edge = shown.part.facts.edges[index];
    if (edge && field?.ends) give(field, { edge: { faces: edge.faces.map((n) => shown.part.facts.faces[n]!.key), point: at } });
    return;
  }
  const face = shown.part.facts.faces[index];
  if (!face) return;
  const pick = { name: face.key, body: face.body, beside: shown.part.beside(index), normal: face.normal ?? null, point: at };
  if (field?.ends) give(field, { face: pick });
  else void change("face", pick);
}

/** Bring another file into this part, beside what is there. */
export async function addSource(file: File): Promise<void> {
  const { part } = get();
  if (!part) return;
  try {
    const source = await api.addSource(part.id, file, (share) => { put({ busy: { text: `Sending ${file.name}: ${Math.round(share * 100)} %`, id: null } }); });
    const taken = new Set(Object.keys(part.card.sources ?? {}));
    let name = source.name;
    for (let n = 2; taken.has(name); n++) name = `${source.name} (${n})`;
    const step: Step = { number: freeNumber(part.card, get().upto), kind: "read", params: { source: name, place: taken.size ? "beside" : "own" }, on: true };
    await save({ ...withStep(part.card, step), sources: { ...part.card.sources, [name]: source.sha256 } }, `Brought in ${name}`);
  } catch (error) {
    put({ trouble: sentenceOf(error), busy: null });
  }
}

/** A newer issue of a source: the card is replayed on it; what could not be found again is told. */
export async function replaceSource(old: string, file: File): Promise<void> {
  const { part, shown } = get();
  if (!part) return;
  const failedBefore = new Set(shown?.report.steps.filter((s) => s.status === "failed").map((s) => s.number));
  try {
    const replaced = await api.replaceSource(part.id, part.revision, old, file, (share) => { put({ busy: { text: `Sending ${file.name}: ${Math.round(share * 100)} %`, id: null } }); });
    put({ part: replaced, draft: null, upto: null, trouble: null, picks: { regions: [], curves: [] } });
    await refresh();
    const lost = get().shown?.report.steps.filter((s) => s.status === "failed" && !failedBefore.has(s.number)) ?? [];
    if (lost.length) put({ trouble: `On ${file.name}, ${lost.length === 1 ? "one step" : `${lost.length} steps`} can't be done: ${lost.map((s) => `${s.number}: ${s.message}`).join(" ")}` });
  } catch (error) {
    put({ trouble: sentenceOf(error), busy: null });
  }
}

/** Change several values of a recorded step at once. */
export async function changeStep(number: number, values: Record<string, unknown>, words: string): Promise<void> {
  const part = get().part;
  const step = part?.card.steps!.find((s) => s.number === number);
  if (part && step) await save(withStep(part.card, { ...step, params: { ...step.params, ...values } }), `Changed ${number}: ${words}`);
}

export function draftRegions(draft: Draft): string[] {
  const choice = draft.step.params?.["profiles"] as { rule: string; picks: { id: string }[] } | undefined;
  return choice?.picks.map((p) => p.id) ?? [];
}
