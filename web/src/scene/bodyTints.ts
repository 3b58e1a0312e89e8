/** How several bodies are told apart: the clay of the part, a little towards another earth for each. */

const EARTHS = ["#d8cbb2", "#b9c4b4", "#d9b9a4", "#b4bfcb", "#d3c48f", "#c3b3c4", "#a9c0bd", "#cfae96"];

/** The colour of a body by its number, as CSS has it. */
export const bodyTint = (number: number): string => EARTHS[number % EARTHS.length]!;
