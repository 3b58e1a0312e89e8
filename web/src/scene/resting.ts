/**
 * Whether a pointer event comes from a hand. Browsers also send moves when what lies under a resting pointer changes;
 * taken for real, they would point elsewhere while somebody works by keyboard.
 */

let last: [number, number] | null = null,
  rests = false;

function see(e: PointerEvent): void {
  rests = last?.[0] === e.clientX && last[1] === e.clientY;
  if (e.type !== "pointerout") last = [e.clientX, e.clientY]; // what follows of the same move is of the hand too
}
for (const name of ["pointermove", "pointerdown", "pointerout"] as const)
  window.addEventListener(name, see, { capture: true, passive: true });

/** Of the event that is being handled. */
export const isResting = () => rests;
