/**
 * Other words of the trade for what can be done, in every language that the pages speak (synonyms.json), and what comes
 * nearest to what can not be done yet. By the name of the operation.
 */

import words from "./synonyms.json";

export const SYNONYMS: Record<string, string> = words.kinds;

/** What there is no action for yet, and what comes nearest. */
const COMES_NEAREST: Record<keyof typeof words.nearest, string> = {
  thread: "Threads are not made yet. Cut the core hole with Cut, and write the thread as a dimension on the sheet.",
  shell: "There is no shell yet. Offset the profile inwards and Cut it.",
  rib: "There is no rib yet. Draw its outline on a face, then Extrude it.",
  draft: "Draft is a value of Extrude and Cut: choose leaning sides.",
  assembly: "Parts are put together with Another part, and stand face on face.",
  measure: "Press a face or an edge of the part, then another with Shift: their distance is shown.",
  export: "Files go out in the stage Hand over, key 7 of the stages.",
  delete: "A step is deleted by the mark at its right on the route card; linework by Leave out.",
  import: "Drop a file on the page, or press Bring in another drawing file.",
};
export const NEAREST = Object.entries(COMES_NEAREST).map(([of, text]) => ({
  words: words.nearest[of as keyof typeof words.nearest],
  text,
}));

const plain = (text: string) => text.toLowerCase().normalize("NFKD").replace(/\p{M}/gu, "");

/** Whether each typed word begins a word of a text. */
export function speaksOf(text: string, typed: string): boolean {
  const words = plain(text).split(/[^\p{L}\p{N}]+/u);
  return plain(typed)
    .split(/\s+/)
    .filter(Boolean)
    .every((asked) => words.some((word) => word.startsWith(asked)));
}
