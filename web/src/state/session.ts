/**
 * The part that is open: its record, what is being computed of it, what is kept of it. One for each part that is
 * opened, and over when it is left.
 *
 * A change of the record waits for the one before it, also when the part has been left meanwhile; what is shown is only
 * ever that of the session that is open. Nothing here knows the page: it is tested without a browser.
 */

import {
  type api as Api,
  type Card,
  type CheckedSize,
  type CheckedView,
  type Computation,
  type DrawnSheet,
  type Gauge,
  type Keys,
  type Kind,
  type PartDescribed,
  type PartOpen,
  Refused,
  type Report,
  type SheetKeys,
  type Step,
  type StepReport,
} from "../api/client";
import type { News } from "../api/news";
import { type Parcel, unpack } from "../api/parcel";
import { PartData, type PartFacts, type Piece } from "../scene/partData";
import { type SheetData, type SheetFacts, sheetOf } from "../scene/sheetData";
import type { Snap } from "../scene/snapping";
import {
  choiceOf,
  draftRegions,
  type EndPick,
  samePiece,
  sentenceOf,
  type Wanted,
  wantedPoints,
  wantsRegions,
  withStep,
} from "./draft";
import { freeNumber, freeSheet, isOnRecord } from "./numbering";
import { stillPointed } from "./pointing";
import { type Conflict, conflictWords, edited, type Edited, type OnRecord, rebase, type Rebased } from "./rebase";
import type { Draft, Shown, Looking, TableState } from "./table";
import { takeTypedAhead } from "./typedAhead";
import { spoken } from "../words/language";

export interface Surroundings {
  api: typeof Api;
  /** Waits for a computation. */
  finished(
    first: Computation,
    progress: (text: string) => void,
    given: AbortSignal,
    drawn?: () => void,
  ): Promise<Computation>;
  table: { getState(): TableState; setState(change: Partial<TableState>): void };
}

/** What was changed can't be put on the card that is on record now. */
class NotRebased extends Error {
  constructor(
    readonly now: PartOpen,
    readonly conflict: Conflict,
  ) {
    super();
  }
}

const isClash = (error: unknown): boolean => error instanceof Refused && error.code === "clash";
const whoWas = ({ who, change }: PartOpen): string => `${who ?? "Somebody"} recorded: ${change}`;
const NO_PICKS = { regions: [], curves: [] };
const SAY_BUSY_AFTER = 250,
  MOST_SHEETS = 5,
  MOST_ASKS = 5,
  MOST_REBASES = 4;

export class Session {
  private readonly over = new AbortController();
  private computing: AbortController | null = null;
  /** The record as far as it is known, whether it is still shown or not. */
  private part: PartOpen | null = null;
  /** Sheets by the key of their placements, and any one of them by the key of its regions. */
  private readonly sheets = new Map<string, SheetData>();
  private readonly lines = new Map<string, SheetData>();
  /** Lines that came ahead of what is found in them, and the computation they are of. */
  private early: { of: string; lines: Parcel<SheetFacts> } | null = null;
  /** What the last computation that failed said: a later one that does not takes it back, and nothing else. */
  private failed: string | null = null;
  private asking = 0;
  /** Operations that go on record as the ordinary ones they stand for. */
  private readonly becoming = new Set<string>();
  private writing: Promise<void> = Promise.resolve();
  /** What is about to go on record, if anything is; what is picked or begun meanwhile waits and is for the next one. */
  private recording: Promise<void> | null = null;
  private readonly waiting: (() => void)[] = [];
  /** The region that was taken without a press: the first press says what is meant. */
  private guessed: string[] = [];
  /** By kind: the values with which its sentence shows a number, for those whose sentence may show none. */
  private readonly typed = new Map<string, Record<string, unknown>>();
  private changing: Promise<unknown> = Promise.resolve();
  /** Records that were hoped for and came to be with other numbers: what was made from them names other steps. */
  private readonly displaced = new WeakSet<OnRecord>();

  constructor(
    readonly id: number,
    private readonly around: Surroundings,
  ) {}

  private get(): TableState {
    return this.around.table.getState();
  }

  private put(change: Partial<TableState>): void {
    if (!this.over.signal.aborted) this.around.table.setState(change);
  }

  private setRecord(part: PartOpen): void {
    this.part = part;
    this.put({ part });
  }

  async open(): Promise<void> {
    try {
      const part = await this.around.api.part(this.id);
      this.setRecord(part);
      const { aside } = this.get();
      if (aside && isOnRecord(part.card, aside.step)) this.put({ aside: null }); // the page was left while it was saved
      await this.refresh();
      const report = this.get().shown?.report;
      if (report && this.get().stage === "bring_in" && report.figures.bodies) this.put({ stage: "build" });
    } catch (error) {
      this.put({ trouble: sentenceOf(error) });
    }
  }

  /** The part is left: nothing more is shown of it, what is being saved is saved all the same. */
  end(): void {
    this.over.abort();
    this.computing?.abort();
  }

  // computing and showing ---------------------------------------------------------------------

  /** The card as it is to be shown: with the draft in it, or stepped back, or as it is on record. */
  private shownCard(part: PartOpen): Card | null {
    const { draft, upto, looking } = this.get();
    if (draft && !draft.problem) return withStep(part.card, draft.step);
    if (looking) return looking.card;
    return upto === null ? null : { ...part.card, steps: part.card.steps!.filter((s) => s.number <= upto) };
  }

