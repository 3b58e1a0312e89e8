/** A table and a server in memory, for what is tested of a session. */

import { vi } from "vitest";

import { type Card, type Computation, Refused, type Report, type Step } from "../api/client";
import type { Surroundings } from "./session";
import type { TableState } from "./table";

export const step = (number: number, kind = "read", params: Record<string, unknown> = {}): Step => ({
  number,
  kind,
  params,
  on: true,
  sheet: "",
});
export const EXTRUDE = {
  name: "extrude",
  stage: "build",
  label: "Extrude",
  help: "",
  defaults: { profiles: { rule: "picked", picks: [] }, length: 10 },
  beside_bodies: { result: "join" },
  becomes_steps: false,
  begins_sheet: false,
  offered: true,
  wants: "",
  serves: null,
  typed: {},
};
export const CUT = { ...EXTRUDE, name: "cut", label: "Cut" };

/** A promise to be settled by hand. */
export function later<T>() {
  let resolve!: (value: T) => void, reject!: (error: unknown) => void;
  const promise = new Promise<T>((a, b) => {
    resolve = a;
    reject = b;
  });
  return { promise, resolve, reject };
}

/** 4 bytes of length, then the JSON head: an empty parcel. */
function parcel(facts: object): ArrayBuffer {
  const head = new TextEncoder().encode(JSON.stringify({ facts, arrays: {} }).padEnd(508));
  const out = new Uint8Array(4 + head.length);
  new DataView(out.buffer).setUint32(0, head.length, true);
  out.set(head, 4);
  return out.buffer;
}

/** A table and a server in memory: every save is one revision on. */
export function around(id = 1) {
  const state = {
    draft: null,
    aside: null,
    upto: null,
    picks: { regions: [], curves: [] },
    shown: null,
    hover: { curves: [], region: -1, piece: null },
    pickedPieces: [],
    checked: null,
    busy: null,
    stage: "build",
    trouble: null,
    sheetName: "",
  } as unknown as TableState;
  const table = {
    getState: () => state,
    setState: (change: Partial<TableState>) => {
      Object.assign(state, change);
    },
  };
  const record = { revision: 1, card: { version: 2, steps: [step(10)], sources: {} } as Card };
  const open = (of = id) => ({
    id: of,
    name: `Part ${of}`,
    revision: record.revision,
    change: "",
    card: record.card,
    undo: "x",
    redo: null,
  });
  const sheets = [""];
  const report = (): Report => ({
    keys: {
      whole: `w${record.revision}`,
      sheets: sheets.map((name) => ({ name, linework: `l${name}`, regions: `l${name}`, placements: `p${name}` })),
    },
    steps: [],
    gauges: [],
    figures: { bodies: 0 } as Report["figures"],
    notes: [],
  });
  const done = (): Computation => ({
    id: "c",
    state: "done",
    kind: "run",
    progress: "",
    message: "",
    code: "",
    report: report(),
  });
  const api = {
    part: vi.fn(async () => Promise.resolve(open())),
    run: vi.fn(async () => Promise.resolve(done())),
    save: vi.fn(async (_: number, based: number, card: Card) => {
      if (based !== record.revision) throw new Refused(409, "clash", "changed meanwhile");
      record.revision++;
      record.card = card;
      return Promise.resolve(open());
    }),
    revision: vi.fn(async () => Promise.resolve({ version: 2, steps: [step(10), step(15)], sources: {} } as Card)),
    sentence: vi.fn(async (s: Step) =>
      Promise.resolve({
        tokens: [{ text: `${s.kind} ${JSON.stringify(s.params?.["length"])}`, field: "length", editor: null }],
        problem: s.params?.["length"] === "abc" ? "“abc” can't be read" : null,
      }),
    ),
    undo: vi.fn(async () => {
      record.revision++;
      return Promise.resolve(open());
    }),
    check: vi.fn(async () => Promise.resolve(done())),
    checkFound: vi.fn(async () => Promise.resolve({ views: [], sizes: [], gauges: [] })),
    drawing: vi.fn(async () => Promise.resolve(done())),
    drawingFound: vi.fn(async () => Promise.resolve({ svg: "<svg/>", sheet: "A3", open: [], dimensions: [] })),
    shape: vi.fn(async () =>
      Promise.resolve(parcel({ bodies: [], faces: [], edges: [], figures: {}, origin: [0, 0, 0] })),
    ),
    parcel: vi.fn(async (_: string, _what: string, sheet: string) =>
      Promise.resolve(parcel({ ids: [sheet], regions: [], origin: [0, 0], extents: [0, 0, 0, 0] })),
    ),
  };
  const finished: Surroundings["finished"] = async (first, _progress, given) => {
    if (given.aborted) throw new DOMException("superseded", "AbortError");
    return Promise.resolve(first);
  };
  return { state, record, api, sheets, given: { api: api as unknown as Surroundings["api"], finished, table } };
}
