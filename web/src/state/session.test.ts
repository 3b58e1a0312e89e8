import { expect, test, vi } from "vitest";

import type { Computation, Report, Step } from "../api/client";
import { edited } from "./rebase";
import { Session } from "./session";
import { around, CUT, EXTRUDE, later, step } from "./session.fixture";
import type { TableState } from "./table";
import { takeTypedAhead, typeAhead } from "./typedAhead";

vi.mock("../scene/sheetData", () => ({
  sheetOf: ({ facts }: { facts: { ids: string[] } }) => ({
    facts: { ...facts, regions: [] },
    closed: [],
    regionOf: new Map(),
    placedAs: () => ({ facts: { ...facts, regions: [] }, closed: [], regionOf: new Map() }),
  }),
}));
vi.mock("../scene/partData", () => ({
  PartData: class {
    constructor(readonly parcel: unknown) {}
  },
}));

test("a save that comes back after the part was left changes nothing that is shown, and the next save of another part is its own", async () => {
  const one = around(1),
    slow = later<ReturnType<typeof one.api.part> extends Promise<infer T> ? T : never>();
  const first = new Session(1, one.given);
  await first.open();
  one.api.save.mockImplementationOnce(async () => slow.promise);
  const saving = first.save(edited(one.state.part!, { version: 2, steps: [step(10), step(20)], sources: {} }), "Added");
  first.end();
  one.given.table.setState({ part: null });
  const two = around(2);
  const second = new Session(2, { ...two.given, table: one.given.table });
  await second.open();
  slow.resolve({
    id: 1,
    name: "Part 1",
    revision: 2,
    change: "",
    card: { version: 2, steps: [step(10), step(20)], sources: {} },
    undo: "x",
    redo: null,
  });
  expect(await saving).toBe(true);
  expect((one.state as TableState).part?.id).toBe(2);
  await second.save(edited(one.state.part!, { version: 2, steps: [step(10), step(30)], sources: {} }), "Other");
  expect(two.api.save.mock.calls[0]![0]).toBe(2);
});

test("changes that were asked for before the part was left are all saved, one after another", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  const both = [
    session.save(edited(one.state.part!, { version: 2, steps: [step(10), step(20)], sources: {} }), "a"),
    session.save(edited(one.state.part!, { version: 2, steps: [step(10), step(20), step(30)], sources: {} }), "b"),
  ];
  session.end();
  expect(await Promise.all(both)).toEqual([true, true]);
  expect(one.record.card.steps).toHaveLength(3);
});

test("the computation that comes with a record is waited for, and not asked for again", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  const asked = one.api.run.mock.calls.length,
    run = { ...(await one.api.check()), id: "begun" };
  one.api.save.mockImplementationOnce(async () => Promise.resolve({ ...(await one.api.part()), run }));
  await session.save(edited(one.state.part!, { version: 2, steps: [step(10), step(20)], sources: {} }), "a");
  await vi.waitFor(() => {
    expect(one.state.shown?.computation).toBe("begun");
  });
  expect(one.api.run).toHaveBeenCalledTimes(asked);
});

test("what was recorded while the page was left is not offered again", async () => {
  const one = around();
  const written = { ...one.record.card.steps![0]!, params: { ...one.record.card.steps![0]!.params } };
  one.state.aside = { step: written, isNew: true, touched: true } as never;
  await new Session(1, one.given).open();
  expect(one.state.aside).toBeNull();
  one.state.aside = { step: { ...written, params: { length: 99 } }, isNew: true, touched: true } as never;
  await new Session(1, one.given).open();
  expect(one.state.aside).not.toBeNull();
});

test("what was put into an operation is set aside when another is begun, and can be taken up", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  session.begin(EXTRUDE);
  session.begin(CUT);
  expect(one.state.aside).toBeNull(); // nothing was put into it
  session.begin(EXTRUDE);
  await session.change("length", 33);
  session.begin(CUT);
  expect(one.state.aside?.step.params?.["length"]).toBe(33);
  await session.record();
  session.resume();
  await vi.waitFor(() => {
    expect(one.state.draft?.step.kind).toBe("extrude");
  });
  expect(one.state.draft?.step).toMatchObject({ number: 30, params: { length: 33 } });
  expect(one.state.aside).toBeNull();
});

test("what is shown of a step counts as on record from the moment it is recorded", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  session.begin(EXTRUDE);
  await session.change("length", 20);
  await vi.waitFor(() => {
    expect(one.state.previewing).toBe(true);
  });
  const slow = later<Computation>();
  one.api.run.mockImplementation(async () => slow.promise);
  await session.record();
  expect([one.state.draft, one.state.previewing]).toEqual([null, false]);
});

test("a value that can't be read is not recorded and stays as it was typed", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  session.begin(EXTRUDE);
  await session.change("length", 12);
  await session.change("length", "abc");
  expect(one.state.draft).toMatchObject({ problem: "“abc” can't be read", tokens: [{ text: 'extrude "abc"' }] });
  await session.record();
  expect(one.api.save).not.toHaveBeenCalled();
});