  /**
   * Compute what is to be shown, and show it. A newer call takes the place of an older one; where the server took them
   * the other way round, or another window of the same person's asked meanwhile, it is asked for again. `begun`: the
   * computation of the card on record that came with it.
   */
  async refresh(asks = MOST_ASKS, begun?: PartOpen["run"]): Promise<void> {
    this.computing?.abort();
    const mine = (this.computing = new AbortController()),
      part = this.part;
    if (!part || this.over.signal.aborted) return;
    const card = this.shownCard(part),
      { draft } = this.get(),
      step = draft && !draft.problem ? draft.step : null;
    const say = (change: Partial<TableState>) => {
      if (!mine.signal.aborted) this.put(change);
    };
    let busy = { text: "Computing", id: null as string | null };
    const later = setTimeout(() => {
      say({ busy });
    }, SAY_BUSY_AFTER);
    try {
      const asked = card === null && begun ? (begun as Computation) : await this.around.api.run(part.id, card);
      busy = { text: asked.progress || "Computing", id: asked.id };
      if (this.get().busy) say({ busy });
      const done = await this.around.finished(
        asked,
        (text) => {
          say({ busy: (busy = { text, id: asked.id }) });
        },
        mine.signal,
        () => {
          void this.showEarly(asked.id, mine.signal);
        },
      );
      if (mine.signal.aborted) return;
      if (done.code === "superseded" && asks > 1) await this.refresh(asks - 1);
      else await this.showResult(done, card !== null, step, mine.signal);
    } catch (error) {
      say({ trouble: (this.failed = sentenceOf(error)) });
    } finally {
      clearTimeout(later);
      if (this.computing === mine) this.put({ busy: null, early: null });
    }
  }

  /**
   * The lines of a drawing that is still being looked into; what was found in it before stands beside them till then.
   */
  private async showEarly(id: string, signal: AbortSignal): Promise<void> {
    const name = this.get().sheetName;
    try {
      const fresh = unpack<SheetFacts>(await this.around.api.parcel(id, "lines", name));
      this.early = { of: id + name, lines: fresh };
      if (!signal.aborted) this.put({ early: this.get().shown?.sheet.withLines(fresh) ?? sheetOf(fresh) });
    } catch (error) {
      if (!(error instanceof Refused)) throw error; // the lines that are there are another sheet's
    }
  }

  /** `step`: what was being written when it was asked for; by now another value may stand in it. */
  private async showResult(done: Computation, preview: boolean, step: Step | null, signal: AbortSignal): Promise<void> {
    if (!done.report) {
      this.put({ trouble: (this.failed = done.message || "The computation did not finish.") });
      return;
    }
    let shown = await this.fetchShown(done.id, done.report);
    while (shown.sheetName !== this.sheetOf(done.report.keys).name)
      shown = { ...shown, ...(await this.fetchSheet(done.id, done.report.keys)) }; // another was turned to meanwhile
    if (signal.aborted) return;
    const { draft, shown: before } = this.get();
    this.put({
      ...stillPointed(this.get(), before, shown),
      shown,
      sheetName: shown.sheetName,
      early: null,
      shownStep: step,
      previewing: preview,
      ...(this.get().trouble === this.failed ? { trouble: null } : {}),
    });
    const mine = step && done.report.steps.find((s) => s.number === step.number);
    if (draft && mine && draft.step === step) this.put({ draft: { ...draft, tokens: mine.tokens } });
  }

  private async fetchShown(id: string, report: Report): Promise<Shown> {
    const shape = this.around.api.shape(id);
    const onSheet = await this.fetchSheet(id, report.keys);
    return { computation: id, report, ...onSheet, part: new PartData(unpack<PartFacts>(await shape)) };
  }

  /** The sheet that is to be looked at; the first, where there is none of that name. */
  private sheetOf({ sheets }: Keys): SheetKeys {
    return sheets.find((s) => s.name === this.get().sheetName) ?? sheets[0]!;
  }

  private async fetchSheet(id: string, all: Keys): Promise<{ sheetName: string; sheet: SheetData }> {
    const keys = this.sheetOf(all);
    const sheet = this.sheets.get(keys.placements) ?? (await this.fetchParcels(id, keys));
    return { sheetName: keys.name, sheet };
  }

  /** Lines that are known lie in other planes at most. */
  private async fetchParcels(id: string, keys: SheetKeys): Promise<SheetData> {
    const parcel = async (what: "lines" | "regions" | "placements") =>
      unpack<SheetFacts>(await this.around.api.parcel(id, what, keys.name));
    const known = this.lines.get(keys.regions),
      early = this.early?.of === id + keys.name ? this.early.lines : null;
    this.early = null;
    const sheet = known
      ? known.placedAs(await parcel("placements"))
      : sheetOf(...(await Promise.all([early ?? parcel("lines"), parcel("regions"), parcel("placements")])));
    if (this.sheets.size >= MOST_SHEETS) {
      this.sheets.clear();
      this.lines.clear();
    }
    this.sheets.set(keys.placements, sheet);
    this.lines.set(keys.regions, sheet);
    return sheet;
  }

  /** Look at another sheet and work on it; what was picked on the one before is let go. */
  async showSheet(name: string): Promise<void> {
    const { shown, draft, sheetName } = this.get();
    if (name === sheetName) return;
    if (draft?.touched) this.put({ aside: draft, draft: null });
    else if (draft) this.drop();
    this.put({ sheetName: name, picks: NO_PICKS, hover: { curves: [], region: -1, piece: null }, finding: null });
    if (!shown?.report.keys.sheets.some((s) => s.name === name)) return;
    try {
      const onSheet = await this.fetchSheet(shown.computation, shown.report.keys);
      const now = this.get().shown;
      if (now?.computation === shown.computation && this.get().sheetName === name)
        this.put({ shown: { ...now, ...onSheet } });
    } catch (error) {
      this.put({ trouble: sentenceOf(error) });
    }
  }

