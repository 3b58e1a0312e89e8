/**
 * Very many lines, a pixel wide: of each draw only what is in sight, with as many points as the screen can show. The
 * software rasteriser of a remote desktop draws a hundred thousand curves so in a fraction of a second.
 */

import { BufferAttribute, BufferGeometry, LineSegments, type ShaderMaterial, Vector2 } from "three";

import { flatMaterial } from "./flatMaterial";
import type { Look } from "./inkLines";

const VERTEX = `
  attribute vec2 at;
  attribute float run;
  attribute vec4 tone;
  uniform vec2 half_size; uniform vec2 centre; uniform float scale;
  varying vec3 v_tone; varying float v_dash; varying float v_along;
  void main() {
    v_tone = tone.rgb; v_dash = tone.a * 255.0; v_along = run * scale;
    gl_Position = vec4((at - centre) * scale / half_size, 0.0, 1.0);
  }`;

const FRAGMENT = `
  varying vec3 v_tone; varying float v_dash; varying float v_along;
  void main() {
    if (v_dash > 2.5 && mod(v_along, 5.0) > 1.6) discard;
    if (v_dash > 1.5 && v_dash < 2.5 && mod(v_along, 9.0) > 5.5) discard;
    if (v_dash > 0.5 && v_dash < 1.5) { float at = mod(v_along, 24.0); if (at > 20.5 || (at > 15.0 && at < 18.0)) discard; }
    gl_FragColor = vec4(v_tone, 0.9);
  }`;

/** Curves as polylines: points (x, y after one another) and where each begins; how each is drawn. */
export interface Polylines {
  count: number;
  points: Float32Array;
  offsets: Uint32Array;
  /** Left, low, right, high of each curve. */
  boxes: Float32Array;
  /** Red, green, blue and dash of each curve. */
  tones: Uint8Array;
}

/** Straight pieces to draw: both ends after one another, how far along its curve each end is, and its tone. */
export interface Pieces {
  at: Float32Array;
  run: Float32Array;
  tone: Uint8Array;
  /** How many ends there are: two a piece. */
  count: number;
}

/** Points nearer than this to the one before (pixels) say nothing. */
const STEP = 0.75;

/** The boxes (left, low, right, high) of polylines. */
export function boxesOf(points: Float32Array, offsets: Uint32Array, count: number): Float32Array {
  const out = new Float32Array(count * 4);
  for (let row = 0; row < count; row++) {
    let x0 = Infinity,
      y0 = Infinity,
      x1 = -Infinity,
      y1 = -Infinity;
    for (let k = 2 * offsets[row]!; k < 2 * offsets[row + 1]!; k += 2) {
      const x = points[k]!,
        y = points[k + 1]!;
      if (x < x0) x0 = x;
      if (x > x1) x1 = x;
      if (y < y0) y0 = y;
      if (y > y1) y1 = y;
    }
    out.set([x0, y0, x1, y1], 4 * row);
  }
  return out;
}

/**
 * What of polylines a look shows: curves that reach into it, of these the points that are a pixel apart; of curves
 * smaller than a pixel one in each pixel. `kept` is used again and grown where it is too small.
 */
