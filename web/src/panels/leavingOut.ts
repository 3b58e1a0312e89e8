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

/** The names that steps of the card leave out in one respect, on the sheet that is looked at. */
export function leftOut(card: Card, kinds: Kind[], field: Named): Set<string> {
  const { sheetName } = useTable.getState();
  return new Set(
    card.steps!.flatMap((s) => (leavesOut(s, kinds, sheetName) && s.on && !s.params?.["only"] ? names(s, field) : [])),
  );
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
    if (!leavesOut(s, kinds, sheetName) || !names(s, field).includes(name)) return [s];
    const params = { ...s.params, [field]: names(s, field).filter((n) => n !== name) };
    const empty = Object.entries(params).every(
      ([key, value]) => key === "only" || (Array.isArray(value) ? !value.length : value === null),
    );
    return empty ? [] : [{ ...s, params }];
  });
  void save(edited(part, { ...part.card, steps }), `Took ${words} back`);
}