test("a preview of the value before does not come over one that can't be read", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  session.begin(EXTRUDE);
  const done = await one.api.run(),
    slow = later<Computation>(),
    number = one.state.draft!.step.number,
    stale = { ...done.report!.steps[0]!, number, tokens: [{ text: "extrude 12", field: null, editor: null }] };
  one.api.run.mockImplementation(async () => slow.promise);
  await session.change("length", 12);
  await session.change("length", "abc");
  slow.resolve({ ...done, report: { ...done.report!, steps: [stale] } });
  await new Promise((resolve) => setTimeout(resolve, 20));
  expect(one.state.draft?.tokens).toMatchObject([{ text: 'extrude "abc"' }]);
});

test("a step that fails is recorded only if that is asked for", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  one.api.run.mockImplementation(async () =>
    Promise.resolve({
      id: "c",
      state: "done",
      kind: "run",
      progress: "",
      message: "",
      code: "",
      report: {
        keys: { whole: "w", sheets: [{ name: "", linework: "l", regions: "l", placements: "p" }] },
        steps: [
          {
            number: 20,
            status: "failed",
            code: "pick_gone",
            message: "It is gone.",
            tokens: [],
            sentence: "",
            kind: "cut",
            where: { curves: [], point: null },
          },
        ],
        gauges: [],
        figures: { bodies: 0 },
        notes: [],
      } as unknown as Report,
    }),
  );
  session.begin(CUT);
  await session.record();
  expect(one.state.trouble).toBe("It is gone.");
  expect(one.api.save).not.toHaveBeenCalled();
  await session.record(true);
  expect(one.record.card.steps).toHaveLength(2);
});

test("what another asking took the place of is asked for again, as often as makes sense", async () => {
  const one = around();
  const session = new Session(1, one.given);
  const given = { state: "stopped", code: "superseded", message: "A newer preview took its place.", report: null };
  one.api.run.mockResolvedValueOnce({ id: "c", kind: "run", progress: "", ...given } as Computation);
  await session.open();
  expect(one.state.shown?.computation).toBe("c");
  expect(one.api.run).toHaveBeenCalledTimes(2);
  one.api.run.mockResolvedValue({ id: "c", kind: "run", progress: "", ...given } as Computation);
  await session.refresh();
  expect(one.api.run).toHaveBeenCalledTimes(7);
  expect(one.state.trouble).toBe(given.message);
});

test("a check goes on when its stage is left, and is asked for once", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  const slow = later<{ views: []; sizes: []; gauges: [] }>();
  one.api.checkFound.mockImplementationOnce(async () => slow.promise);
  const looking = session.check();
  await session.check();
  await session.check();
  expect(one.state.checked?.state).toBe("looking");
  slow.resolve({ views: [], sizes: [], gauges: [] });
  await looking;
  expect(one.state.checked?.state).toBe("done");
  expect(one.api.check).toHaveBeenCalledTimes(1);
});

test("the sheet is drawn once for each state of the part, and the one before stays in sight", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  await session.drawSheet();
  await session.drawSheet();
  expect(one.api.drawing).toHaveBeenCalledTimes(1);
  expect(one.state.drawn?.sheet?.sheet).toBe("A3");
  const slow = later<{ svg: string; sheet: string; open: []; dimensions: [] }>();
  one.api.drawingFound.mockImplementationOnce(async () => slow.promise);
  one.state.shown = { ...one.state.shown!, computation: "next" };
  const drawing = session.drawSheet();
  expect(one.state.drawn).toMatchObject({ of: "next", sheet: { sheet: "A3" } });
  slow.resolve({ svg: "<svg/>", sheet: "A2", open: [], dimensions: [] });
  await drawing;
  expect(one.state.drawn?.sheet?.sheet).toBe("A2");
});

test("a sheet that can't be drawn says why", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  one.api.drawing.mockImplementationOnce(async () =>
    Promise.resolve({
      id: "d",
      state: "failed",
      kind: "drawing",
      progress: "",
      message: "It has no room on A4.",
      code: "over_limit",
      report: null as never,
    }),
  );
  await session.drawSheet();
  expect(one.state.drawn).toMatchObject({ sheet: null, trouble: "It has no room on A4." });
});

test("an older computation never shows over a newer one", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  const slow = later<Computation>();
  one.api.run.mockImplementationOnce(async () => slow.promise);
  const older = session.refresh();
  one.record.revision = 5;
  await session.refresh();
  slow.resolve({
    id: "old",
    state: "done",
    kind: "run",
    progress: "",
    message: "",
    code: "",
    report: {
      keys: { whole: "old", sheets: [{ name: "", linework: "l", regions: "l", placements: "p" }] },
      steps: [],
      gauges: [],
      figures: { bodies: 0 },
      notes: [],
    } as unknown as Report,
  });
  await older;
  expect(one.state.shown?.report.keys.whole).toBe("w5");
});

