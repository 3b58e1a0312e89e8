/**
 * Closed material is hatched as on a section drawing: 45°, the other way at the next level; in screen pixels, so it
 * never clogs.
 */

import { BufferAttribute, BufferGeometry, type Color, Mesh, type ShaderMaterial, Vector2, Vector3 } from "three";

import { flatMaterial } from "./flatMaterial";
import { bytes } from "./ink";
import type { Look } from "./inkLines";

const VERTEX = `
  attribute vec2 at;
  attribute float level;
  uniform vec2 half_size; uniform vec2 centre; uniform float scale;
  varying float v_level;
  void main() { v_level = level; gl_Position = vec4((at - centre) * scale / half_size, 0.0, 1.0); }`;

const FRAGMENT = `
  uniform vec3 tone; uniform float strength; uniform float wash; uniform float pitch; uniform float ratio;
  varying float v_level;
  void main() {
    float side = mod(v_level, 4.0) < 1.5 ? 1.0 : -1.0;
    float at = mod((gl_FragCoord.x + side * gl_FragCoord.y) / ratio, pitch);
    float line = 1.0 - smoothstep(0.9, 1.7, min(at, pitch - at));
    gl_FragColor = vec4(tone, max(line * strength, wash));
  }`;

export class Hatching {
  readonly mesh: Mesh<BufferGeometry, ShaderMaterial>;
  private readonly half = new Vector2(1, 1);
  private readonly centre = new Vector2();
  private readonly scale = { value: 1 };
  private readonly ratio = { value: 1 };
  private readonly tone = new Vector3();

  constructor(order: number, strength: number, wash: number, pitch: number) {
    const material = flatMaterial(VERTEX, FRAGMENT, {
      half_size: { value: this.half },
      centre: { value: this.centre },
      scale: this.scale,
      ratio: this.ratio,
      tone: { value: this.tone },
      strength: { value: strength },
      wash: { value: wash },
      pitch: { value: pitch },
    });
    this.mesh = new Mesh(new BufferGeometry(), material);
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = order;
    this.update(new Float32Array(0), new Float32Array(0));
  }

  update(points: Float32Array, levels: Float32Array): void {
    this.mesh.geometry.dispose();
    const geometry = new BufferGeometry();
    geometry.setAttribute("at", new BufferAttribute(points, 2));
    geometry.setAttribute("level", new BufferAttribute(levels, 1));
    geometry.setDrawRange(0, points.length / 2);
    this.mesh.geometry = geometry;
    this.mesh.visible = points.length > 0;
  }

  look(at: Look): void {
    this.half.set(at.width / 2, at.height / 2);
    this.centre.set(at.x, at.y);
    this.scale.value = at.scale;
    this.ratio.value = at.ratio;
  }

  ink(tone: Color): void {
    const [r, g, b] = bytes(tone);
    this.tone.set(r / 255, g / 255, b / 255);
  }

  dispose(): void {
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}
