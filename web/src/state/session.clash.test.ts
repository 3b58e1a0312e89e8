/** What changes the record, against what can come between: nothing of anybody's is lost without a word. */

import { describe, expect, test, vi } from "vitest";

import { type Card, type Computation, Refused, type Step } from "../api/client";
import { edited } from "./rebase";
import { Session } from "./session";
import { around, EXTRUDE, later, step } from "./session.fixture";

vi.mock("../scene/sheetData", () => ({
  sheetOf: ({ facts }: { facts: object }) => ({
    facts: { ...facts, regions: [], sources: [] },
    closed: [],
    regionOf: new Map(),
    placedAs: () => ({ facts: { ...facts, regions: [], sources: [] }, closed: [], regionOf: new Map() }),
  }),
}));
vi.mock("../scene/partData", () => ({
  PartData: class {
    constructor(readonly parcel: unknown) {}
  },
}));

type World = ReturnType<typeof around>;

const HERS = (number: number) => step(number, "cut", { length: 99 });

/** Ada records a step of her own under a number. */
function adaRecords({ record }: World, number = 20) {
  record.revision++;
  record.card = { ...record.card, steps: [...record.card.steps!, HERS(number)].sort((a, b) => a.number - b.number) };
}

const START: Card = {
  version: 2,
  steps: [step(10), step(15, "extrude", { length: 10, angle: 0 })],
  sources: { a: "1" },
};

async function opened() {
  const world = around();
  world.record.card = structuredClone(START);
  const api = world.api as unknown as Record<string, unknown>;
  api.kinds = vi.fn(async () =>
    Promise.resolve([
      { ...EXTRUDE, name: "read", serves: "reads_file" },
      { ...EXTRUDE, name: "leave_out", serves: "leaves_out" },
    ]),
  );
  api.addSource = vi.fn(async () => Promise.resolve({ name: "b", sha256: "2", size: 1, brought_in_by: "read" }));
  api.holdIssues = vi.fn(async () => Promise.resolve({ ...(await world.api.run()), kind: "issues" }));
  api.issuesFound = vi.fn(async () =>
    Promise.resolve({
      old: "a",
      new: "a2",
      card: { ...START, sources: { a2: "3" }, steps: [{ ...step(10), params: { source: "a2" } }, START.steps![1]] },
    }),
  );
  const session = new Session(1, world.given);
  await session.open();
  return { world, session };
}

/** What each verb does in two acts: all that comes before the last word, and that; and what it leaves on the card. */
interface Verb {
  before(session: Session, world: World): Promise<unknown>;
  does(session: Session, world: World): Promise<unknown>;
  done(card: Card): boolean;
  /** It is about the card as a whole: with a colleague's step on it, it is refused. */
  whole?: true;
}

const has = (card: Card, test: (s: Step) => boolean) => card.steps!.some(test);
const FILE = { name: "b" } as File;

const VERBS: Record<string, Verb> = {
  "record a new step": {
    before: async (s) => {
      s.begin(EXTRUDE as never);
      await s.change("length", 20);
    },
    does: (s) => s.record(),
    done: (c) => has(c, (x) => x.kind === "extrude" && x.params!["length"] === 20),
  },
  "record a step written anew": {
    before: (s) => s.write(step(15, "extrude", { length: 20, angle: 0 }), false),
    does: (s) => s.record(),
    done: (c) => has(c, (x) => x.number === 15 && x.params!["length"] === 20),
  },
  "change a value on the card": {
    before: async () => Promise.resolve(),
    does: (s) => s.changeRecorded(15, "length", 20),
    done: (c) => has(c, (x) => x.number === 15 && x.params!["length"] === 20),
  },
  "change several values": {
    before: async () => Promise.resolve(),
    does: (s) => s.changeStep(15, { length: 20 }, "20"),
    done: (c) => has(c, (x) => x.number === 15 && x.params!["length"] === 20),
  },
  "leave out what is picked": {
    before: async (_, w) => {
      w.given.table.setState({ picks: { regions: [], curves: ["c1"] } });
      return Promise.resolve();
    },
    does: (s) => s.leaveOutPicked({ ...EXTRUDE, name: "leave_out" } as never),
    done: (c) => has(c, (x) => x.kind === "leave_out"),
  },
  "delete a step": {
    before: async () => Promise.resolve(),
    does: (s, w) =>
      s.save(edited(w.state.part!, { ...w.state.part!.card, steps: [w.state.part!.card.steps![0]!] }), "Deleted 15"),
    done: (c) => !has(c, (x) => x.number === 15),
  },
  "bring in a file": {
    before: async () => Promise.resolve(),
    does: (s) => s.addSource(FILE),
    done: (c) => c.sources!["b"] === "2" && has(c, (x) => x.params!["source"] === "b"),
  },
  "take a newer issue": {
    before: (s) => s.holdIssue("a", FILE),
    does: (s) => s.settleIssue(true),
    done: (c) => "a2" in c.sources! && !("a" in c.sources!),
  },
  "bring back a revision": {
    before: (s) => s.lookAt(1),
    does: (s) => s.bringBack(),
    done: (c) => c.steps!.map((s) => s.number).join() === "10,15" && !has(c, (s) => s.kind === "extrude"),
    whole: true,
  },
};

