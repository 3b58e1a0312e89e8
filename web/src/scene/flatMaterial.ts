/** What is drawn flat on the sheet, one thing over the other in the order asked for: see-through, and no depth. */

import { DoubleSide, type IUniform, ShaderMaterial } from "three";

export function flatMaterial(vertex: string, fragment: string, uniforms: Record<string, IUniform>): ShaderMaterial {
  return new ShaderMaterial({
    vertexShader: vertex,
    fragmentShader: fragment,
    transparent: true,
    depthTest: false,
    depthWrite: false,
    side: DoubleSide,
    uniforms,
  });
}
