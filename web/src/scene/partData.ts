/** The part's parcel: bodies as triangles and edges, with what is known of each face and edge. No three.js. */

import type { Figures } from "../api/client";
import type { Parcel } from "../api/parcel";
import { areaText, coordinateText, lengthText, show } from "./shownUnits";

/**
 * `key` is what a pick names the face by, `curves` the curve it stands on and all that one was made from, `normal`
 * points out of the body.
 */
export interface FaceFacts {
  kind: string;
  area?: number;
  radius?: number;
  point?: number[];
  direction?: number[];
  normal?: number[];
  key: string;
  name: string;
  curves: string[];
  operation: number;
  body: string;
}
export interface EdgeFacts {
  faces: number[];
  kind: string;
  length?: number;
  radius?: number;
  point?: number[];
  direction?: number[];
  body: string;
}
export interface ListRow {
  number: number;
  count: number;
  name: string;
  issue: string;
  size: string;
  material: string | null;
  mass_each_g: number | null;
  mass_g: number | null;
  bodies: string[];
}
export interface PartFacts {
  origin: number[];
  figures: Figures;
  bodies: {
    key: string;
    name: string;
    volume_mm3: number;
    material: string | null;
    density: number | null;
    faces: [number, number];
    edges: [number, number];
  }[];
  /** The parts list: what bodies are counted as, by their keys. */
  items?: ListRow[];
  /** Neighbours, by number: a point where they are nearest, what they share, how far apart they are (mm). */
  touching?: { bodies: [number, number]; at: number[]; common_mm3?: number | null; apart_mm?: number }[];
  faces: FaceFacts[];
  edges: EdgeFacts[];
}

/** A face or an edge; `at`: where it was pressed, in space (mm). */
export type Piece = { type: "face" | "edge"; index: number; at?: number[] };

export class PartData {
  readonly facts: PartFacts;
  readonly triangles: Float32Array;
  readonly normals: Float32Array;
  readonly face: Uint32Array;
  readonly edgePoints: Float32Array;
  readonly edgeEnds: Uint32Array;

  constructor(parcel: Parcel<PartFacts>) {
    this.facts = parcel.facts;
    this.triangles = parcel.arrays["triangles"] as Float32Array;
    this.normals = parcel.arrays["normals"] as Float32Array;
    this.face = parcel.arrays["face"] as Uint32Array;
    this.edgePoints = parcel.arrays["edge_points"] as Float32Array;
    this.edgeEnds = parcel.arrays["edge_ends"] as Uint32Array;
  }

  /** The box in the scene's coordinates: min and max corner. */
  get box(): [number[], number[]] {
    const b = this.facts.figures.bounds,
      o = this.facts.origin;
    return [[0, 1, 2].map((k) => b[k]! - o[k]!), [0, 1, 2].map((k) => b[k + 3]! - o[k]!)];
  }

  describe(piece: Piece): string {
    if (piece.type === "edge") {
      const e = this.facts.edges[piece.index]!;
      const round = e.kind === "round" && e.radius !== undefined ? `, radius ${lengthText(e.radius)}` : "";
      return `${word(e.kind)} edge${round}, length ${lengthText(e.length ?? 0)}`;
    }
    const f = this.facts.faces[piece.index]!;
    const round = f.radius !== undefined ? `, radius ${lengthText(f.radius)}` : "";
    return `${word(f.kind)} face${round}${standsAt(f)}, area ${areaText(f.area ?? 0)}, ${f.name}`;
  }

  /**
   * The distance between two pieces, where it has one meaning: parallel flat faces, parallel axes, centres; with how
   * far that is along each axis.
   */
  distance(a: Piece, b: Piece): string | null {
    const fa = this.of(a),
      fb = this.of(b);
    if (!fa.point || !fb.point || !fa.direction || !fb.direction) return null;
    const gap = [0, 1, 2].map((k) => fb.point![k]! - fa.point![k]!);
    const along = (d: number[]) => gap.reduce((s, g, k) => s + g * d[k]!, 0);
    const square = (d: number[]) => alongAxes(d.map((v) => v * along(d)));
    const parallel =
      Math.abs(Math.abs([0, 1, 2].reduce((s, k) => s + fa.direction![k]! * fb.direction![k]!, 0)) - 1) < 1e-9;
    const flat = (f: FaceFacts | EdgeFacts) => f.kind === "flat";
    if (flat(fa) && flat(fb)) {
      if (parallel) return `${lengthText(Math.abs(along(fa.direction)))} between the faces${square(fa.direction)}`;
      const cosine = Math.abs([0, 1, 2].reduce((s, k) => s + fa.direction![k]! * fb.direction![k]!, 0));
      return `${show((Math.acos(Math.min(1, cosine)) * 180) / Math.PI, 2)}° between the faces`;
    }
    if (flat(fa) !== flat(fb))
      return `${lengthText(Math.abs(along(flat(fa) ? fa.direction : fb.direction)))} from the face to the ${flat(fa) ? axis(fb) : axis(fa)}${square(flat(fa) ? fa.direction : fb.direction)}`;
    if (!parallel) return null;
    const t = along(fa.direction),
      across = gap.map((g, k) => g - t * fa.direction![k]!);
    return `${lengthText(Math.hypot(...across))} between the ${axis(fa)} and the ${axis(fb)}${alongAxes(across)}`;
  }

  private of(piece: Piece): FaceFacts | EdgeFacts {
    return piece.type === "face" ? this.facts.faces[piece.index]! : this.facts.edges[piece.index]!;
  }

  /** Faces that stand on a curve of the drawing, or on one that was made from it. */
  facesOn(curve: string): number[] {
    return this.facts.faces.flatMap((f, i) => (f.curves.includes(curve) ? [i] : []));
  }

  /** Keys of the faces that meet a face along an edge. */
  beside(index: number): string[] {
    const numbers = new Set(this.facts.edges.flatMap((e) => (e.faces.includes(index) ? e.faces : [])));
    numbers.delete(index);
    return [...new Set([...numbers].map((n) => this.facts.faces[n]!.key))].slice(0, 60);
  }
}

function word(kind: string): string {
  return kind.charAt(0).toUpperCase() + kind.slice(1);
}

/** Where a flat face square to an axis, or a round one along it, stands: what tells it from others of its name. */
function standsAt({ kind, point, direction }: FaceFacts): string {
  const axis = direction?.findIndex((v) => Math.abs(v) > 1 - 1e-9) ?? -1;
  if (!point || axis < 0) return "";
  const told = kind === "flat" ? [axis] : [0, 1, 2].filter((k) => k !== axis);
  return ` at ${told.map((k) => `${"xyz"[k]!} ${coordinateText(point[k]!)}`).join(", ")}`;
}

/** How far something reaches along x, y and z. */
export const alongAxes = (by: number[]): string =>
  `; ${by.map((v, k) => `${"xyz"[k]!} ${lengthText(Math.abs(v))}`).join(", ")}`;

function axis(f: { kind: string }): string {
  return f.kind === "straight" ? "edge" : "axis";
}