  async stop(): Promise<void> {
    const id = this.get().busy?.id;
    if (id) await this.around.api.stop(id);
  }

  /** The straight-on check of what is shown. It goes on when its stage is left, and is not asked for twice. */
  async check(): Promise<void> {
    const of = this.get().shown?.computation;
    if (!of || this.get().checked?.of === of) return;
    const put = (views: CheckedView[], sizes: CheckedSize[], gauges: Gauge[], state: string) => {
      if (this.get().checked?.of === of) this.put({ checked: { of, views, sizes, gauges, state } });
    };
    this.put({ checked: { of, views: [], sizes: [], gauges: [], state: "looking" } });
    try {
      const done = await this.around.finished(await this.around.api.check(of), () => undefined, this.over.signal);
      if (done.state !== "done") put([], [], [], done.message || "The check did not finish.");
      else {
        const { views, sizes, gauges } = await this.around.api.checkFound(done.id);
        put(views, sizes, gauges, "done");
      }
    } catch (error) {
      put([], [], [], sentenceOf(error));
    }
  }

  /** The drawing sheet of what is shown. The one before stays in sight while the next is drawn. */
  async drawSheet(): Promise<void> {
    const of = this.get().shown?.computation;
    if (!of || this.get().drawn?.of === of) return;
    this.put({ drawn: { of, sheet: this.get().drawn?.sheet ?? null, trouble: "" } });
    const put = (sheet: DrawnSheet | null, trouble: string) => {
      if (this.get().drawn?.of === of) this.put({ drawn: { of, sheet, trouble } });
    };
    try {
      const done = await this.around.finished(await this.around.api.drawing(of), () => undefined, this.over.signal);
      if (done.state === "done") put(await this.around.api.drawingFound(done.id), "");
      else put(null, done.message || "The sheet was not drawn.");
    } catch (error) {
      put(null, sentenceOf(error));
    }
  }

  // drafts --------------------------------------------------------------------------------------

  /**
   * Begin to write an operation; what is picked goes into it. What was being written, if anything was put into it, is
   * set aside.
   */
  begin(kind: Kind, values: Record<string, unknown> = {}): void {
    this.afterRecording(() => {
      this.beginNow(kind, values);
    });
  }

  private beginNow(kind: Kind, values: Record<string, unknown>): void {
    const { picks, shown, upto } = this.get(),
      part = this.part;
    if (!part) return;
    const params: Record<string, unknown> = structuredClone(kind.defaults);
    this.guessed = picks.regions.length ? [] : this.onlyRegion();
    const regions = picks.regions.length ? picks.regions : this.guessed;
    if ("profiles" in params && regions.length && shown) params["profiles"] = choiceOf(regions, shown.sheet);
    const bounds = "profiles" in params || !shown ? [] : picks.regions.flatMap((id) => shown.sheet.boundaryOf(id)),
      curves = picks.curves.length ? picks.curves : [...new Set(bounds)];
    if ("curves" in params && curves.length) params["curves"] = curves;
    else this.aimAtNewest(params);
    if ("table" in params) params["table"] = this.get().bendTable;
    if (kind.serves === "engraves") params["source"] = this.newestFile();
    const face = this.get().pickedPieces.find((p) => p.type === "face");
    if ("face" in params && face) params["face"] = this.facePick(face.index, face.at ?? null);
    this.put({ pickedPieces: [] });
    if ("language" in params) params.language = spoken();
    if (shown?.report.figures.bodies) Object.assign(params, kind.beside_bodies);
    Object.assign(params, values);
    this.put({ looking: null });
    this.setAside(kind.name);
    this.remember(kind);
    this.typed.set(kind.name, kind.typed);
    void this.write(this.newStep(freeNumber(part.card, upto), kind.name, params), true);
  }

  /** Where several files lie on the sheet, what is placed is the one that came last. */
  private aimAtNewest(params: Record<string, unknown>): void {
    const sources = this.get().shown?.sheet.facts.sources ?? [];
    if ("source" in params && "about" in params && sources.length > 1) params["source"] = sources.at(-1)!.name;
  }

  /** The file that came last and no step has read; else the last of several. */
  private newestFile(): string {
    const card = this.part?.card,
      names = Object.keys(card?.sources ?? {}),
      read = new Set(card?.steps?.map((s) => s.params?.["source"]));
    return names.findLast((n) => !read.has(n)) ?? (names.length > 1 ? names.at(-1)! : "");
  }

  private facePick(index: number, point: number[] | null): Record<string, unknown> | null {
    const { shown } = this.get(),
      face = shown?.part.facts.faces[index];
    return face
      ? {
          name: face.key,
          body: face.body,
          beside: shown!.part.beside(index),
          normal: face.normal ?? null,
          point,
        }
      : null;
  }

  /**
   * What else could be meant: of a sheet from which nothing was made yet the one outer region; of linework laid on a
   * face last of all steps, all its material.
   */
  private onlyRegion(): string[] {
    const { shown } = this.get();
    if (!shown) return [];
    const { regions } = shown.sheet.facts;
    if (!shown.report.figures.bodies) {
      const outer = regions.filter((r) => r.level === 0);
      return outer.length === 1 ? [outer[0]!.id] : [];
    }
    const laid = shown.sheet.facts.planes.at(-1);
    if (!laid || laid.operation !== shown.report.steps.findLast((s) => s.status === "ok")?.number) return [];
    return shown.sheet.regionsInPlane(laid).flatMap((n) => (regions[n]!.level % 2 ? [] : [regions[n]!.id]));
  }

