/** Leaving out and taking back, by name: always operations on the card. */

import type { Card, Kind, Step } from "../api/client";
import { freeNumber, lastRead } from "../state/numbering";
import { useTable } from "../state/table";
import { withStep } from "../state/draft";
import { edited } from "../state/rebase";
import { save } from "../state/work";

export type Named = "proposals" | "layers" | "kinds" | "linetypes" | "colours" | "blocks";

const names = (step: Step, field: Named): string[] => (step.params?.[field] as string[] | undefined) ?? [];

const leavesOut = (step: Step, kinds: Kind[], sheet: string) =>
  step.sheet === sheet && kinds.find((k) => k.name === step.kind)?.serves === "leaves_out";

const FIELDS: Named[] = ["proposals", "layers", "kinds", "linetypes", "colours", "blocks"];

/** Whether a step leaves out all but some names of one respect, and nothing else. */
const keepsOnly = (step: Step, field: Named) =>
  Boolean(step.params?.["only"]) &&
  FIELDS.every((f) => (f === field) === names(step, f).length > 0) &&
  !(step.params?.["curves"] as string[] | undefined)?.length &&
  !step.params?.["inside"];

/** Of all names those that steps of the card leave out in one respect, on the sheet that is looked at. */
export function leftOut(card: Card, kinds: Kind[], field: Named, all: string[]): Set<string> {
  const { sheetName } = useTable.getState();
  return new Set(
    card.steps!.flatMap((s) => {
      if (!leavesOut(s, kinds, sheetName) || !s.on) return [];
      if (keepsOnly(s, field)) return all.filter((name) => !names(s, field).includes(name));
      return s.params?.["only"] ? [] : names(s, field);
    }),
  );
}

/** The rows whose name holds one of the typed parts, which commas part; all where nothing is typed. */
export function namesHolding<R extends { name: string }>(rows: R[], typed: string): R[] {
  const parts = typed
    .toLowerCase()
    .split(",")
    .map((part) => part.trim())
    .filter(Boolean);
  return parts.length ? rows.filter((row) => parts.some((part) => row.name.toLowerCase().includes(part))) : rows;
}

/** Leave out all but these names: in the step that does so already, or in a new one. */
export function keepOnly(kinds: Kind[], field: Named, kept: string[], words: string): void {
  const { part, sheetName } = useTable.getState();
  if (!part) return;
  const bare = part.card.steps!.flatMap((s) =>
    leavesOut(s, kinds, sheetName) && !s.params?.["only"] ? without(s, field, kept) : [s],
  );
  const last = bare.findLast((s) => leavesOut(s, kinds, sheetName) && s.on && keepsOnly(s, field));
  const step: Step = {
    number: last?.number ?? freeNumber(part.card, lastRead(part.card, sheetName)),
    kind: kinds.find((k) => k.serves === "leaves_out")!.name,
    params: { [field]: kept, only: true },
    on: true,
    sheet: sheetName,
  };
  void save(edited(part, withStep({ ...part.card, steps: bare }, step)), `Left out all but ${words}`);
}

/** A step without these names; none where nothing of it is left. */
function without(step: Step, field: Named, gone: string[]): Step[] {
  const params = { ...step.params, [field]: names(step, field).filter((n) => !gone.includes(n)) };
  const empty = Object.entries(params).every(
    ([key, value]) => key === "only" || (Array.isArray(value) ? !value.length : value === null),
  );
  return empty ? [] : [{ ...step, params }];
}

/** Leave these names out: the last step that leaves something out takes them in, or a new one is written. */
export function leaveOut(kinds: Kind[], field: Named, fresh: string[], words: string): void {
  const { part, sheetName } = useTable.getState();
  if (!part) return;
  const last = part.card.steps!.findLast((s) => leavesOut(s, kinds, sheetName) && s.on && !s.params?.["only"]);
  const step: Step = last
    ? { ...last, params: { ...last.params, [field]: [...new Set([...names(last, field), ...fresh])] } }
    : {
        number: freeNumber(part.card, lastRead(part.card, sheetName)),
        kind: kinds.find((k) => k.serves === "leaves_out")!.name,
        params: { [field]: fresh },
        on: true,
        sheet: sheetName,
      };
  void save(edited(part, withStep(part.card, step)), `Left out ${words}`);
}

/** Take a name back from every step that leaves it out; a step with nothing left goes. */
export function takeBack(kinds: Kind[], field: Named, name: string, words: string): void {
  const { part, sheetName } = useTable.getState();
  if (!part) return;
  const steps = part.card.steps!.flatMap((s) => {
    if (!leavesOut(s, kinds, sheetName)) return [s];
    if (keepsOnly(s, field)) return [{ ...s, params: { ...s.params, [field]: [...names(s, field), name] } }];
    return names(s, field).includes(name) && !s.params?.["only"] ? without(s, field, [name]) : [s];
  });
  void save(edited(part, { ...part.card, steps }), `Took ${words} back`);
}
