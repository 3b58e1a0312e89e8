import { expect, test } from "vitest";

import { dragged, matrixOf, onFace, outlineOf, valuesOf, type ArtPlace } from "./artPlacing";

type Pair = [number, number];

const square: [number, number][] = [
  [-4, -2],
  [4, -2],
  [4, 2],
  [-4, 2],
];
const laid = (lines: [number, number][][]) => ({ origin: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0], lines });
const place: ArtPlace = { x: 10, y: 5, width: 8, turned: 30 };
const close = (a: [number, number], b: [number, number]) => {
  expect(a[0]).toBeCloseTo(b[0], 9);
  expect(a[1]).toBeCloseTo(b[1], 9);
};

test("an outline goes to its face and back", () => {
  const there = square.map((p) => onFace(place, 8, p));
  const back = outlineOf(laid([there]), place.x, place.y, place.turned);
  expect(back.width).toBeCloseTo(8, 9);
  expect(back.height).toBeCloseTo(4, 9);
  back.lines[0]!.forEach((p, n) => {
    close(p, square[n]!);
  });
});

test("what has no outline still has a size", () => {
  expect(outlineOf(laid([]), 0, 0, 0).width).toBeGreaterThan(0);
});

test("its middle goes with the hand", () => {
  const moved = dragged("move", place, [11, 6], [14, 2], false);
  expect(moved).toEqual({ ...place, x: 13, y: 1 });
  expect(valuesOf("move", { ...moved, x: 13.00499 })).toEqual({ x: 13, y: 1 });
});

test("a corner scales it about its middle", () => {
  const twice = dragged("scale", place, [12, 5], [14, 5], false);
  expect(twice).toEqual({ ...place, width: 16 });
  expect(valuesOf("scale", twice)).toEqual({ width: 16 });
  expect(dragged("scale", place, [12, 5], [10, 5], false).width).toBe(0.01);
  expect(dragged("scale", place, [10, 5], [12, 5], false).width).toBeGreaterThan(8);
});

test("the handle turns it, by steps where that is asked for", () => {
  const turned = dragged("turn", place, [12, 5], [10, 7], false);
  expect(turned.turned).toBeCloseTo(120, 9);
  expect(dragged("turn", place, [12, 5], [12, 5.3], true).turned).toBe(45);
  expect(valuesOf("turn", { ...place, turned: 270 })).toEqual({ turned: -90 });
  expect(valuesOf("turn", { ...place, turned: -190.004 })).toEqual({ turned: 170 });
});

test("a matrix takes what is drawn at one place to another", () => {
  const from: [Pair, Pair, Pair] = [
    [10, 20],
    [14, 21],
    [9, 26],
  ];
  const to = from.map(([x, y]): Pair => [2 * x - y + 3, 0.5 * x + y - 7]) as [Pair, Pair, Pair];
  const [a, b, c, d, e, f] = matrixOf(from, to).slice(7, -1).split(",").map(Number) as [
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  close([a * 40 + c * 50 + e, b * 40 + d * 50 + f], [2 * 40 - 50 + 3, 0.5 * 40 + 50 - 7]);
  expect(matrixOf(from, from)).toBe("matrix(1,0,0,1,0,0)");
});
