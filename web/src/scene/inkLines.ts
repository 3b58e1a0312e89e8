/**
 * Lines of any width with the dashes of a drawing office, in one draw call. One instance a straight piece.
 *
 * Tried and dropped: the library's own fat lines: no dash pattern by line, and twice the memory for each piece.
 */

import {
  BufferGeometry,
  Float32BufferAttribute,
  InstancedBufferAttribute,
  InstancedBufferGeometry,
  Mesh,
  type ShaderMaterial,
  Vector2,
} from "three";

import { flatMaterial } from "./flatMaterial";

export const SOLID = 0,
  CHAIN = 1,
  DASHED = 2,
  DOTTED = 3;

const VERTEX = `
  attribute vec4 ends;
  attribute float run;
  attribute vec4 tone;
  uniform vec2 half_size; uniform vec2 centre; uniform float scale; uniform float width;
  varying vec3 v_tone; varying float v_dash; varying float v_along; varying float v_across;
  void main() {
    vec2 a = (ends.xy - centre) * scale, b = (ends.zw - centre) * scale;
    vec2 way = b - a; float len = length(way);
    vec2 d = len > 1e-6 ? way / len : vec2(1.0, 0.0);
    vec2 n = vec2(-d.y, d.x);
    float w = width * 0.5 + 0.7;
    vec2 p = mix(a - d * 0.5, b + d * 0.5, position.x) + n * position.y * w;
    v_tone = tone.rgb; v_dash = tone.a * 255.0; v_across = position.y * w;
    v_along = run * scale + mix(0.0, len, position.x);
    gl_Position = vec4(p / half_size, 0.0, 1.0);
  }`;

const FRAGMENT = `
  uniform float width;
  varying vec3 v_tone; varying float v_dash; varying float v_along; varying float v_across;
  float on(float at, float a, float b) { return step(a, at) * step(at, b); }
  void main() {
    float keep = 1.0;
    if (v_dash > 2.5) keep = on(mod(v_along, 5.0), 0.0, 1.6);
    else if (v_dash > 1.5) keep = on(mod(v_along, 9.0), 0.0, 5.5);
    else if (v_dash > 0.5) { float at = mod(v_along, 24.0); keep = max(on(at, 0.0, 15.0), on(at, 18.0, 20.5)); }
    float edge = 1.0 - smoothstep(width * 0.5 - 0.35, width * 0.5 + 0.65, abs(v_across));
    if (keep * edge < 0.02) discard;
    gl_FragColor = vec4(v_tone, keep * edge);
  }`;

const QUAD = new BufferGeometry();
QUAD.setAttribute("position", new Float32BufferAttribute([0, -1, 0, 1, -1, 0, 1, 1, 0, 0, 1, 0], 3));
QUAD.setIndex([0, 1, 2, 0, 2, 3]);

export interface Strokes {
  ends: Float32Array;
  run: Float32Array;
  tone: Uint8Array;
  count: number;
}

/** Room for so many pieces, filled by `stroke`. */
export function strokesFor(pieces: number): Strokes {
  return {
    ends: new Float32Array(pieces * 4),
    run: new Float32Array(pieces),
    tone: new Uint8Array(pieces * 4),
    count: 0,
  };
}

/** Append the polyline points[from..to) with a colour (bytes) and a dash. */
export function stroke(
  into: Strokes,
  points: ArrayLike<number>,
  from: number,
  to: number,
  tone: readonly [number, number, number],
  dash: number,
): void {
  let run = 0;
  for (let i = from; i + 1 < to; i++) {
    const n = into.count++;
    const ax = points[2 * i]!,
      ay = points[2 * i + 1]!,
      bx = points[2 * i + 2]!,
      by = points[2 * i + 3]!;
    into.ends[4 * n] = ax;
    into.ends[4 * n + 1] = ay;
    into.ends[4 * n + 2] = bx;
    into.ends[4 * n + 3] = by;
    into.run[n] = run;
    into.tone[4 * n] = tone[0];
    into.tone[4 * n + 1] = tone[1];
    into.tone[4 * n + 2] = tone[2];
    into.tone[4 * n + 3] = dash;
    if (dash !== SOLID) run += Math.hypot(bx - ax, by - ay);
  }
}

export interface Look {
  width: number;
  height: number;
  x: number;
  y: number;
  scale: number;
  ratio: number;
}

export class InkLines {
  readonly mesh: Mesh<InstancedBufferGeometry, ShaderMaterial>;
  private readonly half = new Vector2(1, 1);
  private readonly centre = new Vector2();
  private readonly scale = { value: 1 };

  constructor(width: number, order: number) {
    const material = flatMaterial(VERTEX, FRAGMENT, {
      half_size: { value: this.half },
      centre: { value: this.centre },
      scale: this.scale,
      width: { value: width },
    });
    this.mesh = new Mesh(new InstancedBufferGeometry(), material);
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = order;
    this.update(strokesFor(0));
  }

  update(strokes: Strokes): void {
    this.mesh.geometry.dispose();
    const geometry = new InstancedBufferGeometry();
    geometry.index = QUAD.index;
    geometry.setAttribute("position", QUAD.getAttribute("position"));
    geometry.setAttribute("ends", new InstancedBufferAttribute(strokes.ends, 4));
    geometry.setAttribute("run", new InstancedBufferAttribute(strokes.run, 1));
    geometry.setAttribute("tone", new InstancedBufferAttribute(strokes.tone, 4, true));
    geometry.instanceCount = strokes.count;
    this.mesh.geometry = geometry;
    this.mesh.visible = strokes.count > 0;
  }

  look(at: Look): void {
    this.half.set(at.width / 2, at.height / 2);
    this.centre.set(at.x, at.y);
    this.scale.value = at.scale;
  }

  dispose(): void {
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}
