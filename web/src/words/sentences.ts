/** Sentences of operations that are known by their text alone, parted into words and values. */

const MOST_MARKS = 80;

/** A way to read a sentence, in pieces. */
export interface Way {
  pieces: string[];
  /** How many letters of its values are unknown, and how many known by what they are made of alone. */
  unknown: number;
  made: number;
  /** How much of it is plain words. */
  plain: number;
}

export type Known = "not" | "made" | "whole";

/** A text as a part of a regular expression. */
export const escaped = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");

/** The one with less unknown, then with values that are known as they stand and not torn, then with more words. */
export const isBetter = (a: Way, b?: Way | null) =>
  !b || (a.unknown - b.unknown || a.made - b.made + 4 * (a.pieces.length - b.pieces.length) || b.plain - a.plain) < 0;

/**
 * A sentence as words and values by turns, so that the least of its values is unknown; null where it is no such
 * sentence. One that begins with a value is known by the longest of its words. `known`: how well a value is, in a
 * sentence that begins with a verb.
 */
export function taken(text: string, start: string, between: string[], known: (value: string, verb: string) => Known) {
  const quoted = [...text.matchAll(/“[^”]*”/g)].map((m) => [m.index, m.index + m[0].length] as const);
  const free = (at: number) => !quoted.some(([from, to]) => at > from && at < to);
  const longest = between.reduce((a, b) => (b.length > a.length ? b : a), "");
  if (!start && !text.includes(longest)) return null;
  const marks = between.flatMap((word) =>
    [...text.matchAll(new RegExp(escaped(word), "g"))]
      .filter((m) => free(m.index))
      .map((m) => ({ from: m.index, to: m.index + word.length })),
  );
  if (marks.length > MOST_MARKS) return null;
  const ways = new Map<number, Way>([[start.length, { pieces: start ? [start] : [], unknown: 0, made: 0, plain: 0 }]]);
  const worded = (way: Way, from: number, to: number): Way => ({
    ...way,
    pieces: [...way.pieces, text.slice(from, to)],
    plain: way.plain + to - from,
  });
  const put = (at: number, way: Way) => {
    if (isBetter(way, ways.get(at))) ways.set(at, way);
  };
  const ends = [...marks.map((m) => m.from), text.length];
  const places = [...new Set([start.length, ...marks.map((m) => m.to)])].sort((a, b) => a - b);
  for (const at of places) {
    const way = ways.get(at);
    if (!way) continue;
    for (const mark of marks) if (mark.from === at) put(mark.to, worded(way, at, mark.to));
    for (const end of new Set(ends)) {
      if (end <= at) continue;
      const value = text.slice(at, end),
        how = known(value, (way.pieces[0] ?? value).trim()),
        next = { ...way, pieces: [...way.pieces, value] };
      if (how === "not") next.unknown += value.length;
      if (how === "made") next.made += value.length;
      for (const mark of marks) if (mark.from === end) put(mark.to, worded(next, end, mark.to));
      if (end === text.length) put(end, next);
    }
  }
  const whole = ways.get(text.length);
  return whole && whole.pieces.length > 1 ? whole : null;
}
