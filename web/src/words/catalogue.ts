/**
 * What a text reads in another language. Texts stand in the source in English; a catalogue (words/*.po) has each with
 * its translation, values in it as {0}, {1}, … A text is looked up as it is read, values and all.
 */

import { escaped, isBetter, type Known, taken, type Way } from "./sentences";

export interface Catalogue {
  /** Translations by their English. */
  texts: Record<string, string>;
  /** Translations that hold in one kind of place alone, by that. */
  within: Record<string, Record<string, string>>;
  /** What stands between the values of a sentence, by how it begins; "" for those that begin with a value. */
  sentences?: Record<string, string[]>;
}

/** The place of a text that is part of a sentence. */
export const SENTENCE = "sentence";

interface Pattern {
  english: RegExp;
  other: string;
  /** For each value whether it stands in quotes: that is a name, and stays. */
  quoted: boolean[];
  /** The longest stretch of plain text in it: without that it can't be meant. */
  mark: string;
  /** How much of it is plain text, and how many letters that has. */
  plain: number;
  letters: number;
}

const HOLE = /\{(\d+)\}/g;
const LETTERS = /\p{L}{2}/u;
const GROUPS = /\b\d{1,3}(?:,\d{3})+\b/g;
/** What parts several texts said in one, the strongest first. */
const JOINTS = [/(?<=[.!?])( )(?=[\p{Lu}“\d])/u, /(: )/, /(; )/, /( · )/, /(, )/, /( and )/];
const AND = " and ";
const MOST_IN_A_RUN = 8;
/** With fewer letters of its own a text stands for anything, unless what stands in it is known too. */
const TELLING = 4;
/** With fewer letters it does not hold several texts. */
const PLAIN = 20;
const UNITS = /(?<=\d\s?)(?:mm|cm|dm|km|m|in|ft|yd|kg|g|lb|MB|GB|s)\b[²³⁴]?(?:\/cm³|\/m)?/g;

/** Reads texts by a catalogue. Keeps what it has read. */
export class Reader {
  /** What no translation was found for. */
  readonly untold = new Set<string>();
  private readonly known = new Map<string, string>();
  private readonly strictly = new Map<string, boolean>();
  private readonly own = new Set<string>();
  /** What people have written: names of parts, bodies, files and people. They stay, whatever they mean elsewhere. */
  private readonly names = new Set<string>();
  private readonly patterns: Pattern[];

  constructor(private readonly catalogue: Catalogue) {
    this.patterns = Object.entries(catalogue.texts)
      .filter(([english]) => /\{\d+\}/.test(english))
      .map(([english, other]) => patternOf(english, other))
      .filter((p) => p.letters > 0)
      .sort((a, b) => b.plain - a.plain);
  }

  /** Leave these names as they are wherever they stand in a text. */
  keep(names: Iterable<string>): void {
    const before = this.names.size;
    for (const name of names) if (name.trim()) this.names.add(name.trim());
    if (this.names.size === before) return;
    this.known.clear();
    this.strictly.clear();
    this.own.clear();
  }

  /**
   * A text as it reads; the white space round it stays. `within`: the kinds of place it stands in, the nearest first,
   * for words that are translated otherwise there.
   */
  told(text: string, ...within: string[]): string {
    for (const place of within) {
      const special = this.catalogue.within[place]?.[text.trim()];
      if (special !== undefined) return this.kept(around(text, special));
    }
    if (isPlain(text) || this.own.has(text)) return text;
    const before = this.known.get(text);
    if (before !== undefined) return before;
    const out = this.value(text);
    this.known.set(text, out);
    return this.kept(out);
  }

  /** A text that has a translation as a whole, or null. */
  whole(text: string): string | null {
    const out = this.read(text.trim().replace(/\s+/g, " "));
    return out === null ? null : this.kept(around(text, out));
  }

  private kept(out: string): string {
    this.own.add(out);
    return out;
  }

  /** A sentence of an operation, read word by word and value by value as the card shows it; or null. */
  private sentence(text: string): { out: string; unknown: number } | null {
    const { sentences = {} } = this.catalogue;
    let best: Way | null = null;
    for (const [start, between] of Object.entries(sentences)) {
      if (!text.startsWith(start)) continue;
      const found = taken(text, start, between, (value, verb) => this.isKnownIn(value, verb));
      if (found && isBetter(found, best)) best = found;
    }
    if (!best) return null;
    const verb = best.pieces[0]!.trim();
    return { out: best.pieces.map((piece) => this.told(piece, verb, SENTENCE)).join(""), unknown: best.unknown };
  }

  /** How well a value of a sentence is known: not at all, by what it is made of, or as it stands. */
  private isKnownIn(value: string, verb: string): Known {
    const flat = value.trim(),
      { texts, within } = this.catalogue;
    if (isPlain(flat) || texts[flat] || within[verb]?.[flat] || within[SENTENCE]?.[flat]) return "whole";
    return this.isKnown(flat) ? "made" : "not";
  }