export function piecesInSight(lines: Polylines, look: Look, kept: Pieces | null): Pieces {
  const { points, offsets, boxes, tones, count } = lines;
  const halfX = look.width / 2 / look.scale,
    halfY = look.height / 2 / look.scale;
  const left = look.x - halfX,
    right = look.x + halfX,
    low = look.y - halfY,
    high = look.y + halfY;
  const step = (STEP / look.scale) ** 2,
    pixel = 1 / look.scale;
  const wide = Math.ceil(look.width),
    taken = new Uint8Array(wide * Math.ceil(look.height));
  let out = kept ?? { at: new Float32Array(0), run: new Float32Array(0), tone: new Uint8Array(0), count: 0 };
  out.count = 0;
  for (let row = 0; row < count; row++) {
    const x0 = boxes[4 * row]!,
      y0 = boxes[4 * row + 1]!,
      x1 = boxes[4 * row + 2]!,
      y1 = boxes[4 * row + 3]!;
    if (x1 < left || x0 > right || y1 < low || y0 > high) continue;
    const from = offsets[row]!,
      to = offsets[row + 1]!;
    const room = 2 * (to - from);
    if (out.count + room > out.run.length) out = grown(out, room);
    const dash = tones[4 * row + 3]!;
    if (x1 - x0 < pixel && y1 - y0 < pixel) {
      const cell = Math.floor((x0 - left) * look.scale) + wide * Math.floor((y0 - low) * look.scale);
      if (taken[cell]) continue;
      taken[cell] = 1;
      put(out, x0, y0, 0, tones, row);
      put(out, x0 + pixel, y0 + pixel * 0.5, 0, tones, row);
      continue;
    }
    let ax = points[2 * from]!,
      ay = points[2 * from + 1]!,
      run = 0;
    for (let i = from + 1; i < to; i++) {
      const bx = points[2 * i]!,
        by = points[2 * i + 1]!,
        far = (bx - ax) ** 2 + (by - ay) ** 2;
      if (far < step && i + 1 < to) continue;
      put(out, ax, ay, run, tones, row);
      if (dash) run += Math.sqrt(far);
      put(out, bx, by, run, tones, row);
      ax = bx;
      ay = by;
    }
  }
  return out;
}

function put(out: Pieces, x: number, y: number, run: number, tones: Uint8Array, row: number): void {
  const n = out.count++;
  out.at[2 * n] = x;
  out.at[2 * n + 1] = y;
  out.run[n] = run;
  out.tone[4 * n] = tones[4 * row]!;
  out.tone[4 * n + 1] = tones[4 * row + 1]!;
  out.tone[4 * n + 2] = tones[4 * row + 2]!;
  out.tone[4 * n + 3] = tones[4 * row + 3]!;
}

function grown(pieces: Pieces, room: number): Pieces {
  const size = Math.max(2 * pieces.run.length, pieces.count + room, 4096);
  const out = { at: new Float32Array(2 * size), run: new Float32Array(size), tone: new Uint8Array(4 * size), count: 0 };
  out.at.set(pieces.at);
  out.run.set(pieces.run);
  out.tone.set(pieces.tone);
  out.count = pieces.count;
  return out;
}

export class ThinLines {
  readonly mesh: LineSegments<BufferGeometry, ShaderMaterial>;
  private readonly half = new Vector2(1, 1);
  private readonly centre = new Vector2();
  private readonly scale = { value: 1 };
  private lines: Polylines | null = null;
  private pieces: Pieces | null = null;

  constructor(order: number) {
    const material = flatMaterial(VERTEX, FRAGMENT, {
      half_size: { value: this.half },
      centre: { value: this.centre },
      scale: this.scale,
    });
    this.mesh = new LineSegments(new BufferGeometry(), material);
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = order;
    this.mesh.visible = false;
  }

  update(lines: Polylines | null): void {
    this.lines = lines;
    this.pieces = null;
    this.mesh.visible = lines !== null;
  }

  look(at: Look): void {
    if (!this.lines) return;
    this.half.set(at.width / 2, at.height / 2);
    this.centre.set(at.x, at.y);
    this.scale.value = at.scale;
    const before = this.pieces,
      pieces = (this.pieces = piecesInSight(this.lines, at, before));
    this.mesh.geometry.dispose();
    const geometry = new BufferGeometry();
    geometry.setAttribute("at", new BufferAttribute(pieces.at.subarray(0, 2 * pieces.count), 2));
    geometry.setAttribute("run", new BufferAttribute(pieces.run.subarray(0, pieces.count), 1));
    geometry.setAttribute("tone", new BufferAttribute(pieces.tone.subarray(0, 4 * pieces.count), 4, true));
    geometry.setDrawRange(0, pieces.count);
    this.mesh.geometry = geometry;
  }

  dispose(): void {
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}
