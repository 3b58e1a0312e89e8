/**
 * A changed card and the record that it was made from are one value. Where the record has moved on meanwhile, the
 * change is put on the newer card, step by step and value by value (three-way merge); what both have changed is told.
 */

import type { Card, PartOpen, Step } from "../api/client";
import { withStep } from "./draft";
import { freeNumber } from "./numbering";

/** The card on record, as whoever changes it has seen it. */
export type OnRecord = Pick<PartOpen, "revision" | "card">;

export interface Edited {
  card: Card;
  basedOn: OnRecord;
  /** The card is what is meant, not what differs in it: it is never put on another one. */
  whole?: boolean;
}

/** The card with the change on it; `moved`: the number that an added step had, and the one it got. */
export interface Rebased {
  card: Card;
  moved: { from: number; to: number } | null;
}

/**
 * What was changed here and elsewhere: a step by its number, or a file by its name; "all" for a card as a whole;
 * "numbers" where what was changed here names steps that have other numbers now.
 */
export type Conflict = { step: number } | { file: string } | "all" | "numbers";

/** A change of the card on record. */
export const edited = (basedOn: OnRecord, card: Card): Edited => ({ card, basedOn });

export const same = (a: unknown, b: unknown): boolean => {
  if (a === b) return true;
  if (typeof a !== "object" || typeof b !== "object" || a === null || b === null) return false;
  if (Array.isArray(a) !== Array.isArray(b)) return false;
  const left = a as { [key: string]: unknown },
    right = b as { [key: string]: unknown };
  return [...new Set([...Object.keys(left), ...Object.keys(right)])].every((key) => same(left[key], right[key]));
};

/** One value by three-way merge; null where both have changed it, and not alike. */
function merged<T>(base: T, mine: T, now: T): { value: T } | null {
  if (same(mine, base) || same(mine, now)) return { value: now };
  return same(now, base) ? { value: mine } : null;
}

type Values = Record<string, unknown>;

/** Named values one by one; the first name that both have changed, as `conflict`. */
function mergedValues(base: Values, mine: Values, now: Values): { values: Values } | { conflict: string } {
  const values: Values = {};
  for (const key of new Set([...Object.keys(now), ...Object.keys(mine), ...Object.keys(base)])) {
    const one = merged(base[key], mine[key], now[key]);
    if (!one) return { conflict: key };
    if (one.value !== undefined) values[key] = one.value;
  }
  return { values };
}

/** What becomes of one step, which each of the three cards may have or not. */
function mergedStep(base?: Step, mine?: Step, now?: Step): { value: Step | undefined } | null {
  const whole = merged(base, mine, now);
  if (whole || !base || !mine || !now || base.kind !== mine.kind || base.kind !== now.kind) return whole;
  const params = mergedValues(base.params ?? {}, mine.params ?? {}, now.params ?? {}),
    rest = mergedValues({ ...base, params: null }, { ...mine, params: null }, { ...now, params: null });
  if ("conflict" in params || "conflict" in rest) return null;
  return { value: { ...(rest.values as unknown as Step), params: params.values as Step["params"] } };
}

const byNumber = (card: Card) => new Map((card.steps ?? []).map((s) => [s.number, s]));

/**
 * The change on the card that is on record now.
 *
 * A single step that was added under a number that somebody else has used since gets the next free one; several may
 * name each other, so these are not moved.
 */
export function rebase({ card, basedOn, whole }: Edited, now: Card): Rebased | { conflict: Conflict } {
  if (now === basedOn.card || same(now, basedOn.card)) return { card, moved: null };
  if (whole) return { conflict: "all" };
  const sources = mergedValues(basedOn.card.sources ?? {}, card.sources ?? {}, now.sources ?? {});
  if ("conflict" in sources) return { conflict: { file: sources.conflict } };
  const base = byNumber(basedOn.card),
    mine = byNumber(card),
    theirs = byNumber(now),
    steps: Step[] = [],
    added = [...mine.values()].filter((s) => !base.has(s.number));
  let late: Step | null = null;
  for (const number of new Set([...theirs.keys(), ...mine.keys(), ...base.keys()])) {
    const [was, wanted, is] = [base.get(number), mine.get(number), theirs.get(number)],
      step = mergedStep(was, wanted, is);
    if (step?.value) steps.push(step.value);
    else if (!step && !was && added.length === 1) {
      late = wanted!;
      steps.push(is!);
    } else if (!step) return { conflict: { step: number } };
  }
  steps.sort((a, b) => a.number - b.number);
  const all = { ...now, sources: sources.values as Card["sources"], steps };
  if (!late) return { card: all, moved: null };
  const from = late.number,
    between = steps.some((s) => s.number > from && base.has(s.number)),
    to = freeNumber(all, between ? from : null);
  return { card: withStep(all, { ...late, number: to }), moved: { from, to } };
}

/** In words: what can't be put on the newer card. `who` changed it. */
export function conflictWords(conflict: Conflict, who: string, written: boolean): string {
  if (conflict === "all") return `${who} has recorded something meanwhile. Look at it, then do this once more.`;
  if (conflict === "numbers")
    return `${who} has recorded a step meanwhile, and steps have new numbers. Look at them, then do this once more.`;
  if ("file" in conflict)
    return `${who} has changed the file “${conflict.file}” meanwhile. Your change is not recorded.`;
  return written
    ? `${who} has changed step ${conflict.step} meanwhile. Record once more to put yours in its place.`
    : `${who} has changed step ${conflict.step} meanwhile. Your change is not recorded.`;
}
