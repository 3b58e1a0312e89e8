import { Ray, Vector3 } from "three";
import { expect, test } from "vitest";

import type { PartData } from "./partData";
import { PartIndex } from "./partPicking";

/** Two square plates beside each other at height 10, of faces 0 and 1, their front edges as edges 0 and 1. */
const plate = (x: number) => [x, 0, 10, x + 5, 0, 10, x + 5, 5, 10, x, 0, 10, x + 5, 5, 10, x, 5, 10];
const part = {
  triangles: new Float32Array([...plate(0), ...plate(20)]),
  face: new Uint32Array([0, 0, 1, 1]),
  edgePoints: new Float32Array([0, 0, 10, 2, 0, 10, 5, 0, 10, 20, 0, 10, 25, 0, 10]),
  edgeEnds: new Uint32Array([0, 3, 5]),
} as unknown as PartData;
const down = (x: number, y: number) => new Ray(new Vector3(x, y, 1000), new Vector3(0, 0, -1));

test("the face under the pointer is found, with the point of it", () => {
  const index = new PartIndex(part);
  expect(index.faceAt(down(2, 3))).toMatchObject({ face: 0, point: { x: 2, y: 3, z: 10 } });
  expect(index.faceAt(down(22, 1))?.face).toBe(1);
  expect(index.faceAt(down(12, 1))).toBeNull();
});

test("the nearest edge within reach is found, unless it lies behind", () => {
  const index = new PartIndex(part);
  expect(index.edgeAt(down(3, 0.2), 0.5, Infinity)).toBe(0);
  expect(index.edgeAt(down(24, -0.4), 0.5, Infinity)).toBe(1);
  expect(index.edgeAt(down(24, -0.6), 0.5, Infinity)).toBe(-1);
  expect(index.edgeAt(down(3, 0.2), 0.5, 900)).toBe(-1);
});

test("an edge without a line is passed over", () => {
  const tip = { ...part, edgeEnds: new Uint32Array([0, 3, 3, 3, 5]) } as unknown as PartData;
  expect(new PartIndex(tip).edgeAt(down(24, 0.1), 0.5, Infinity)).toBe(3);
});

test("nothing is found on nothing", () => {
  const none = {
    triangles: new Float32Array(0),
    face: new Uint32Array(0),
    edgePoints: new Float32Array(0),
    edgeEnds: new Uint32Array([0]),
  };
  const index = new PartIndex(none as unknown as PartData);
  expect([index.faceAt(down(0, 0)), index.edgeAt(down(0, 0), 1, Infinity)]).toEqual([null, -1]);
});