test("another sheet is shown and worked on; where it is gone the first comes back", async () => {
  const one = around();
  one.sheets.push("lid");
  const session = new Session(1, one.given);
  await session.open();
  await session.showSheet("lid");
  expect([one.state.sheetName, one.state.shown?.sheet.facts.ids]).toEqual(["lid", ["lid"]]);
  session.begin(EXTRUDE);
  expect(one.state.draft?.step.sheet).toBe("lid");
  await session.write({ ...step(10), sheet: "" }, false);
  expect(one.state.sheetName).toBe("");
  const showing = session.refresh();
  await session.showSheet("lid");
  await showing;
  expect(one.state.shown?.sheetName).toBe("lid"); // a computation that ends meanwhile does not turn it back
  one.sheets.pop();
  await session.refresh();
  await vi.waitFor(() => {
    expect([one.state.sheetName, one.state.shown?.sheetName]).toEqual(["", ""]);
  });
});

test("what is picked and begun right after Record is for the next operation, however slow the record is", async () => {
  const one = around(),
    slow = later<Computation>();
  const session = new Session(1, one.given);
  await session.open();
  session.begin(EXTRUDE);
  await session.change("length", 12);
  one.state.shownStep = null; // its preview has not come yet
  one.api.run.mockImplementationOnce(async () => slow.promise);
  const recording = session.record();
  session.toggleRegion("b", true);
  session.begin(CUT);
  void session.record(); // the same key once more: still the one record
  slow.resolve({ id: "c", state: "done", kind: "run", progress: "", message: "", code: "", report: null } as never);
  await recording;
  await vi.waitFor(() => {
    expect(one.state.draft?.step.kind).toBe("cut");
  });
  expect(one.record.card.steps!.map((s) => s.kind)).toEqual(["read", "extrude"]);
  expect(one.record.card.steps![1]!.params!["profiles"]).toEqual({ rule: "picked", picks: [] });
  expect(one.state.picks.regions).toEqual(["b"]);
});

test("what goes on record is told with its own values, though the preview of those before comes late", async () => {
  const one = around(),
    slow = later<Computation>();
  const session = new Session(1, one.given);
  await session.open();
  const report = (length: number) => ({
    keys: { whole: "w", sheets: [{ name: "", linework: "l", regions: "l", placements: "p" }] },
    steps: [{ number: 20, kind: "extrude", status: "ok", message: "", notes: [], tokens: [{ text: `by ${length}` }] }],
    gauges: [],
    figures: { bodies: 1 },
    notes: [],
  });
  const done = (length: number) => ({ id: "c", state: "done", kind: "run", code: "", report: report(length) }) as never;
  one.api.run.mockImplementationOnce(async () => slow.promise);
  session.begin(EXTRUDE);
  await vi.waitFor(() => {
    expect(one.api.run).toHaveBeenCalledTimes(2);
  });
  const words = later<Awaited<ReturnType<typeof one.api.sentence>>>();
  one.api.sentence.mockImplementationOnce(async () => words.promise);
  const changing = session.change("length", 25);
  slow.resolve(done(10));
  await vi.waitFor(() => {
    expect(one.state.shown?.report.steps[0]?.tokens[0]?.text).toBe("by 10");
  });
  expect(one.state.shownStep?.params?.["length"]).toBe(10);
  expect(one.state.draft?.tokens[0]?.text).not.toBe("by 10");
  one.api.run.mockImplementation(async () => Promise.resolve(done(25)));
  const recording = session.record();
  words.resolve({ tokens: [{ text: "by 25", field: "length", editor: null }], problem: null });
  await changing;
  await recording;
  expect(one.api.save.mock.lastCall?.[3 as never]).toBe("by 25");
});

test("a value typed before the sentence has come goes on record with it", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  one.api.sentence.mockImplementation(async (s: Step) =>
    Promise.resolve({
      tokens: [{ text: String(s.params?.["length"]), field: "length", editor: { type: "length" } as never }],
      problem: null,
    }),
  );
  session.begin(EXTRUDE);
  for (const key of "20") typeAhead(key);
  await session.record();
  expect(one.record.card.steps![1]!.params!["length"]).toBe("20");
  expect(takeTypedAhead()).toBe("");
});

test("an earlier revision is looked at without a change, and brought back as a new one", async () => {
  const one = around();
  const session = new Session(1, one.given);
  await session.open();
  await session.lookAt(3);
  expect(one.api.run.mock.lastCall).toEqual([1, { version: 2, steps: [step(10), step(15)], sources: {} }]);
  expect(one.api.save).not.toHaveBeenCalled();
  session.drop();
  await vi.waitFor(() => {
    expect(one.state.looking).toBeNull();
  });
  await session.lookAt(3);
  await session.bringBack();
  expect(one.record.card.steps!.map((s) => s.number)).toEqual([10, 15]);
  expect(one.state.looking).toBeNull();
});

test("nothing is said of an earlier revision before it was computed", async () => {
  const one = around(),
    slow = later<Computation>();
  const session = new Session(1, one.given);
  await session.open();
  one.api.run.mockImplementationOnce(async () => slow.promise);
  const looking = session.lookAt(3);
  await vi.waitFor(() => {
    expect(one.state.looking?.number).toBe(3);
  });
  expect(one.state.looking?.computed).toBe(false);
  slow.resolve(await one.api.check());
  await looking;
  expect(one.state.looking?.computed).toBe(true);
});
