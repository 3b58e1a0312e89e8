/** What a print check is to look for, as people type it. */

export interface PrintWishes {
  wall: number;
  tool: number;
  bed: number[];
}

const MOST = 100;
const number = (text: string): number => (text.trim() ? Number(text.trim().replace(",", ".")) : NaN);

/** Walls, gaps and bed from their fields; null where one can't be read. An empty gap or bed is not looked at. */
export function wantedOf(wall: string, tool: string, bed: string): PrintWishes | null {
  const sizes = bed
      .split(/[×x;\s]+|,(?=\s)/)
      .filter(Boolean)
      .map(number),
    walls = number(wall),
    gaps = tool.trim() ? number(tool) : 0;
  const good =
    walls > 0 &&
    walls <= MOST &&
    gaps >= 0 &&
    gaps <= MOST &&
    (sizes.length === 0 || sizes.length === 3) &&
    sizes.every((s) => s > 0);
  return good ? { wall: walls, tool: gaps, bed: sizes } : null;
}
