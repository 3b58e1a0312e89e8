/** How several bodies are told apart: the clay of the part, a little towards another earth for each. */

const EARTHS = ["#d8cbb2", "#b9c4b4", "#d9b9a4", "#b4bfcb", "#d3c48f", "#c3b3c4", "#a9c0bd", "#cfae96"];

/** Of two solids held against each other: what only the one has, what only the other. */
const SHARES: Record<string, string> = { common: "#d8cbb2", then: "#b4553f", now: "#3f7d6a" };

/** The colour of a body by its number and its key, as CSS has it. */
export const bodyTint = (number: number, key = ""): string =>
  SHARES[key.split(":")[0]!] ?? EARTHS[number % EARTHS.length]!;