  /** A number is typed where the sentence shows none: it comes to show the one that is meant, if there is one. */
  showNumber(): boolean {
    const { draft } = this.get(),
      values = draft && this.typed.get(draft.step.kind);
    if (!values || !Object.keys(values).length) return false;
    const shows = Object.entries(values).every(([field, value]) => draft.step.params?.[field] === value);
    if (!shows) void this.changeMany(values);
    return true;
  }

  /** A step on the sheet that is looked at. */
  private newStep(number: number, kind: string, params: Record<string, unknown>): Step {
    return { number, kind, params, on: true, sheet: this.get().sheetName };
  }

  private remember(kind: Kind): void {
    if (kind.becomes_steps) this.becoming.add(kind.name);
  }

  /** Keep what is being written, so that it can be taken up again, unless nothing was put into it yet. */
  private setAside(next: string): void {
    const { draft } = this.get();
    if (draft?.touched && draft.step.kind !== next) this.put({ aside: draft });
  }

  /** Go on with what was set aside. */
  resume(): void {
    const { aside, draft, upto } = this.get(),
      part = this.part;
    if (!aside || !part) return;
    this.put({ aside: draft?.touched ? draft : null });
    const taken = part.card.steps!.some((s) => s.number === aside.step.number);
    void this.write(
      aside.isNew && taken ? { ...aside.step, number: freeNumber(part.card, upto) } : aside.step,
      aside.isNew,
      true,
      aside.base,
    );
  }

  /** The step on record that is written anew, as it was when that was begun. */
  private baseOf(step: Step): Step | null {
    const { draft } = this.get();
    if (draft && !draft.isNew && draft.base && draft.step.number === step.number) return draft.base;
    return this.part?.card.steps!.find((s) => s.number === step.number) ?? null;
  }

  /** Write a step into the writing line, with its sentence and its preview, on its sheet. */
  write(
    step: Step,
    isNew: boolean,
    touched = !isNew,
    base: Step | null = isNew ? null : this.baseOf(step),
  ): Promise<void> {
    if (step.sheet !== this.get().sheetName) this.put({ sheetName: step.sheet, picks: NO_PICKS });
    return (this.writing = this.writeNow(step, isNew, touched, base));
  }

  private async writeNow(step: Step, isNew: boolean, touched: boolean, base: Step | null): Promise<void> {
    const before = this.get().draft,
      mine = ++this.asking;
    this.put({
      draft: {
        step,
        isNew,
        base,
        touched,
        tokens: before && before.step.kind === step.kind ? before.tokens : [],
        problem: before?.problem ?? null,
      },
      trouble: null,
    });
    try {
      const { tokens, problem } = await this.around.api.sentence(step);
      if (mine !== this.asking) return;
      this.put({ draft: { step, isNew, base, touched, tokens, problem } });
      if (problem)
        this.computing?.abort(); // what is under way was asked with the value before
      else void this.refresh();
    } catch (error) {
      if (mine === this.asking) this.put({ trouble: sentenceOf(error) });
    }
  }

  change(field: string, value: unknown): Promise<void> {
    return this.changeMany({ [field]: value });
  }

  /** Change several values of the draft at once. */
  async changeMany(values: Record<string, unknown>): Promise<void> {
    const { draft } = this.get();
    if (draft) await this.write({ ...draft.step, params: { ...draft.step.params, ...values } }, draft.isNew, true);
  }

  /** Write a step of a kind with these values, in place of what is being written. */
  writeAs(kind: Kind, values: Record<string, unknown>): void {
    const { draft, upto } = this.get(),
      part = this.part;
    if (!part) return;
    const number = draft?.isNew && draft.step.kind === kind.name ? draft.step.number : freeNumber(part.card, upto);
    this.remember(kind);
    this.setAside(kind.name);
    void this.write(this.newStep(number, kind.name, { ...structuredClone(kind.defaults), ...values }), true, true);
  }

  /** Wait until what is written has its sentence, with what was typed before that came. */
  private async written(): Promise<void> {
    let waited;
    do await (waited = this.writing);
    while (waited !== this.writing);
    const first = this.get().draft?.tokens.find((t) => t.editor?.type === "length" || t.editor?.type === "number"),
      ahead = first?.field ? takeTypedAhead() : "";
    if (ahead) await this.change(first!.field!, ahead);
  }

  /** The sentence that goes on record. What was typed a moment ago may not be in the draft's own yet. */
  private async wordsOf(draft: Draft, report: StepReport | undefined): Promise<string> {
    const tokens = report?.status === "ok" ? report.tokens : (await this.around.api.sentence(draft.step)).tokens;
    return (tokens.length ? tokens : draft.tokens).map((t) => t.text).join("");
  }

  /** Drop the draft; what is on record is shown again. */
  drop(): void {
    const { draft, upto, aside, looking } = this.get();
    if (!draft && looking) {
      void this.lookAt(null);
      return;
    }
    if (!draft && upto === null) {
      this.put({
        trouble: null,
        picks: NO_PICKS,
        pickedPieces: [],
        aside: aside && this.get().picks.regions.length + this.get().picks.curves.length ? aside : null,
      });
      return;
    }
    this.asking++;
    this.put({ draft: null, upto: null, trouble: null });
    void this.refresh();
  }

  /** Another stage: what is being written comes along, unless nothing was put into it. */
  goTo(stage: TableState["stage"]): void {
    const { draft } = this.get();
    if (draft && !draft.touched) this.drop();
    this.put({ stage });
  }

  // the record ----------------------------------------------------------------------------------

