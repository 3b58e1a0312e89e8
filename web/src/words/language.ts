/** Which language is spoken, and how to read a text in it. */

import { type Catalogue, Reader } from "./catalogue";

export const LANGUAGES = { en: "English", de: "Deutsch" } as const;
export type Language = keyof typeof LANGUAGES;

const KEPT_AS = "language";
const CATALOGUES: Partial<Record<Language, () => Promise<{ default: Catalogue }>>> = {
  de: () => import("../../../words/de.po"),
};
let reader: Reader | null = null;

/** The language that was chosen in this browser, else the first of its own that is known. */
export function spoken(): Language {
  const wished = [localStorage.getItem(KEPT_AS), ...navigator.languages].map((one) => one?.slice(0, 2).toLowerCase());
  return wished.find((one): one is Language => one !== undefined && one in LANGUAGES) ?? "en";
}

/** The languages that are not spoken. */
export function others(): Language[] {
  return (Object.keys(LANGUAGES) as Language[]).filter((one) => one !== spoken());
}

/** Speaks another language from now on; the page is read anew for it. */
export function speak(language: Language): void {
  localStorage.setItem(KEPT_AS, language);
  location.reload();
}

/**
 * Fetches what the language needs; before anything is shown. What is shown in English for want of a translation is kept
 * on the window, for whoever looks.
 */
export async function learn(): Promise<void> {
  const language = spoken();
  document.documentElement.lang = language;
  const fetched = CATALOGUES[language],
    [catalogue, sentences] = fetched ? await Promise.all([fetched(), import("../../../words/sentences.json")]) : [];
  reader = catalogue ? new Reader({ ...catalogue.default, sentences: sentences?.default ?? {} }) : null;
  Object.assign(window, { untold: reader?.untold });
}

/** What people have written, names of parts, people, files and bodies, stays as it is wherever it stands in a text. */
export function keepAsWritten(names: Iterable<string | null | undefined>): void {
  reader?.keep([...names].filter((name): name is string => typeof name === "string"));
}

/** A text in the language that is spoken. `within`: the kinds of place it stands in, the nearest first. */
export function told(text: string, ...within: string[]): string {
  return reader ? reader.told(text, ...within) : text;
}

/** Texts that are shown one after another: read as one if that has a translation, else one by one. */
export function toldTogether(texts: readonly string[]): string {
  if (!reader) return texts.join("");
  return reader.whole(texts.join("")) ?? texts.map((text) => told(text)).join("");
}
