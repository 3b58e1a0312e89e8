/**
 * The server's answers, typed by the schema it generates. A refusal is thrown as `Refused`, with the sentence to show.
 */

import { keepAsWritten } from "../words/language";
import { spoken } from "../words/language";
import type { components } from "./schema";

type Shapes = components["schemas"];
export type Person = Shapes["Person"];
export type ShelfPage = Shapes["ShelfPage"];
export type PartOnShelf = Shapes["PartOnShelf"];
export type PartOpen = Shapes["PartOpen"];
export type PartDescribed = Partial<Pick<PartOnShelf, "name" | "number" | "labels" | "archived" | "released">>;
export type Card = Shapes["Card"];
export type Step = Shapes["Step"];
export type Kind = Shapes["KindOut"];
export type Computation = Omit<Shapes["ComputationState"], "report"> & { report: Report | null };

export interface Where {
  curves: string[];
  point: number[] | null;
}
export interface Editor {
  type:
    | "length"
    | "number"
    | "choice"
    | "profiles"
    | "names"
    | "curves"
    | "box"
    | "source"
    | "section"
    | "part"
    | "points"
    | "ends"
    | "face"
    | "findings"
    | "text"
    | "pieces"
    | "file";
  value: unknown;
  wanted?: number;
  /** Of a text: what stands in its place while there is none. */
  empty?: string;
  /** Of points: a line is drawn from one to the next. */
  drawn?: boolean;
  /** The value can't be read; it is shown as it was typed. */
  refused?: boolean;
  options?: { value: string; label: string }[] | string[];
}
export interface Token {
  text: string;
  field: string | null;
  editor: Editor | null;
}
export interface StepReport {
  number: number;
  kind: string;
  status: "ok" | "failed" | "off";
  sentence: string;
  tokens: Token[];
  message: string;
  code: string;
  where: Where;
  /** What it has to say beside its result. */
  notes: Note[];
  /** Where a pick is gone, the likeliest new one. */
  likely?: { field: string; value: unknown; text: string } | null;
}
export interface Gauge {
  stage: Stage;
  state: "agreed" | "attention" | "wrong" | "none";
  figure: string;
  words: string;
  where: Where;
  /** The sheet that the place is on. */
  sheet: string;
}
/** Art on a face: the plane that it lies in (mm in space), and its outline there. */
export interface Laid {
  origin: number[];
  x: number[];
  y: number[];
  lines: [number, number][][];
}
export interface Figures {
  bodies: number;
  bounds: number[];
  volume_mm3: number;
  surface_mm2: number;
  material: string | null;
  density: number | null;
  mass_g: number | null;
}
/** A sheet of the part, and the names of its contents: of its linework, what that closes, and the planes it lies in. */
export interface SheetKeys {
  name: string;
  linework: string;
  regions: string;
  placements: string;
}
/** Names of contents: of the whole workpiece, and of each sheet. */
export interface Keys {
  whole: string;
  sheets: SheetKeys[];
}
export interface Note {
  code: string;
  text: string;
  where: Where;
  /** It makes the result surer, and asks for nothing. */
  good: boolean;
  /** What it offers to do about it: other values for a step. */
  change?: { step: number; words: string; values: Record<string, unknown> };
  /** Art that lies on a face and can be taken in the hand. */
  drawn?: Laid | { dimension: DrawnDimension };
}
export interface Report {
  keys: Keys;
  steps: StepReport[];
  gauges: Gauge[];
  figures: Figures;
  notes: Note[];
}
export type Stage = "bring_in" | "tidy" | "close" | "arrange" | "build" | "check" | "hand_over";

export class Refused extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    text: string,
  ) {
    super(text);
  }
}

function cookie(name: string): string {
  return (
    document.cookie
      .split("; ")
      .find((c) => c.startsWith(`${name}=`))
      ?.slice(name.length + 1) ?? ""
  );
}

async function refusal(answer: Response): Promise<Refused> {
  try {
    const told = (await answer.json()) as { code?: string; text?: string };
    return new Refused(answer.status, told.code ?? "refused", told.text ?? `The server answered ${answer.status}.`);
  } catch {
    return new Refused(answer.status, "refused", `The server answered ${answer.status}.`);
  }
}