  /**
   * Put the draft on record. One that can't be read is not recorded; one that fails on the part as it is now can be,
   * with `anyway`: it stays on the card, marked, until what it lacks is there.
   */
  record(anyway = false): Promise<void> {
    if (this.recording) return this.recording;
    const mine = this.recordNow(anyway).finally(() => {
      if (this.recording === mine) this.letGoOn();
    });
    return (this.recording = mine);
  }

  /** Do it now, or, while what is written is about to go on record, as soon as it counts as recorded. */
  private afterRecording(work: () => void): void {
    if (this.recording) this.waiting.push(work);
    else work();
  }

  private letGoOn(): void {
    this.recording = null;
    for (const work of this.waiting.splice(0)) queueMicrotask(work);
  }

  private async recordNow(anyway: boolean): Promise<void> {
    await this.written();
    const { draft } = this.get();
    if (!draft || !this.part) return;
    if (draft.problem) {
      this.put({ trouble: draft.problem });
      return;
    }
    if (this.get().shownStep !== draft.step) await this.refresh();
    const { shown, shownStep } = this.get(),
      mine = shownStep === draft.step ? shown?.report.steps.find((s) => s.number === draft.step.number) : undefined;
    if (mine?.status === "failed" && !(anyway && mine.code !== "unfinished")) {
      this.put({ trouble: mine.message });
      return;
    }
    const words = await this.wordsOf(draft, mine);
    const part = this.part,
      more = draft.isNew && mine?.status !== "failed" ? await this.ordinarySteps(draft, part) : null;
    await (more
      ? this.save(
          edited(part, { ...part.card, steps: [...part.card.steps!, ...more] }),
          `Built the part from its views in ${more.length} steps`,
          draft,
        )
      : this.save(
          this.withDraft(draft, this.part),
          draft.isNew ? words : `Changed ${draft.step.number}: ${words}`,
          draft,
        ));
  }

  /** The record with what is written, based on the step as it was when writing began, or on none. */
  private withDraft({ step, base }: Draft, part: PartOpen): Edited {
    const others = { ...part.card, steps: part.card.steps!.filter((s) => s.number !== step.number) };
    return edited({ ...part, card: base ? withStep(others, base) : others }, withStep(others, step));
  }

  /**
   * The ordinary operations that a part from its views consists of, so that each can be changed or deleted; null where
   * the step goes on record as it is.
   */
  private async ordinarySteps({ step }: Draft, part: PartOpen): Promise<Step[] | null> {
    const id = this.get().shown?.computation;
    if (!id || !this.becoming.has(step.kind) || part.card.steps!.some((s) => s.number >= step.number)) return null;
    const done = await this.around.finished(
      await this.around.api.steps(id, step.sheet),
      () => undefined,
      this.over.signal,
    );
    if (done.state !== "done") return null;
    const { steps } = await this.around.api.stepsFound(done.id);
    return steps.map(({ kind, params }, n) => ({
      number: step.number + 10 * n,
      kind,
      params,
      on: true,
      sheet: step.sheet,
    }));
  }

  /** Changes of the record go one after another, so that undo pressed right after Enter undoes what Enter recorded. */
  private inTurn<T>(work: () => Promise<T>): Promise<T> {
    const mine = this.changing.then(work, work);
    this.changing = mine.catch(() => undefined);
    return mine;
  }

  save(edit: Edited, words: string, draft: Draft | null = null): Promise<boolean> {
    return this.inTurn(() => this.saveNow(edit, words, draft));
  }

  /**
   * The card counts as saved from now on, so that the next pick or operation need not wait; if it can't be, all is put
   * back as it was.
   */
  private async saveNow(edit: Edited, words: string, draft: Draft | null): Promise<boolean> {
    const part = this.part;
    if (!part) return false;
    const { previewing, shownStep } = this.get(),
      seen = draft !== null && JSON.stringify(shownStep) === JSON.stringify(draft.step); // shown is what is recorded
    try {
      const first = this.onto(part, edit);
      this.asking++;
      const hoped = { ...part, card: first.card };
      this.setRecord(hoped);
      this.put({
        draft: null,
        upto: null,
        trouble: null,
        looking: null,
        picks: NO_PICKS,
        pickedPieces: [],
        ...(seen ? { previewing: false } : {}),
      });
      if (draft) this.letGoOn();
      const saved = await this.saveOn(part, edit, first, words.slice(0, 300), hoped);
      this.setRecord(saved);
      if (!this.get().draft) void this.refresh(MOST_ASKS, saved.run);
      return true;
    } catch (error) {
      await this.notSaved(error, part, draft);
      this.put({ previewing });
      return false;
    }
  }

  /** The part with the change, saved. Where somebody else was first, the change is put on their card. */
  private async saveOn(
    part: PartOpen,
    edit: Edited,
    first: Rebased,
    words: string,
    hoped: OnRecord,
  ): Promise<PartOpen> {
    let now = part,
      mine = first;
    for (let left = MOST_REBASES; ; left--) {
      if (mine.moved) this.displaced.add(hoped);
      try {
        const saved = await this.around.api.save(now.id, now.revision, mine.card, words);
        if (now !== part || mine.moved)
          this.put({ heard: whoWas(now) + (mine.moved ? `. Yours is step ${mine.moved.to}` : "") });
        return saved;
      } catch (error) {
        if (!isClash(error) || left <= 1) throw error;
        now = await this.around.api.part(this.id);
        mine = this.onto(now, edit);
      }
    }
  }

  /** The change on the card that is on record now. Raises NotRebased. */
  private onto(now: PartOpen, edit: Edited): Rebased {
    const found = this.displaced.has(edit.basedOn) ? { conflict: "numbers" as const } : rebase(edit, now.card);
    if ("conflict" in found) throw new NotRebased(now, found.conflict);
    return found;
  }

