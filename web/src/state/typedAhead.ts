/** A value typed before the sentence it belongs to has come: it goes into the first one. */

let typed = "",
  at = 0;
const LONGEST = 3000;

export function typeAhead(key: string): void {
  if (Date.now() - at > LONGEST) typed = "";
  typed += key;
  at = Date.now();
}

/** Whether a key goes on with what was typed ahead: after a digit also fractions and units, "1/2 in". */
export function goesAhead(key: string): boolean {
  return /^[0-9.,-]$/.test(key) || (typed !== "" && Date.now() - at <= LONGEST && /^[ /+*a-z"]$/i.test(key));
}

/** What was typed ahead, once. */
export function takeTypedAhead(): string {
  const taken = Date.now() - at > LONGEST ? "" : typed;
  typed = "";
  return taken;
}
