/** A plane that the part is looked into by: where it cuts, and what lies on it. Plain numbers, no drawing. */

export type Axis = 0 | 1 | 2;
/** Square to an axis at a place along it (mm); what lies above is taken away, or what lies below. */
export interface SectionPlane {
  axis: Axis;
  at: number;
  takes: "above" | "below";
}

/** Where triangles (9 numbers each) cross a plane: segments (6 numbers each), and the area that they enclose (mm²). */
export function sectionOf(
  triangles: Float32Array,
  axis: Axis,
  at: number,
  shows: (triangle: number) => boolean,
): { segments: number[]; area: number } {
  const segments: number[] = [],
    u = (axis + 1) % 3,
    v = (axis + 2) % 3;
  let double = 0;
  for (let t = 0; t < triangles.length / 9; t++) {
    const off = [0, 1, 2].map((k) => triangles[9 * t + 3 * k + axis]! - at),
      above = off.map((o) => o >= 0);
    if ((above[0] === above[1] && above[1] === above[2]) || !shows(t)) continue;
    const ends: number[][] = [];
    let rising = 0;
    for (let k = 0; k < 3; k++) {
      const m = (k + 1) % 3;
      if (above[k] === above[m]) continue;
      const share = off[k]! / (off[k]! - off[m]!);
      if (above[m]) rising = ends.length; // the side on which the boundary, seen from above, begins
      ends.push([0, 1, 2].map((c) => mixed(triangles[9 * t + 3 * k + c]!, triangles[9 * t + 3 * m + c]!, share)));
    }
    const [a, b] = rising === 0 ? [ends[0]!, ends[1]!] : [ends[1]!, ends[0]!];
    segments.push(...a, ...b);
    double += a[u]! * b[v]! - b[u]! * a[v]!;
  }
  return { segments, area: Math.abs(double) / 2 };
}

const mixed = (a: number, b: number, share: number) => a + (b - a) * share;