const theirs = (world: World, number: number) => world.record.card.steps!.find((s) => s.number === number);

describe.each(Object.entries(VERBS))("%s", (_, verb) => {
  test("alone", async () => {
    const { world, session } = await opened();
    await verb.before(session, world);
    await verb.does(session, world);
    expect(verb.done(world.record.card)).toBe(true);
    expect(world.state.trouble).toBeNull();
  });

  test.each(["before it begins", "while it is sent"])("clash %s", async (when) => {
    const { world, session } = await opened();
    await verb.before(session, world);
    if (when === "before it begins") adaRecords(world);
    else {
      const save = world.api.save.getMockImplementation()!;
      world.api.save.mockImplementationOnce(async (...args) => {
        adaRecords(world);
        return save(...args);
      });
    }
    await verb.does(session, world);
    expect(theirs(world, 20)).toEqual(HERS(20));
    expect(verb.done(world.record.card)).toBe(!verb.whole);
    if (verb.whole) expect(world.state.trouble).toMatch(/meanwhile/);
    else expect(world.state.heard ?? world.state.trouble).toBeTruthy();
    expect(world.state.part?.card).toEqual(world.record.card);
  });

  test("news in between", async () => {
    const { world, session } = await opened();
    await verb.before(session, world);
    adaRecords(world);
    session.hear({ what: "part", part: 1, revision: 2, who: "Ada", change: "Cut" } as never);
    await verb.does(session, world);
    expect(theirs(world, 20)).toEqual(HERS(20));
    expect(verb.done(world.record.card)).toBe(!verb.whole);
    if (verb.whole) expect(world.state.trouble).toMatch(/meanwhile/);
  });

  test("offline, then again", async () => {
    const { world, session } = await opened();
    await verb.before(session, world);
    world.api.save.mockImplementationOnce(async () =>
      Promise.reject(new Refused(0, "offline", "The server can't be reached.")),
    );
    await verb.does(session, world);
    expect(world.record.card).toEqual(START);
    expect(world.state.trouble).toBe("The server can't be reached.");
    expect(world.state.part?.card).toEqual(START);
    if (world.state.draft ?? !["take a newer issue", "bring back a revision"].includes(_)) {
      if (!world.state.draft) await verb.before(session, world);
      await verb.does(session, world);
      expect(verb.done(world.record.card)).toBe(true);
    }
  });

  test("the page is left", async () => {
    const { world, session } = await opened();
    await verb.before(session, world);
    const doing = verb.does(session, world);
    session.end();
    world.given.table.setState({ part: null });
    await doing;
    expect(verb.done(world.record.card)).toBe(true);
    expect(world.state.part).toBeNull();
  });
});