/** What browsers go on sending after the page was left; more than this they refuse (signs). */
const MOST_KEPT_ALIVE = 30_000;

/** `keepalive`: it arrives also where the page is left in the same moment. */
async function ask(method: string, path: string, body?: unknown, keepalive = false): Promise<Response> {
  const told = body === undefined ? undefined : JSON.stringify(body);
  let answer: Response;
  try {
    answer = await fetch(`/api${path}`, {
      method,
      keepalive: keepalive && (told?.length ?? 0) < MOST_KEPT_ALIVE,
      headers: {
        "X-CSRFToken": cookie("csrftoken"),
        "Accept-Language": spoken(),
        ...(told === undefined ? {} : { "Content-Type": "application/json" }),
      },
      ...(told === undefined ? {} : { body: told }),
    });
  } catch {
    throw new Refused(0, "away", "The server does not answer; what is on record is safe. Trying again may help.");
  }
  if (!answer.ok) throw await refusal(answer);
  return answer;
}

async function json<T>(method: string, path: string, body?: unknown, keepalive = false): Promise<T> {
  const answer = (await (await ask(method, path, body, keepalive)).json()) as T;
  keepAsWritten(namesIn(answer));
  return answer;
}

const NAMES = new Set(["who", "username", "workshop", "title"]);

/** The names that people gave to what an answer tells of: to parts, people and files, and in the steps of a card. */
function* namesIn(value: unknown, inParams = false): Generator<string> {
  if (Array.isArray(value)) for (const one of value as unknown[]) yield* namesIn(one, inParams);
  if (typeof value !== "object" || value === null || Array.isArray(value)) return;
  const named = inParams || "id" in value || "role" in value || "sha256" in value;
  for (const [key, inner] of Object.entries(value as Record<string, unknown>)) {
    if (key === "sources" && typeof inner === "object" && inner !== null) yield* Object.keys(inner);
    else if (typeof inner === "string") {
      if (NAMES.has(key) || (named && key === "name")) yield inner;
    } else if (key === "people" && Array.isArray(inner))
      yield* (inner as unknown[]).filter((one) => typeof one === "string");
    else yield* namesIn(inner, inParams || key === "params");
  }
}

const query = (sheet: string) => new URLSearchParams({ sheet }).toString();

type Polylines = [number, number][][];
/** In what a view and the part seen straight on differ; polylines on the sheet, mm. */
export type Difference = "unexplained" | "lacking" | "lacking_hidden" | "dashed_but_seen" | "solid_but_hidden";
export type CheckedView = Record<Difference, Polylines> &
  Record<`${Difference}_mm`, number> & {
    sheet: string;
    name: string;
    percent: number;
    agrees: boolean;
    differences: number;
    left_out: { curves: number; mm: number };
  };
/** A size that the drawing states, held against the part. */
export interface CheckedSize {
  sheet: string;
  text: string;
  stated_mm: number;
  part_mm: number | null;
  agrees: boolean | null;
  at: [number, number];
}

type Place3 = [number, number, number];
/** Whether the part can be printed: lengths in mm, areas in mm², volumes in mm³. */
export interface PrintCheck {
  pieces: number;
  loose: { volume: number; at: Place3 }[];
  thin: { width: number; at: Place3 }[];
  narrow: { width: number; at: Place3 }[];
  thinnest: { width: number; at: Place3 } | null;
  /** Edges and tips at which the material runs out: the angle between their sides (degrees), their length (mm). */
  sharp: { angle: number; length: number; at: Place3 }[];
  overhang: number;
  watertight: boolean;
  volume: number;
  too_large: string;
}

/** A dimension on the part: the step it is, between which two places (mm) it stands, and what it says. */
export interface DrawnDimension {
  step: number;
  from: [number, number, number];
  to: [number, number, number];
  text: string;
}

