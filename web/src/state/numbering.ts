/**
 * Numbers of steps, in this one place: tens at the end, halfway between two that stand, and never one that is taken.
 */

import type { Card, Step } from "../api/client";

/**
 * A free number for a new step behind the step `after`, or at the end. Where nothing is free right behind it, the first
 * gap further on is taken.
 */
export function freeNumber(card: Pick<Card, "steps">, after: number | null = null): number {
  const numbers = (card.steps ?? []).map((s) => s.number).sort((a, b) => a - b);
  const last = numbers.at(-1) ?? 0;
  if (after !== null) {
    const behind = [after, ...numbers.filter((n) => n > after)];
    for (let k = 0; k + 1 < behind.length; k++) {
      if (behind[k + 1]! - behind[k]! > 1) return Math.floor((behind[k]! + behind[k + 1]!) / 2);
    }
  }
  return (Math.floor(last / 10) + 1) * 10;
}

const PLACES = ["face", "about", "across", "onto", "part"];

/** The file that a step reads onto a sheet; null where it reads none: steps that place art or a part name one too. */
export function fileReadBy(step: Step): string | null {
  const params = step.params ?? {},
    source = params["source"];
  return typeof source === "string" && !PLACES.some((p) => p in params) ? source : null;
}

const LONGEST = 76;

/** A name for a new sheet, like the one that is wanted, that no step names yet. */
export function freeSheet(card: Pick<Card, "steps">, wanted: string): string {
  const taken = new Set(["", ...(card.steps ?? []).map((s) => s.sheet)]),
    name = wanted.trim().slice(0, LONGEST) || "Sheet 2";
  if (!taken.has(name)) return name;
  for (let n = 2; ; n++) if (!taken.has(`${name} ${n}`)) return `${name} ${n}`;
}

/** The number of the last step that reads a file onto a sheet; 0 where none does. */
export function lastRead(card: Pick<Card, "steps">, sheet = ""): number {
  return Math.max(
    0,
    ...(card.steps ?? []).filter((s) => fileReadBy(s) !== null && s.sheet === sheet).map((s) => s.number),
  );
}

/** Whether a step is on the card as it was written. */
export function isOnRecord(card: Card, step: Step): boolean {
  const there = card.steps!.find((s) => s.number === step.number && s.kind === step.kind);
  return (
    there !== undefined &&
    Object.entries(step.params ?? {}).every(([k, v]) => JSON.stringify(there.params?.[k]) === JSON.stringify(v))
  );
}
