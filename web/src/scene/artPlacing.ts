/** Where art lies on its face, and where it goes when it is dragged: plain numbers, no drawing. */

import type { Laid } from "../api/client";

export interface ArtPlace {
  x: number;
  y: number;
  width: number;
  turned: number;
}
export type Grip = "move" | "scale" | "turn";
type Pair = [number, number];

const RADIANS = Math.PI / 180,
  LEAST_WIDTH = 0.01,
  SHIFT_STEP = 15;

/** The outline about its own middle, not turned, and how wide and high it is. */
export function outlineOf(laid: Laid, x: number, y: number, turned: number) {
  const c = Math.cos(turned * RADIANS),
    s = Math.sin(turned * RADIANS);
  const lines = laid.lines.map((line) =>
    line.map(([u, v]): Pair => [c * (u - x) + s * (v - y), -s * (u - x) + c * (v - y)]),
  );
  const all = lines.flat(),
    reach = (k: 0 | 1) => 2 * Math.max(...all.map((p) => Math.abs(p[k])), 1e-6);
  return { lines, width: reach(0), height: reach(1) };
}

/** A point of the outline on the face, for art that has this place and `width` as it is drawn. */
export function onFace(place: ArtPlace, width: number, [u, v]: Pair): Pair {
  const c = Math.cos(place.turned * RADIANS),
    s = Math.sin(place.turned * RADIANS),
    scale = place.width / width;
  return [place.x + scale * (c * u - s * v), place.y + scale * (s * u + c * v)];
}

/** Where art is that was taken at one place of the face and is now held at another. */
export function dragged(grip: Grip, from: ArtPlace, taken: Pair, held: Pair, byStep: boolean): ArtPlace {
  if (grip === "move") return { ...from, x: from.x + held[0] - taken[0], y: from.y + held[1] - taken[1] };
  const away = (p: Pair) => Math.hypot(p[0] - from.x, p[1] - from.y),
    angle = (p: Pair) => Math.atan2(p[1] - from.y, p[0] - from.x) / RADIANS;
  if (grip === "scale")
    return { ...from, width: Math.max((from.width * away(held)) / Math.max(away(taken), 1e-9), LEAST_WIDTH) };
  const turned = from.turned + angle(held) - angle(taken);
  return { ...from, turned: byStep ? Math.round(turned / SHIFT_STEP) * SHIFT_STEP : turned };
}

/** The CSS matrix that takes three places of the screen to three others, as art that is dragged goes. */
export function matrixOf(from: [Pair, Pair, Pair], to: [Pair, Pair, Pair]): string {
  const off = (three: [Pair, Pair, Pair], n: 1 | 2): Pair => [three[n][0] - three[0][0], three[n][1] - three[0][1]],
    [p, q, r, s] = [off(from, 1), off(from, 2), off(to, 1), off(to, 2)],
    det = p[0] * q[1] - q[0] * p[1] || 1e-9;
  const [a, b] = [0, 1].map((k) => (r[k]! * q[1] - s[k]! * p[1]) / det) as Pair,
    [c, d] = [0, 1].map((k) => (s[k]! * p[0] - r[k]! * q[0]) / det) as Pair,
    [x, y] = from[0];
  return `matrix(${a},${b},${c},${d},${to[0][0] - a * x - c * y},${to[0][1] - b * x - d * y})`;
}

/** The values of the sentence that a grip changes, to a hundredth. */
export function valuesOf(grip: Grip, place: ArtPlace): Record<string, number> {
  if (grip === "move") return { x: rounded(place.x), y: rounded(place.y) };
  if (grip === "scale") return { width: rounded(place.width) };
  return { turned: rounded(((((place.turned + 180) % 360) + 360) % 360) - 180) };
}

const rounded = (value: number): number => Math.round(value * 100) / 100;
