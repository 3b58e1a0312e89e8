/**
 * What of the part lies under the pointer: faces and edges by spatial indexes, so that a part of a million triangles is
 * picked as fast as a plate.
 */

import { BufferAttribute, BufferGeometry, Mesh, type Ray, Raycaster, Vector3 } from "three";
import { MeshBVH, acceleratedRaycast } from "three-mesh-bvh";

import type { PartData } from "./partData";

/** A face under the pointer, and the point of it (in the scene's coordinates). */
export interface FaceHit {
  face: number;
  point: Vector3;
}

const NONE = new Set<string>();

export class PartIndex {
  private readonly mesh: Mesh | null;
  private readonly caster = new Raycaster();
  private readonly edgeTree: MeshBVH | null;
  /** The edge that each segment is of. */
  private readonly edgeOf: Uint32Array;
  private readonly segments: Float32Array;

  constructor(private readonly data: PartData) {
    this.caster.firstHitOnly = true;
    this.mesh = data.triangles.length ? indexed(data.triangles) : null;
    let count = 0;
    for (let e = 0; e + 1 < data.edgeEnds.length; e++) {
      count += Math.max(0, data.edgeEnds[e + 1]! - data.edgeEnds[e]! - 1); // an edge that is one point has no line
    }
    this.edgeOf = new Uint32Array(count);
    this.segments = new Float32Array(6 * this.edgeOf.length);
    let n = 0;
    for (let e = 0; e + 1 < data.edgeEnds.length; e++) {
      for (let i = data.edgeEnds[e]!; i + 1 < data.edgeEnds[e + 1]!; i++, n++) {
        this.edgeOf[n] = e;
        this.segments.set(data.edgePoints.subarray(3 * i, 3 * i + 6), 6 * n);
      }
    }
    this.edgeTree = n ? treeOfSegments(this.segments, n) : null;
  }

  /** The face that a ray meets first, of bodies that are not hidden. */
  faceAt(ray: Ray, hidden: Set<string> = NONE): FaceHit | null {
    if (!this.mesh) return null;
    this.caster.ray.copy(ray);
    this.caster.firstHitOnly = hidden.size === 0;
    const hit = this.caster
      .intersectObject(this.mesh, false)
      .find((h) => !hidden.size || !hidden.has(this.data.facts.faces[this.data.face[h.faceIndex!]!]!.body));
    return hit ? { face: this.data.face[hit.faceIndex!]!, point: hit.point } : null;
  }

  /** The edge that passes nearest to a ray, within `reach`, and is no further along it than `depth`; -1 for none. */
  edgeAt(ray: Ray, reach: number, depth: number, hidden: Set<string> = NONE): number {
    let best = -1,
      nearest = reach;
    const a = new Vector3(),
      b = new Vector3(),
      grown = { min: new Vector3(), max: new Vector3() };
    this.edgeTree?.shapecast({
      intersectsBounds: (box) => {
        grown.min.copy(box.min).subScalar(nearest);
        grown.max.copy(box.max).addScalar(nearest);
        return meets(ray, grown.min, grown.max);
      },
      intersectsTriangle: (_, segment) => {
        a.fromArray(this.segments, 6 * segment);
        b.fromArray(this.segments, 6 * segment + 3);
        const [away, along] = distanceOf(ray, a, b);
        if (
          away < nearest &&
          along <= depth &&
          !(hidden.size && hidden.has(this.data.facts.edges[this.edgeOf[segment]!]!.body))
        ) {
          nearest = away;
          best = this.edgeOf[segment]!;
        }
        return false;
      },
    });
    return best;
  }
}

function indexed(triangles: Float32Array): Mesh {
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(triangles, 3));
  geometry.boundsTree = new MeshBVH(geometry, { indirect: true });
  const mesh = new Mesh(geometry);
  mesh.raycast = acceleratedRaycast;
  return mesh;
}

/** A tree of segments, each as a triangle without width. */
function treeOfSegments(segments: Float32Array, count: number): MeshBVH {
  const corners = new Float32Array(9 * count);
  for (let n = 0; n < count; n++) {
    corners.set(segments.subarray(6 * n, 6 * n + 6), 9 * n);
    corners.set(segments.subarray(6 * n + 3, 6 * n + 6), 9 * n + 6);
  }
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(corners, 3));
  return new MeshBVH(geometry, { indirect: true });
}

/** Whether a line, both ways, meets a box. */
function meets(ray: Ray, min: Vector3, max: Vector3): boolean {
  let from = -Infinity,
    to = Infinity;
  for (const axis of ["x", "y", "z"] as const) {
    const way = ray.direction[axis],
      at = ray.origin[axis];
    if (Math.abs(way) < 1e-12) {
      if (at < min[axis] || at > max[axis]) return false;
      continue;
    }
    const one = (min[axis] - at) / way,
      two = (max[axis] - at) / way;
    from = Math.max(from, Math.min(one, two));
    to = Math.min(to, Math.max(one, two));
  }
  return from <= to;
}

const along = new Vector3(),
  off = new Vector3(),
  across = new Vector3();

/** How far a segment passes from a line, and how far along the line that is. */
function distanceOf(ray: Ray, a: Vector3, b: Vector3): [number, number] {
  along.subVectors(b, a);
  off.subVectors(a, ray.origin);
  const way = ray.direction;
  across.copy(along).addScaledVector(way, -along.dot(way));
  const start = off.clone().addScaledVector(way, -off.dot(way));
  const square = across.lengthSq();
  const t = square > 0 ? Math.max(0, Math.min(1, -start.dot(across) / square)) : 0;
  return [start.addScaledVector(across, t).length(), off.dot(way) + t * along.dot(way)];
}