test("a value that both have changed is told, the draft stays, and Record once more puts it in place", async () => {
  const { world, session } = await opened();
  await session.write(step(15, "extrude", { length: 20, angle: 0 }), false);
  world.record.revision++;
  world.record.card = { ...START, steps: [step(10), step(15, "extrude", { length: 77, angle: 0 })] };
  session.hear({ what: "part", part: 1, revision: 2, who: "Ada", change: "Changed 15" } as never);
  await session.record();
  expect(world.state.trouble).toMatch(/changed step 15 meanwhile/);
  expect(theirs(world, 15)?.params).toEqual({ length: 77, angle: 0 });
  expect(world.state.draft?.step.params?.["length"]).toBe(20);
  await session.record();
  expect(theirs(world, 15)?.params).toEqual({ length: 20, angle: 0 });
});

test("a step that somebody has deleted is recorded as a new one, if that is asked for once more", async () => {
  const { world, session } = await opened();
  await session.write(step(15, "extrude", { length: 20, angle: 0 }), false);
  world.record.revision++;
  world.record.card = { ...START, steps: [step(10)] };
  await session.record();
  expect(world.state.trouble).toMatch(/changed step 15 meanwhile/);
  expect(world.state.draft?.isNew).toBe(true);
  await session.record();
  expect(world.record.card.steps).toHaveLength(2);
});

test("what was made from a step that got another number is refused, not put on the colleague's step", async () => {
  const { world, session } = await opened();
  const slow = later<null>(),
    save = world.api.save.getMockImplementation()!;
  world.api.save.mockImplementationOnce(async (...args) => {
    await slow.promise;
    adaRecords(world, 16);
    return save(...args);
  });
  const first = session.save(
    edited(world.state.part!, { ...START, steps: [...START.steps!, step(16, "extrude")] }),
    "a",
  );
  await vi.waitFor(() => {
    expect(world.state.part?.card.steps).toHaveLength(3);
  });
  const hoped = world.state.part!,
    second = session.save(
      edited(hoped, { ...hoped.card, steps: [...hoped.card.steps!, step(30, "cut", { on: "16" })] }),
      "b",
    );
  slow.resolve(null);
  expect([await first, await second]).toEqual([true, false]);
  expect(theirs(world, 16)).toEqual(HERS(16));
  expect(world.state.trouble).toMatch(/new numbers/);
});

test("undo and redo on a part that has moved on undo nothing, and say so", async () => {
  const { world, session } = await opened();
  world.api.undo.mockImplementationOnce(async () => Promise.reject(new Refused(409, "clash", "changed meanwhile")));
  adaRecords(world);
  await session.move("undo");
  expect(world.state.trouble).toBe("changed meanwhile");
  expect(world.state.part?.revision).toBe(2);
  expect(theirs(world, 20)).toEqual(HERS(20));
});

test("several steps built at once are refused on a number that is taken", async () => {
  const { world, session } = await opened();
  const becoming = { ...EXTRUDE, name: "from_views", becomes_steps: true };
  const api = world.api as unknown as Record<string, unknown>;
  api.steps = vi.fn(async () => Promise.resolve(await world.api.run()));
  api.stepsFound = vi.fn(async () =>
    Promise.resolve({
      steps: [
        { kind: "extrude", params: {} },
        { kind: "cut", params: { of: "20" } },
      ],
    }),
  );
  session.begin(becoming as never);
  await session.change("length", 1);
  adaRecords(world);
  await session.record();
  expect(theirs(world, 20)).toEqual(HERS(20));
  expect(world.record.card.steps).toHaveLength(3);
  expect(world.state.trouble).toMatch(/meanwhile/);
  expect(world.state.draft).not.toBeNull();
});

test("what was begun after Record is kept when the record is refused", async () => {
  const { world, session } = await opened();
  const slow = later<Computation>();
  session.begin(EXTRUDE as never);
  await session.change("length", 20);
  world.api.save.mockImplementationOnce(async () => {
    await slow.promise;
    throw new Refused(0, "offline", "The server can't be reached.");
  });
  const recording = session.record();
  await vi.waitFor(() => {
    expect(world.state.draft).toBeNull();
  });
  session.begin({ ...EXTRUDE, name: "cut" } as never);
  await session.change("length", 5);
  slow.resolve(await world.api.run());
  await recording;
  expect(world.state.draft?.step).toMatchObject({ kind: "extrude", params: { length: 20 } });
  expect(world.state.aside?.step).toMatchObject({ kind: "cut", params: { length: 5 } });
});
