import { expect, test } from "vitest";

import { boxesOf, piecesInSight, type Polylines } from "./thinLines";

function linesOf(curves: number[][]): Polylines {
  const points = new Float32Array(curves.flat()),
    offsets = new Uint32Array(curves.length + 1);
  curves.forEach((c, n) => (offsets[n + 1] = offsets[n]! + c.length / 2));
  const tones = new Uint8Array(curves.length * 4);
  return { count: curves.length, points, offsets, boxes: boxesOf(points, offsets, curves.length), tones };
}
const look = (x: number, y: number, scale: number) => ({ width: 400, height: 300, x, y, scale, ratio: 1 });
const circle = (x: number, y: number, r: number, n = 200) =>
  Array.from({ length: n + 1 }, (_, k) => [
    x + r * Math.cos((2 * Math.PI * k) / n),
    y + r * Math.sin((2 * Math.PI * k) / n),
  ]).flat();
const length = (p: { at: Float32Array; count: number }) => {
  let sum = 0;
  for (let n = 0; n < p.count; n += 2)
    sum += Math.hypot(p.at[2 * n + 2]! - p.at[2 * n]!, p.at[2 * n + 3]! - p.at[2 * n + 1]!);
  return sum;
};

test("what is out of sight is not drawn, what reaches in is", () => {
  const lines = linesOf([
    [-1000, 0, 1000, 0],
    [0, 500, 10, 500],
    [199, -149, 250, -200],
  ]);
  expect(piecesInSight(lines, look(0, 0, 1), null).count).toBe(4);
  expect(piecesInSight(lines, look(5, 500, 1), null).count).toBe(2);
});

test("a curve has as many points as the screen can show, and is as long and as closed as before", () => {
  const lines = linesOf([circle(0, 0, 50)]);
  for (const scale of [0.05, 0.3, 1, 2]) {
    const { at, run, tone, count } = piecesInSight(lines, look(0, 0, scale), null);
    expect(count / 2).toBeLessThanOrEqual(Math.max(3, (2 * Math.PI * 50 * scale) / 0.7));
    expect(Math.abs(length({ at, count }) - 2 * Math.PI * 50) * scale, `at ${scale}`).toBeLessThan(1);
    expect([at[0], at[1]]).toEqual([at[2 * count - 2], expect.closeTo(at[2 * count - 1]!, 3) as number]);
    expect(run.length * 4).toBe(tone.length);
  }
});

test("of curves smaller than a pixel there is one in each pixel, and none is lost that stands alone", () => {
  const dots = Array.from({ length: 10_000 }, (_, n) => [n * 0.002, 0, n * 0.002 + 0.001, 0.001]);
  const crowd = piecesInSight(linesOf([...dots, [100, 100, 100.001, 100]]), look(0, 0, 1), null);
  expect(crowd.count / 2).toBeLessThanOrEqual(22);
  expect([...crowd.at.subarray(2 * crowd.count - 4, 2 * crowd.count)].map(Math.round)).toEqual([100, 100, 101, 101]);
});

test("of very many curves few pieces are drawn, from afar and from near", () => {
  const many = linesOf(Array.from({ length: 20_000 }, (_, n) => circle((n % 400) * 3, Math.floor(n / 400) * 3, 1, 24)));
  const all = piecesInSight(many, look(600, 75, 0.3), null);
  expect(all.count / 2, "a few pieces a curve at most").toBeLessThan(80_000);
  expect(piecesInSight(many, look(600, 75, 30), all).count / 2).toBeLessThan(1500);
});