  /** A text as a whole, or null; `strictly`: with nothing unknown in it. */
  private read(text: string, strictly = false): string | null {
    if (isPlain(text)) return grouped(text);
    if (this.own.has(text)) return text;
    const { texts } = this.catalogue,
      exact = texts[text];
    if (exact) return exact;
    const other = flipped(text),
      turned = other === null ? undefined : texts[other];
    if (turned) return /^\p{Lu}/u.test(text) ? capital(turned) : turned;
    const said = strictly ? null : this.sentence(text);
    if (said?.unknown === 0) return said.out;
    let best: { pattern: Pattern; values: string[]; unknown: number } | null = null;
    for (const pattern of this.patterns) {
      if (!text.includes(pattern.mark)) continue;
      const values = pattern.english.exec(text)?.slice(1);
      if (!values) continue;
      const unknown = values.reduce((sum, v) => sum + (this.isKnown(v) ? 0 : v.length), 0),
        vague = strictly || isVague(pattern, values);
      if ((unknown && vague) || (best && best.unknown <= unknown)) continue;
      best = { pattern, values, unknown };
      if (!unknown) break;
    }
    if (said && (!best || said.unknown < best.unknown)) return said.out;
    return best ? this.filled(best.pattern, best.values) : null;
  }

  private filled({ other, quoted }: Pattern, values: string[]): string {
    return other.replace(HOLE, (_, n: string) => {
      const value = values[Number(n)] ?? "";
      return quoted[Number(n)] ? value : this.piece(value);
    });
  }

  /** What stands in a text: a name, or a text of its own. */
  private piece(text: string): string {
    return this.names.has(text.trim()) ? text : this.value(text);
  }

  private isKnown(value: string): boolean {
    const flat = value.trim();
    if (this.names.has(flat)) return true;
    let known = this.strictly.get(flat);
    if (known === undefined) {
      known = /^“[^”]*”$/.test(flat) || this.read(flat, true) !== null;
      this.strictly.set(flat, known);
    }
    return known;
  }

  /** A text, or what stands in one: what can't be read as a whole is read in pieces. */
  private value(text: string): string {
    const flat = text.trim().replace(/\s+/g, " ");
    if (!flat || /^“[^”]*”$/.test(flat)) return text;
    return around(text, this.read(flat) ?? this.inPieces(flat));
  }

  /** A text that is several, each read by itself; what nothing is known of stays, as names do. */
  private inPieces(text: string): string {
    for (const joint of JOINTS) {
      const parts = text.split(joint);
      if (parts.length > 2) return this.inRuns(parts);
    }
    const ended = /^(.+?)([.:;,…!?]+)$/.exec(text);
    if (ended) return this.piece(ended[1]!) + ended[2]!;
    if (this.names.has(text)) return text;
    this.untold.add(text);
    return text;
  }

  /** Pieces and what joins them, by turns: as long a run as is known is read as one. */
  private inRuns(parts: string[]): string {
    const out: string[] = [];
    for (let start = 0; start < parts.length; start++) {
      let end = Math.min(parts.length - 1, start + MOST_IN_A_RUN);
      end -= (end - start) % 2;
      let found: string | null = null;
      for (; end > start; end -= 2) {
        const run = parts.slice(start, end + 1).join("");
        found = this.names.has(run) ? run : this.read(run);
        if (found !== null) break;
      }
      out.push(found ?? this.piece(parts[start]!));
      start = end;
      const joint = parts[++start];
      if (joint !== undefined) out.push(joint === AND ? this.value(AND) : joint);
    }
    return out.join("");
  }
}

function patternOf(english: string, other: string): Pattern {
  const plain = english.split(/\{\d+\}/),
    order = [...english.matchAll(HOLE)].map((m) => Number(m[1]));
  if (order.some((n, k) => n !== k)) throw new Error(`The values of “${english}” are not in order.`);
  const body = plain.map((p) => escaped(p)).join("(.*?)");
  return {
    english: new RegExp(`^${body}$`, "su"),
    other,
    quoted: order.map((_, n) => plain[n]!.endsWith("“") && plain[n + 1]!.startsWith("”")),
    mark: plain.reduce((a, b) => (b.length > a.length ? b : a)),
    plain: plain.join("").length,
    letters: plain.join("").replace(/\P{L}/gu, "").length,
  };
}

const isPlain = (text: string) => !LETTERS.test(text.replace(UNITS, ""));
/** Whether a pattern says so little of its own that what stands in it must be known too. */
function isVague({ letters }: Pattern, values: string[]): boolean {
  return letters < TELLING || (letters < PLAIN && values.some((v) => /[,;:.] /.test(v)));
}

const around = (text: string, out: string) => /^\s*/.exec(text)![0] + out + (text.trim() ? /\s*$/.exec(text)![0] : "");
const capital = (text: string) => text.slice(0, 1).toUpperCase() + text.slice(1);
const grouped = (text: string) => text.replace(GROUPS, (n) => n.replaceAll(",", "\u202f"));

/** A text with its first letter the other way: a sentence may begin with what elsewhere stands in one. */
function flipped(text: string): string | null {
  const first = text.slice(0, 1),
    other = first === first.toUpperCase() ? first.toLowerCase() : first.toUpperCase();
  return other === first ? null : other + text.slice(1);
}
