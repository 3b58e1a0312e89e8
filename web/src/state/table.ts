/**
 * View state of the drawing table: stage, picks, what is pointed at, the step being written. The card itself lives on
 * the server.
 */

import { create } from "zustand";

import type {
  Card,
  CheckedSize,
  CheckedView,
  DrawnSheet,
  Gauge,
  PartOpen,
  Report,
  Stage,
  Step,
  Token,
  IssuesFound,
} from "../api/client";
import type { PartData, Piece } from "../scene/partData";
import type { Drawn, SheetData } from "../scene/sheetData";
import type { OnRecord } from "./rebase";

export const STAGES: { key: Stage; label: string }[] = [
  { key: "bring_in", label: "Bring in" },
  { key: "tidy", label: "Tidy" },
  { key: "close", label: "Close" },
  { key: "arrange", label: "Arrange" },
  { key: "build", label: "Build" },
  { key: "check", label: "Check" },
  { key: "hand_over", label: "Hand over" },
];

/** `touched`: something was put into it since it was begun, which must not be lost. */
export interface Draft {
  step: Step;
  isNew: boolean;
  /** The step on record that is written anew, as it was when that was begun. */
  base: Step | null;
  touched: boolean;
  tokens: Token[];
  problem: string | null;
}
/** What is on the screen: the computation it came from, and what that found. */
export interface Shown {
  computation: string;
  report: Report;
  /** The sheet that is looked at, by name, and what is on it. */
  sheetName: string;
  sheet: SheetData;
  part: PartData;
}
export interface Picks {
  regions: string[];
  curves: string[];
}

/** What is looked at in place of the part: an earlier revision by its number, or it on a newer issue of a source. */
export interface Looking {
  number: number | null;
  card: Card;
  /** The record that it was held against. */
  basedOn: OnRecord;
  /** The part's own figures. */
  before: Report["figures"] | null;
  /** What changed with the newer issue, and the steps that failed before it. */
  newer: { found: IssuesFound; failedBefore: number[] } | null;
  /** Whether what is shown is of this card already, and not of what was shown before. */
  computed: boolean;
  /** It and the part as it is now, as two solids held against each other. */
  solids?: PartData | null;
}

export interface TableState {
  part: PartOpen | null;
  stage: Stage;
  shown: Shown | null;
  /** The sheet to look at and to work on, by name; the first has none. */
  sheetName: string;
  /** The linework of a large drawing, shown before anything has been found in it. */
  early: SheetData | null;
  /** The draft's step that `shown` was computed with. */
  shownStep: Step | null;
  /** Whether what is shown is a preview of the draft. */
  previewing: boolean;
  busy: { text: string; id: string | null } | null;
  trouble: string | null;
  draft: Draft | null;
  /** What was being written when something else was begun: it can be taken up again. */
  aside: Draft | null;
  picks: Picks;
  hover: { curves: number[]; region: number; piece: Piece | null };
  pickedPieces: Piece[];
  /** Bodies that are hidden, by key. */
  hidden: Set<string>;
  /** Step back: show the part as it was after this step. */
  upto: number | null;
  split: number;
  /** The finding that is looked at, by its key. */
  finding: string | null;
  /** How dragging on the sheet picks. */
  pickBy: "box" | "lasso";
  /** Which lines bound the regions that are pointed at, beside solid ones. */
  boundBy: Drawn;
  /** What a drag or a press on the sheet is for, when it is not for picking: a part of a picture, or a colour of it. */
  sheetAsks: { what: "part" | "colour"; step: number } | null;
  /** How strongly a picture shows under its outline, 0 to 1. */
  pictureShare: number;
  /** Who has this part open, by name; and what somebody else recorded just now. */
  people: string[];
  heard: string | null;
  /** The straight-on check of one computation: still looking, done, or the sentence why not. */
  checked: {
    of: string;
    views: CheckedView[];
    sizes: CheckedSize[];
    gauges: Gauge[];
    state: string;
  } | null;
  /** The drawing sheet of a computation: none yet while it is drawn, and in words why there is none. */
  looking: Looking | null;
  /** The workshop's K by radius / thickness; empty where it keeps none. */
  bendTable: [number, number][];
  /** A place of the part (mm) that a remark is about. */
  pointed: [number, number, number] | null;
  drawn: { of: string; sheet: DrawnSheet | null; trouble: string } | null;
  set(change: Partial<TableState>): void;
}

const START = {
  part: null,
  bendTable: [] as [number, number][],
  looking: null,
  stage: "bring_in" as Stage,
  shown: null,
  sheetName: "",
  early: null,
  shownStep: null,
  previewing: false,
  busy: null,
  trouble: null,
  draft: null,
  aside: null,
  picks: { regions: [], curves: [] },
  hover: { curves: [], region: -1, piece: null },
  pickedPieces: [],
  hidden: new Set<string>(),
  upto: null,
  split: 0.5,
  finding: null,
  pickBy: "box" as const,
  boundBy: "solid" as Drawn,
  sheetAsks: null,
  pictureShare: 0.55,
  people: [],
  heard: null,
  checked: null,
  drawn: null,
  pointed: null,
};

export const useTable = create<TableState>((set) => ({
  ...START,
  set: (change) => {
    set(change);
  },
}));

export function clearTable(): void {
  useTable.setState(START);
}