/** The flat blank of a sheet part (mm): its rings, bends, and the pieces that fold. */
export interface BlankFound {
  thickness: number;
  figures: { area_mm2: number; perimeter_mm: number; bbox_mm: number[]; holes: number; mass_g: number | null };
  bends: { number: number; text: string; length_mm: number; allowance_mm: number; k: number; line: [Point2, Point2] }[];
  rings: Point2[][];
  /** What is engraved, in pieces on a flat or over a bend. */
  marks: { line: Point2[]; face: number | null; zone: number | null }[];
  flats: { face: number; rings: Point2[][] }[];
  slices: { zone: number; rings: Point2[][] }[];
  zones: {
    parent: number;
    child: number;
    start: Point2;
    along: Point2;
    across: Point2;
    allowance: number;
    angle: number;
    up: boolean;
    k: number;
  }[];
  /** What a press brake can't do, or does badly. */
  remarks: { text: string; at: Place3; on_blank: Point2 }[];
  fixed: number;
  home: number[][];
}

/** A newer issue of a source held against the older one (mm, on the newer sheet), and the card that reads it. */
export interface IssuesFound {
  old: string;
  new: string;
  shift: Point2;
  same: number;
  share: number;
  changed: {
    kind: "added" | "removed" | "moved" | "resized";
    what: string;
    at: Point2;
    before: Point2 | number | null;
    after: Point2 | number | null;
  }[];
  counts: Record<"added" | "removed" | "moved" | "resized", number>;
  dimensions: { old: string | null; new: string | null; at: Point2 }[];
  identical: boolean;
  doubts: string[];
  card: Card;
}

/** What is said of a section of the library; lengths in mm. */
export interface SectionFacts {
  number: string;
  name: string;
  family: string;
  material: string;
  thickness_mm: number | null;
  pitch_mm: number | null;
  insertion_mm: Point2;
  issue: number;
  source: string;
  notes: string;
}

/** An issue of a section: what is said of it, its figures (mm, mm², mm⁴, kg/m), its rings as polygons (mm). */
export interface Section {
  id: number;
  number: string;
  issue: number;
  facts: SectionFacts;
  figures: {
    area: number;
    perimeter: number;
    cx: number;
    cy: number;
    ix: number;
    iy: number;
    wx: number;
    wy: number;
    bbox_mm: number[];
    holes: number;
    kg_per_m: number | null;
  };
  outline: Point2[][];
  away: boolean;
  made: string;
  who: string;
}

/** What a supplier's drawing became, before it is kept. */
export type CleanedDrawing = Pick<Section, "facts" | "figures" | "outline"> & { remarks: string[] };

/** Mass (g), centroid (mm), moments of inertia about it (g·mm²); `unknown`: how many bodies have no material. */
export interface Weights {
  mass_g: number;
  centroid: number[];
  inertia: number[][];
  principal: number[];
  unknown: number;
}

/** The drawing sheet of the part: its picture, and what is to be said of it. */
export interface DrawnSheet {
  svg: string;
  size: [number, number];
  sheet: string;
  scale: string;
  projection: "first" | "third";
  dimensions: SheetDimension[];
  views: SheetView[];
  marks: SheetMark[];
  open: { text: string; at: [number, number, number] }[];
  spare: { text: string; view: string }[];
  /** How much of what a hand had set stands for nothing any more. */
  lost: number;
  /** In words, which sections and details can't be drawn. */
  refused: string[];
}

export type AxisName = "x" | "y" | "z";
export type Point2 = [number, number];

/** What a dimension of the sheet stands for: the faces at its ends, and what tells it from others. */
export interface HeldSize {
  axis: AxisName | null;
  low: string[];
  high: string[];
  value: number;
  view: string;
}

/** A dimension on the sheet (mm of paper from the upper left): its text's corners, which ways it can be moved. */
export interface SheetDimension {
  text: string;
  kind: string;
  view: string;
  mm: number;
  box: Point2[];
  along: Point2;
  away: Point2;
  in_brackets: boolean;
  moved: Point2;
  /** Which of the changes by hand was made to it. */
  hand: number | null;
  held: HeldSize;
}

/** A view on the sheet: its box and where the origin of its plane stands (mm of paper), its scale, and for each axis of
 * the part that it shows whether it runs across (0) or up (1), and which way. */
export interface SheetView {
  name: string;
  title: string;
  box: [number, number, number, number];
  origin: Point2;
  scale: number;
  axes: Partial<Record<AxisName, Point2>>;
}