  /**
   * What is on record is taken up, and what was written comes back. A step that somebody else has changed too is based
   * on theirs from then on: recorded once more, it stands in its place.
   */
  private async notSaved(error: unknown, part: PartOpen, draft: Draft | null): Promise<void> {
    const clash = error instanceof NotRebased ? error : null,
      newer = this.get().draft,
      now = clash?.now ?? part;
    this.setRecord(now);
    if (draft) {
      const base = now.card.steps!.find((s) => s.number === draft.step.number) ?? null,
        again = clash && !draft.isNew ? { ...draft, base, isNew: base === null } : draft;
      this.put({ draft: again, ...(newer?.touched && newer.step !== draft.step ? { aside: newer } : {}) });
    }
    this.put({
      trouble: clash ? conflictWords(clash.conflict, clash.now.who ?? "Somebody", draft !== null) : sentenceOf(error),
    });
    await this.afterClash(error);
  }

  /** Somebody else has changed the part meanwhile: theirs is taken up, what was being written stays. */
  private async afterClash(error: unknown): Promise<boolean> {
    if (!isClash(error)) return false;
    this.setRecord(await this.around.api.part(this.id));
    return true;
  }

  /** News of the workshop: somebody else's record is taken up at once, and what is being written here stays. */
  hear(news: News): void {
    if (news.what === "present" && news.part === this.id) this.put({ people: news.people ?? [] });
    if (news.what !== "again" && (news.what !== "part" || news.part !== this.id)) return;
    void this.inTurn(async () => {
      if (!this.part || news.revision === this.part.revision || this.over.signal.aborted) return;
      const fresh = await this.around.api.part(this.id);
      if (fresh.revision === this.part.revision) return;
      this.setRecord(fresh);
      this.put({ heard: whoWas({ ...fresh, who: news.who ?? fresh.who, change: news.change ?? fresh.change }) });
      const { draft } = this.get();
      if (draft?.isNew && fresh.card.steps!.some((s) => s.number === draft.step.number)) {
        const step = { ...draft.step, number: freeNumber(fresh.card, this.get().upto) };
        this.put({ draft: { ...draft, step } });
      }
      void this.refresh();
    }).catch((error: unknown) => {
      this.put({ trouble: sentenceOf(error) });
    });
  }

  /** The part's own name or number was changed here. */
  async describe(change: PartDescribed): Promise<void> {
    try {
      const told = await this.around.api.describe(this.id, change);
      if (this.part) this.setRecord({ ...this.part, name: told.name, number: told.number });
    } catch (error) {
      this.put({ trouble: sentenceOf(error) });
    }
  }

  move(way: "undo" | "redo"): Promise<void> {
    return this.inTurn(() => this.moveNow(way));
  }

  private async moveNow(way: "undo" | "redo"): Promise<void> {
    const part = this.part;
    if (!part?.[way]) return;
    try {
      const moved = await this.around.api[way](part.id, part.revision);
      this.asking++;
      this.setRecord(moved);
      this.put({ draft: null, upto: null, trouble: null });
      void this.refresh(MOST_ASKS, moved.run);
    } catch (error) {
      this.put({ trouble: sentenceOf(error) });
      if (await this.afterClash(error)) await this.refresh();
    }
  }

  stepBack(number: number | null): void {
    this.put({ upto: number, draft: null, trouble: null });
    void this.refresh();
  }

  /** Change one value of a step that is on record, at once. */
  async changeRecorded(number: number, field: string, value: unknown): Promise<boolean> {
    const part = this.part,
      step = part?.card.steps!.find((s) => s.number === number);
    if (!part || !step) return false;
    const changed: Step = { ...step, params: { ...step.params, [field]: value } };
    const { problem, tokens } = await this.around.api.sentence(changed);
    if (problem) {
      this.put({ trouble: problem });
      return false;
    }
    const words = tokens.map((t) => t.text).join("") || field.replace(/_/g, " ");
    return this.save(edited(part, withStep(part.card, changed)), `Changed ${number}: ${words}`);
  }

  /** Change several values of a recorded step at once. */
  async changeStep(number: number, values: Record<string, unknown>, words: string): Promise<void> {
    const part = this.part,
      step = part?.card.steps!.find((s) => s.number === number);
    if (part && step)
      await this.save(
        edited(part, withStep(part.card, { ...step, params: { ...step.params, ...values } })),
        `Changed ${number}: ${words}`,
      );
  }

  /** A section of the library for the bar that is being written: its drawing becomes a file of the part. */
  async takeSection(id: number): Promise<void> {
    const values = await this.sectionIn(id);
    if (values) await this.changeMany(values);
  }

  /** The newer issue of a section for a bar on record: it is written, so that what comes of it is seen first. */
  async renewSection(number: number, id: number): Promise<void> {
    await this.writeWith(number, await this.sectionIn(id));
  }

  /** A recorded step is written anew with some other values. */
  private async writeWith(number: number, values: Record<string, unknown> | null): Promise<void> {
    const step = this.part?.card.steps!.find((s) => s.number === number);
    if (step && values) await this.write({ ...step, params: { ...step.params, ...values } }, false);
  }

  /** A part of the shelf for the step that places one; `step`: the number of the one on record that it is for. */
  async takePart(id: number, step: number | null = null): Promise<void> {
    const part = this.part;
    if (!part) return;
    try {
      this.put({ busy: { text: "Writing the part that is placed", id: null } });
      const done = await this.waited(this.around.api.writeForPlacing(part.id, id));
      if (!done) return;
      const values = await this.broughtIn((now) => this.around.api.placePart(now.id, done.id, now.revision));
      if (!values) return;
      if (step === null) await this.changeMany(values);
      else await this.writeWith(step, values);
    } catch (error) {
      this.put({ trouble: sentenceOf(error), busy: null });
    }
  }

