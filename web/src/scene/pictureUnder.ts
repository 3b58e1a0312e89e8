/** A picture that lies under the linework it was traced into; faded as wished. */

import {
  BufferAttribute,
  BufferGeometry,
  Mesh,
  type ShaderMaterial,
  type Texture,
  TextureLoader,
  Vector2,
} from "three";

import { flatMaterial } from "./flatMaterial";
import type { Look } from "./inkLines";
import type { PictureFacts } from "./sheetData";

const VERTEX = `
  attribute vec2 at; attribute vec2 spot;
  uniform vec2 half_size; uniform vec2 centre; uniform float scale;
  varying vec2 v_spot;
  void main() { v_spot = spot; gl_Position = vec4((at - centre) * scale / half_size, 0.0, 1.0); }`;

const FRAGMENT = `
  uniform sampler2D picture; uniform float share;
  varying vec2 v_spot;
  void main() { gl_FragColor = vec4(texture2D(picture, v_spot).rgb, share); }`;

const CORNERS = [
  [0, 0],
  [1, 0],
  [1, 1],
  [0, 0],
  [1, 1],
  [0, 1],
] as const;

export class PictureUnder {
  readonly mesh: Mesh<BufferGeometry, ShaderMaterial>;
  private readonly half = new Vector2(1, 1);
  private readonly centre = new Vector2();
  private readonly scale = { value: 1 };
  private readonly share = { value: 0.5 };
  private readonly url: string;
  private texture: Texture | null = null;

  constructor(facts: PictureFacts, origin: [number, number], data: Uint8Array, share: number, loaded: () => void) {
    this.url = URL.createObjectURL(new Blob([data.slice()], { type: "image/jpeg" }));
    const material = flatMaterial(VERTEX, FRAGMENT, {
      half_size: { value: this.half },
      centre: { value: this.centre },
      scale: this.scale,
      share: this.share,
      picture: { value: null },
    });
    this.share.value = share;
    const geometry = new BufferGeometry(),
      [[a, b, c], [d, e, f]] = facts.matrix as [[number, number, number], [number, number, number]];
    geometry.setAttribute(
      "at",
      new BufferAttribute(
        new Float32Array(CORNERS.flatMap(([u, v]) => [a * u + b * v + c - origin[0], d * u + e * v + f - origin[1]])),
        2,
      ),
    );
    geometry.setAttribute("spot", new BufferAttribute(new Float32Array(CORNERS.flat()), 2));
    geometry.setDrawRange(0, 6);
    this.mesh = new Mesh(geometry, material);
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = -1;
    this.mesh.visible = false;
    new TextureLoader().load(this.url, (texture) => {
      this.texture = texture;
      material.uniforms["picture"]!.value = texture;
      this.mesh.visible = true;
      loaded();
    });
  }

  fade(share: number): void {
    this.share.value = share;
  }

  look(at: Look): void {
    this.half.set(at.width / 2, at.height / 2);
    this.centre.set(at.x, at.y);
    this.scale.value = at.scale;
  }

  dispose(): void {
    URL.revokeObjectURL(this.url);
    this.texture?.dispose();
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}

/** Where a place of the sheet (mm, as the file has them) lies in the picture's pixels, from its lower left corner. */
export function pixelAt(facts: PictureFacts, x: number, y: number): [number, number] {
  const [[a, b, c], [d, e, f]] = facts.matrix as [[number, number, number], [number, number, number]];
  const det = a * e - b * d,
    u = (e * (x - c) - b * (y - f)) / det,
    v = (a * (y - f) - d * (x - c)) / det;
  return [u * facts.pixels[0], v * facts.pixels[1]];
}