/** A place that a dimension can be taken from: a coordinate along an axis, or something round (axis null). */
export interface SheetMark {
  view: string;
  axis: AxisName | null;
  at: Point2;
  owners: string[];
  mm: number;
  kind: "face" | "centre" | "corner" | "round";
}

/** A depth proposed for a profile: its words, the kind of operation, its values, and from where to where (mm). */
export interface Depth {
  words: string;
  kind: string;
  values: Record<string, unknown>;
  low: number;
  high: number;
}

/** So many parts are asked for at once. */
const PAGE = 500;

/** What is asked of a cut list: lengths as they are typed. */
export const cutListQuery = (parts: number[], stock: string, kerf: string): string =>
  String(new URLSearchParams({ parts: parts.join(), stock, kerf }));

export const api = {
  me: () => json<Person>("GET", "/me"),
  signIn: (username: string, password: string, code = "") =>
    json<Person>("POST", "/sign-in", { username, password, code }),
  askReset: (name: string) => ask("POST", "/reset", { name }),
  resetPassword: (user: string, token: string, password: string) =>
    ask("POST", "/reset/password", { user, token, password }),
  sessions: () => json<Shapes["SignedIn"][]>("GET", "/me/sessions"),
  endSession: (key: string) => ask("DELETE", `/me/sessions/${key}`),
  beginSecondFactor: () => json<Shapes["SecondFactorBegun"]>("POST", "/me/second-factor", {}),
  confirmSecondFactor: (code: string) => ask("PUT", "/me/second-factor", { code }),
  noSecondFactor: (password: string) => ask("POST", "/me/second-factor/off", { password }),
  withoutSecondFactor: (member: number) => ask("DELETE", `/workshop/members/${member}/second-factor`),
  leaveForGood: (password: string) => ask("POST", "/me/leave", { password }),
  sizes: () => json<Shapes["SizesOut"]>("GET", "/workshop/sizes"),
  letGo: () => json<Shapes["SizesOut"]>("POST", "/workshop/let-go"),
  signOut: () => ask("POST", "/sign-out"),
  shelf: (
    wanted: { text: string; labels: string[]; archived: boolean; order: string },
    skip: number,
    count: number,
  ) => {
    const query = new URLSearchParams({ words: wanted.text, order: wanted.order, skip: `${skip}`, count: `${count}` });
    if (wanted.archived) query.set("removed", "true");
    for (const label of wanted.labels) query.append("label", label);
    return json<ShelfPage>("GET", `/shelf?${query}`);
  },
  partsNumbered: (ids: number[]) => json<PartOnShelf[]>("GET", `/parts?ids=${ids.join()}`),
  parts: async () => {
    const all: PartOnShelf[] = [];
    for (let page = null as PartOnShelf[] | null; page === null || page.length === PAGE; all.push(...page))
      page = await json<PartOnShelf[]>("GET", `/parts?skip=${all.length}&count=${PAGE}`);
    return all;
  },
  part: (id: number) => json<PartOpen>("GET", `/parts/${id}`),
  describe: (id: number, change: PartDescribed) => json<PartOpen>("PATCH", `/parts/${id}`, change),
  copyPart: (id: number, nextIssue = false) =>
    json<PartOpen>("POST", `/parts/${id}/copy${nextIssue ? "?next_issue=true" : ""}`),
  /** The names of all who have a part open; sent also while the page is being closed. */
  present: async (id: number, leaving: boolean) =>
    (await ask("POST", `/parts/${id}/presence`, { leaving }, leaving)).json() as Promise<string[]>,
  changeMe: (change: { name?: string; inches?: boolean; mail?: string; password?: string }) =>
    json<Person>("PATCH", "/me", change),
  changePassword: (old: string, fresh: string) => ask("POST", "/me/password", { old, new: fresh }),
  signOutEverywhere: () => ask("POST", "/me/sign-out-everywhere"),
  workshop: () => json<Shapes["WorkshopOut"]>("GET", "/workshop"),
  deeds: () => json<Shapes["DeedOut"][]>("GET", "/workshop/deeds"),
  invite: (role: string) => json<Shapes["InvitationOut"]>("POST", "/workshop/invitations", { role }),
  takeInvitationBack: (id: number) => ask("DELETE", `/workshop/invitations/${id}`),
  setRole: (id: number, role: string) => ask("PATCH", `/workshop/members/${id}`, { role }),
  removeMember: (id: number) => ask("DELETE", `/workshop/members/${id}`),
  invitation: (secret: string) => json<Shapes["InvitationTold"]>("GET", `/join/${encodeURIComponent(secret)}`),
  join: (secret: string, person: { username: string; name: string; password: string }) =>
    json<Person>("POST", `/join/${encodeURIComponent(secret)}`, person),
  kinds: () => json<Kind[]>("GET", "/operations"),
  /** A length as typed, in mm. */
  length: async (text: string) =>
    (await json<{ mm: number }>("GET", `/lengths?${String(new URLSearchParams({ text }))}`)).mm,
  /** A plain number as typed. */
  number: async (text: string) =>
    (await json<{ value: number }>("GET", `/numbers?${String(new URLSearchParams({ text }))}`)).value,
  sentence: (step: Step) => json<{ tokens: Token[]; problem: string | null }>("POST", "/operations/sentence", { step }),
  save: (id: number, based_on: number, card: Card, change: string) =>
    json<PartOpen>("PUT", `/parts/${id}/card`, { based_on, card, change }, true),
  undo: (id: number, based_on: number) => json<PartOpen>("POST", `/parts/${id}/undo`, { based_on }, true),
  redo: (id: number, based_on: number) => json<PartOpen>("POST", `/parts/${id}/redo`, { based_on }, true),
  run: (id: number, card: Card | null) => json<Computation>("POST", `/parts/${id}/runs`, { card }),
  exportFile: (id: number, options: Record<string, unknown>) =>
    json<Computation>("POST", `/parts/${id}/exports`, options),
  addSource: (id: number, file: File, progress: (share: number) => void) =>
    upload<Shapes["SourceOut"]>(`/parts/${id}/sources`, file, {}, progress),
  distance: (id: string, a: [string, number], b: [string, number]) =>
    json<Computation>("POST", `/computations/${id}/distances`, { a, b }),
  distanceFound: (id: string) => json<{ mm: number; from: number[]; to: number[] }>("GET", `/computations/${id}/file`),
  blank: (id: string) => json<Computation>("POST", `/computations/${id}/blanks`),
  blankFound: (id: string) => json<BlankFound>("GET", `/computations/${id}/file`),
  weights: (id: string) => json<Computation>("POST", `/computations/${id}/weights`),
  weightsFound: (id: string) => json<Weights>("GET", `/computations/${id}/file`),
  holdIssues: (id: number, revision: number, old: string, file: File, progress: (share: number) => void) =>
    upload<Computation>(`/parts/${id}/issues`, file, { old, revision: String(revision) }, progress),
  revisionPicture: (id: number, number: number) =>
    json<Computation>("POST", `/parts/${id}/revisions/${number}/pictures`),
  revisionSolids: (id: number, number: number) => json<Computation>("POST", `/parts/${id}/revisions/${number}/solids`),
  solidsFound: async (id: string) => (await ask("GET", `/computations/${id}/file`)).arrayBuffer(),
  issuesFound: (id: string) => json<IssuesFound>("GET", `/computations/${id}/file`),
  revisions: (id: number) => json<Shapes["RevisionOut"][]>("GET", `/parts/${id}/revisions`),
  revision: (id: number, number: number) => json<Card>("GET", `/parts/${id}/revisions/${number}`),
  writeForPlacing: (id: number, other: number) => json<Computation>("POST", `/parts/${id}/placings/${other}`),
  placePart: (id: number, computation: string, revision: number) =>
    json<{ source: string; values: Record<string, unknown> }>("POST", `/parts/${id}/placed`, { computation, revision }),
  supplier: () => json<Shapes["SupplierOut"]>("GET", "/supplier"),
  takeFromSupplier: (number: string) => json<Computation>("POST", `/supplier/${encodeURIComponent(number)}`),
  cutList: (parts: number[], stock: string, kerf: string) =>
    json<Shapes["CutListOut"]>("GET", `/cut-list?${cutListQuery(parts, stock, kerf)}`),
  library: () => json<{ sections: Section[]; materials: string[] }>("GET", "/library"),
  sectionIssues: (number: string) => json<Section[]>("GET", `/library/numbers/${encodeURIComponent(number)}`),
  cleanedFound: (id: string) => json<CleanedDrawing>("GET", `/computations/${id}/file`),
  keepSections: (computation: string, facts: Partial<SectionFacts> = {}) =>
    json<{ sections: Section[]; problems: string[] }>("POST", "/library/kept", { computation, facts }),
  changeSection: (id: number, facts: Partial<SectionFacts>) =>
    json<Section>("PATCH", `/library/sections/${id}`, { facts }),
  putSectionAway: (id: number, away: boolean) => json<undefined>("PUT", `/library/sections/${id}/away`, { away }),
  makeBar: (id: number, length: string) => json<{ part: number }>("POST", `/library/sections/${id}/parts`, { length }),
  useSection: (id: number, part: number, revision: number) =>
    json<{ source: string; values: Record<string, unknown> }>("POST", `/library/sections/${id}/uses`, {
      part,
      revision,
    }),
  sectionOf: (id: string, profile: string, sheet: string, name: string) =>
    json<Computation>("POST", `/computations/${id}/sections`, { profile, sheet, name }),
  keepBendTable: (table: string) => json<undefined>("PUT", "/workshop/bend-table", { table }),
  keepBed: (bed: string) => json<undefined>("PUT", "/workshop/bed", { bed }),
  check: (id: string) => json<Computation>("POST", `/computations/${id}/checks`),
  checkFound: (id: string) =>
    json<{ views: CheckedView[]; sizes: CheckedSize[]; gauges: Gauge[] }>("GET", `/computations/${id}/file`),
  printing: (id: string, wanted: Shapes["AskPrintCheck"]) =>
    json<Computation>("POST", `/computations/${id}/prints`, wanted),
  printingFound: (id: string) => json<PrintCheck>("GET", `/computations/${id}/file`),
  drawing: (id: string) => json<Computation>("POST", `/computations/${id}/drawings`),
  drawingFound: (id: string) => json<DrawnSheet>("GET", `/computations/${id}/file`),
  depths: (id: string, profile: string, sheet: string) =>
    json<Computation>("POST", `/computations/${id}/depths`, { profile, sheet }),
  depthsFound: (id: string) => json<{ depths: Depth[]; why: string }>("GET", `/computations/${id}/file`),
  steps: (id: string, sheet: string) => json<Computation>("POST", `/computations/${id}/steps?${query(sheet)}`),
  stepsFound: (id: string) =>
    json<{ steps: { kind: string; params: Record<string, unknown> }[] }>("GET", `/computations/${id}/file`),
  computation: (id: string) => json<Computation>("GET", `/computations/${id}`),
  stop: (id: string) => json<Computation>("POST", `/computations/${id}/stop`),
  shape: async (id: string) => (await ask("GET", `/computations/${id}/part`)).arrayBuffer(),
  /** What is on one sheet. */
  parcel: async (id: string, what: "lines" | "regions" | "placements", sheet: string) =>
    (await ask("GET", `/computations/${id}/${what}?${query(sheet)}`)).arrayBuffer(),
};

/** Upload with progress, 0 to 1. `path` is where the file goes; `extra` are other fields of the form. */
export function upload<T>(
  path: string,
  file: File,
  extra: Record<string, string>,
  progress: (share: number) => void,
  more: File[] = [],
): Promise<T> {
  const form = new FormData();
  form.append("file", file);
  for (const one of more) form.append("more", one);
  for (const [name, value] of Object.entries(extra)) form.append(name, value);
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", `/api${path}`);
    request.setRequestHeader("X-CSRFToken", cookie("csrftoken"));
    request.upload.onprogress = (e) => {
      if (e.lengthComputable) progress(e.loaded / e.total);
    };
    request.onerror = () => {
      reject(new Refused(0, "away", "The upload broke off: the server does not answer."));
    };
    request.onload = () => {
      let told: { code?: string; text?: string } = {};
      try {
        told = JSON.parse(request.responseText) as typeof told;
      } catch {
        /* not JSON: the status says it */
      }
      if (request.status < 300) resolve(told as T);
      else
        reject(
          new Refused(request.status, told.code ?? "refused", told.text ?? `The server answered ${request.status}.`),
        );
    };
    request.send(form);
  });
}