  private sectionIn(id: number): Promise<Record<string, unknown> | null> {
    return this.broughtIn((part) => this.around.api.useSection(id, part.id, part.revision));
  }

  /** Something that becomes a file of the part, and the values of the step that uses it. */
  private broughtIn(
    ask: (part: PartOpen) => Promise<{ values: Record<string, unknown> }>,
  ): Promise<Record<string, unknown> | null> {
    return this.inTurn(async () => {
      if (!this.part) return null;
      try {
        const { values } = await ask(this.part);
        this.setRecord(await this.around.api.part(this.id));
        return values;
      } catch (error) {
        this.put({ trouble: sentenceOf(error) });
        await this.afterClash(error);
        return null;
      }
    });
  }

  /** What was asked for, once it is done; null, and in words why, where it did not come to that. */
  private async waited(asked: Promise<Computation>): Promise<Computation | null> {
    const done = await this.around.finished(await asked, () => undefined, this.over.signal);
    this.put({ busy: null, ...(done.state === "done" ? {} : { trouble: done.message }) });
    return done.state === "done" ? done : null;
  }

  // what the part was ---------------------------------------------------------------------------

  /** Look at an earlier revision, without changing anything; null goes back to now. */
  async lookAt(number: number | null): Promise<void> {
    const part = this.part,
      { looking, shown, draft } = this.get();
    if (!part) return;
    if (draft) this.setAside("");
    try {
      const card = number === null ? null : await this.around.api.revision(part.id, number);
      const before = looking ? looking.before : (shown?.report.figures ?? null);
      this.asking++;
      this.put({ draft: null });
      await this.showInstead(card && { number, card, basedOn: part, before, newer: null, computed: false });
    } catch (error) {
      this.put({ trouble: sentenceOf(error) });
    }
  }

  /** The earlier revision that is looked at against the part as it is now, as solids; or no more. */
  async holdSolids(): Promise<void> {
    const part = this.part,
      { looking } = this.get();
    if (!part || !looking?.number) return;
    if (looking.solids) {
      this.put({ looking: { ...looking, solids: null }, hidden: new Set() });
      return;
    }
    try {
      this.put({ busy: { text: "Holding the two solids against each other", id: null }, trouble: null });
      const done = await this.waited(this.around.api.revisionSolids(part.id, looking.number));
      if (!done) return;
      const solids = new PartData(unpack<PartFacts>(await this.around.api.solidsFound(done.id)));
      const now = this.get().looking;
      if (now?.number === looking.number) this.put({ looking: { ...now, solids }, hidden: new Set(), stage: "build" });
    } catch (error) {
      this.put({ trouble: sentenceOf(error), busy: null });
    }
  }

  /** Show a card in place of the part; nothing is said of it before it was computed. */
  private async showInstead(looking: Looking | null): Promise<void> {
    const was = this.get().shown;
    this.put({ looking });
    await this.refresh();
    if (looking && this.get().looking === looking && this.get().shown !== was)
      this.put({ looking: { ...looking, computed: true } });
  }

  /** The revision that is looked at becomes the part again, as a revision of its own. */
  async bringBack(): Promise<void> {
    const { looking } = this.get();
    if (!looking?.number) return;
    await this.save(
      { card: looking.card, basedOn: looking.basedOn, whole: true },
      `Brought back revision ${looking.number}`,
    );
  }

  // picks and sources ---------------------------------------------------------------------------

  /** Take a region into the pick, or out of it; while an operation with profiles is written, into that. */
  toggleRegion(id: string, add: boolean): void {
    this.afterRecording(() => {
      this.toggleNow(id, add);
    });
  }

  private toggleNow(id: string, add: boolean): void {
    const { draft, picks, shown } = this.get();
    if (!shown) return;
    const chosen = wantsRegions(draft) ? draftRegions(draft) : picks.regions;
    const anew = draft !== null && !draft.touched && this.guessed.length > 0 && !add;
    const next = anew
      ? [id]
      : chosen.includes(id)
        ? chosen.filter((r) => r !== id)
        : add || draft
          ? [...chosen, id]
          : [id];
    if (wantsRegions(draft)) void this.change("profiles", choiceOf(next, shown.sheet));
    else this.put({ picks: { regions: next, curves: [] } });
  }

  /** Pick these regions, or these too; while an operation with profiles is written, for that. */
  takeRegions(ids: string[], add: boolean): void {
    this.afterRecording(() => {
      this.takeNow(ids, add);
    });
  }

  private takeNow(ids: string[], add: boolean): void {
    const { draft, picks, shown } = this.get();
    if (!shown) return;
    const before = add ? (wantsRegions(draft) ? draftRegions(draft) : picks.regions) : [];
    const next = [...new Set([...before, ...ids])];
    if (wantsRegions(draft)) void this.change("profiles", choiceOf(next, shown.sheet));
    else this.put({ picks: { regions: next, curves: [] } });
  }

  /** Leave the curves that are picked out of the work: at once, as a step of its own. */
  async leaveOutPicked(kind: Kind): Promise<void> {
    const { picks, draft, upto } = this.get(),
      part = this.part;
    if (!part || draft || !picks.curves.length) return;
    const step = this.newStep(freeNumber(part.card, upto), kind.name, { curves: picks.curves });
    this.put({ picks: NO_PICKS });
    await this.save(
      edited(part, withStep(part.card, step)),
      `Left out ${picks.curves.length} ${picks.curves.length === 1 ? "curve" : "curves"}`,
    );
  }

