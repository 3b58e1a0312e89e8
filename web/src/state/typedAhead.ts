/** Digits typed before the sentence they belong to has come: they go into its first value. */

let typed = "",
  at = 0;
const LONGEST = 3000;

export function typeAhead(key: string): void {
  if (Date.now() - at > LONGEST) typed = "";
  typed += key;
  at = Date.now();
}

/** What was typed ahead, once. */
export function takeTypedAhead(): string {
  const taken = Date.now() - at > LONGEST ? "" : typed;
  typed = "";
  return taken;
}
