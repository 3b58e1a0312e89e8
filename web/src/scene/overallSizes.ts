/** The part's overall sizes as dimension lines: for each axis the outermost edge of the box, drawn outside of it. */

import type { PartData } from "./partData";

export interface SizeLine {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
  from: [number, number, number, number];
  length: number;
  angle: number;
  key: string;
}

const STAND_OFF = 26;

export function overallSizes(
  data: PartData,
  corner: (x: number, y: number, z: number) => [number, number],
): SizeLine[] {
  const [low, high] = data.box;
  const at = (n: number) => corner((n & 1 ? high : low)[0]!, (n & 2 ? high : low)[1]!, (n & 4 ? high : low)[2]!);
  const points = [0, 1, 2, 3, 4, 5, 6, 7].map(at);
  const cx = points.reduce((s, p) => s + p[0], 0) / 8,
    cy = points.reduce((s, p) => s + p[1], 0) / 8;
  const out: SizeLine[] = [];
  [1, 2, 4].forEach((bit, axis) => {
    let best: SizeLine | null = null,
      reach = -Infinity;
    for (let n = 0; n < 8; n++) {
      if (n & bit) continue;
      const [x0, y0] = points[n]!,
        [x1, y1] = points[n | bit]!;
      const length = Math.hypot(x1 - x0, y1 - y0);
      if (length < 24) continue;
      let nx = -(y1 - y0) / length,
        ny = (x1 - x0) / length;
      const side = ((x0 + x1) / 2 - cx) * nx + ((y0 + y1) / 2 - cy) * ny;
      if (side < 0) {
        nx = -nx;
        ny = -ny;
      }
      const outside = Math.abs(side) + (axis < 2 ? 0.01 * ny : 0.01 * nx) * length;
      if (outside <= reach) continue;
      reach = outside;
      let angle = (Math.atan2(y1 - y0, x1 - x0) * 180) / Math.PI;
      if (angle > 90.01) angle -= 180;
      else if (angle <= -89.99) angle += 180;
      best = {
        x0: x0 + nx * STAND_OFF,
        y0: y0 + ny * STAND_OFF,
        x1: x1 + nx * STAND_OFF,
        y1: y1 + ny * STAND_OFF,
        from: [x0 + nx * 4, y0 + ny * 4, x1 + nx * 4, y1 + ny * 4],
        length: high[axis]! - low[axis]!,
        angle,
        key: "xyz"[axis]!,
      };
    }
    if (best) out.push(best);
  });
  return out;
}