  /** Put a point into the draft; a full field begins anew. */
  givePoint(snap: Snap): void {
    const { draft, shown } = this.get(),
      field = wantedPoints(draft);
    if (!field || !shown) return;
    const [ox, oy] = shown.sheet.facts.origin;
    const id = (row: number | undefined) => (row !== undefined && row >= 0 ? shown.sheet.facts.ids[row]! : null);
    const pick = { at: [snap.x + ox, snap.y + oy], curve: id(snap.row), kind: snap.kind, other: id(snap.other) };
    this.give(field, field.ends ? { point: pick } : pick);
  }

  /** Put a face or an edge into the draft; `at` is where it was pressed, in space. */
  givePiece(type: "face" | "edge", index: number, at: number[]): void {
    const { draft, shown } = this.get(),
      field = wantedPoints(draft);
    if (!shown) return;
    if (type === "edge") {
      const edge = shown.part.facts.edges[index];
      if (edge && field?.ends)
        this.give(field, { edge: { faces: edge.faces.map((n) => shown.part.facts.faces[n]!.key), point: at } });
      return;
    }
    const pick = this.facePick(index, at);
    if (!pick) return;
    if (field?.ends) this.give(field, { face: pick });
    else void this.change("face", pick);
  }

  private give(field: Wanted, value: unknown): void {
    const given = field.given as EndPick[],
      again = field.onPart ? given.findIndex((g) => samePiece(g, value as EndPick)) : -1;
    if (again >= 0) {
      void this.change(
        field.field,
        given.filter((_, n) => n !== again),
      );
      return;
    }
    void this.change(field.field, field.given.length >= field.wanted ? [value] : [...field.given, value]);
  }

  private sending(file: File): (share: number) => void {
    return (share) => {
      this.put({ busy: { text: `Sending ${file.name}: ${Math.round(share * 100)} %`, id: null } });
    };
  }

  /**
   * Bring another file into this part: beside what is there, over it, or on a sheet of its own; or onto a face of the
   * part.
   */
  async addSource(file: File, where: "beside" | "own" | "sheet" | Piece = "beside"): Promise<void> {
    if (!this.part) return;
    try {
      const source = await this.around.api.addSource(this.part.id, file, this.sending(file));
      const kinds = await this.around.api.kinds();
      const part = this.part,
        { card } = part,
        taken = new Set(Object.keys(card.sources ?? {}));
      let name = source.name;
      for (let n = 2; taken.has(name); n++) name = `${source.name} (${n})`;
      const onto = typeof where === "object" ? where : null,
        place = taken.size && where === "beside" ? "auto" : "own";
      if (onto && source.brought_in_by === kinds.find((k) => k.serves === "reads_file")!.name) {
        const sources = { ...card.sources, [name]: source.sha256 },
          face = this.facePick(onto.index, onto.at ?? null),
          engraves = kinds.find((k) => k.serves === "engraves")!;
        if (await this.save(edited(part, { ...card, sources }), `Brought in ${name}`))
          this.begin(engraves, { source: name, face });
        return;
      }
      if (where === "sheet") this.put({ sheetName: freeSheet(card, name.replace(/\.[^.]+$/, "")), picks: NO_PICKS });
      const reads = kinds.find((k) => k.serves === "reads_file")!.name,
        values = { source: name, ...(source.brought_in_by === reads ? { place } : {}) },
        step = this.newStep(freeNumber(card, this.get().upto), source.brought_in_by, values);
      await this.save(
        edited(part, { ...withStep(card, step), sources: { ...card.sources, [name]: source.sha256 } }),
        `Brought in ${name}`,
      );
    } catch (error) {
      this.put({ trouble: sentenceOf(error), busy: null });
    }
  }

  /** A newer issue of a source, held against the older one: nothing is recorded before it was looked at. */
  async holdIssue(old: string, file: File): Promise<void> {
    await this.changing; // what is being saved comes before
    const part = this.part,
      { looking, shown } = this.get();
    if (!part) return;
    this.setAside("");
    try {
      this.put({ busy: { text: `Holding ${file.name} against ${old}`, id: null }, draft: null, trouble: null });
      const done = await this.waited(this.around.api.holdIssues(part.id, part.revision, old, file, this.sending(file)));
      if (!done) return;
      const found = await this.around.api.issuesFound(done.id),
        before = looking ? looking.before : (shown?.report.figures ?? null),
        failedBefore = (shown?.report.steps ?? []).filter((s) => s.status === "failed").map((s) => s.number);
      const newer = { found, failedBefore };
      await this.showInstead({ number: null, card: found.card, basedOn: part, before, newer, computed: false });
    } catch (error) {
      this.put({ trouble: sentenceOf(error), busy: null });
    }
  }

  /** A step on the newer issue stands on another pick; that is looked at, and recorded with the issue. */
  async pickInIssue(number: number, field: string, value: unknown): Promise<void> {
    const looking = this.get().looking;
    const step = looking?.card.steps?.find((s) => s.number === number);
    if (!looking?.newer || !step) return;
    const card = withStep(looking.card, { ...step, params: { ...step.params, [field]: value } });
    const newer = { ...looking.newer, found: { ...looking.newer.found, card } };
    await this.showInstead({ ...looking, card, newer, computed: false });
  }

  /** The newer issue goes on record, or is left. */
  async settleIssue(take: boolean): Promise<void> {
    const { looking } = this.get(),
      newer = looking?.newer;
    if (!newer) return;
    if (!take) {
      await this.lookAt(null);
      return;
    }
    await this.save(edited(looking.basedOn, newer.found.card), `Replaced ${newer.found.old} by ${newer.found.new}`);
  }
}
