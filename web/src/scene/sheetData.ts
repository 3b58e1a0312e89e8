/** The sheet's parcel as something to ask: which curve, which region is here, what does it measure. No three.js. */

import earcut from "earcut";
import Flatbush from "flatbush";

import type { Parcel } from "../api/parcel";
import { lengthText, show } from "./shownUnits";
import { boxesOf } from "./thinLines";

export type Box = [number, number, number, number];
/** By which lines a region is drawn: solid ones, dashed ones as well, or centre lines as well. */
export type Drawn = "solid" | "hidden" | "centre";
export interface RegionFacts {
  id: string;
  drawn: Drawn;
  level: number;
  area: number;
  perimeter: number;
  centroid: [number, number];
  bounds: Box;
  inside: [number, number];
  holes: number;
}
export interface LayerFacts {
  name: string;
  linetype: string;
  colour: string;
  on: boolean;
  curves: number;
  kept: number;
}
export interface CurveSetFacts {
  name: string;
  points: number;
  closed: boolean;
  trailing_edge: string;
  dropped: number;
  chord: number;
  rows: [number, number, number][];
}
export interface FindingFacts {
  key: string;
  kind: string;
  name: string;
  /** The step that remedies it, in words and as it is written; none where only looking helps. */
  remedy: { words: string; operation: string; values: Record<string, unknown> } | null;
  size: number;
  point: [number, number];
  curves: string[];
  sure: boolean;
  words: string;
}
export interface JoiningFacts {
  sizes: number[];
  loops: number[];
  proposed: number;
  reason: string;
  swallows: number | null;
}
export interface SectionFacts {
  area: number;
  perimeter: number;
  cx: number;
  cy: number;
  ix: number;
  iy: number;
  ixy: number;
  i1: number;
  i2: number;
  angle: number;
  rx: number;
  ry: number;
  wx: number;
  wy: number;
  width: number;
  height: number;
}
export interface AsideFacts {
  kind: string;
  words: string;
  why: string;
  curves: number;
}
export interface PictureFacts {
  name: string;
  matrix: [number[], number[]];
  pixels: [number, number];
}
export interface LinetypeFacts {
  name: string;
  pattern: number[];
  guide: boolean;
  hidden: boolean;
}
/** What curves can be told apart by. */
export type Respect = "layer" | "kind" | "linetype" | "colour" | "block";
export interface SourceFacts {
  name: string;
  format: string;
  version: string;
  unit: string;
  declared: string | null;
  proposed: string;
  sure: boolean;
  /** Whether somebody has said the unit. */
  chosen: boolean;
  /** The step that read it, and what can be changed about how. */
  step: number;
  options: ReadOption[];
  sets: CurveSetFacts[];
  facts: { text: string; rests_on: string; agrees: boolean }[];
}
/**
 * One option of reading a file. `words`: its choices as people say them; `needs`: another option, and the value it must
 * have, "" for any.
 */
export interface ReadOption {
  field: string;
  label: string;
  editor: "choice" | "switch" | "number" | "colour" | "part";
  words: Record<string, string>;
  empty: string;
  usual: unknown;
  needs: [string, string] | null;
}
/** A step that is offered, with its values; `on_curves`: on the curves of what it is offered for. */
export interface Offer {
  words: string;
  operation: string;
  values: Record<string, unknown>;
  on_curves: boolean;
}
export interface ViewFacts {
  name: string;
  offers: Offer[];
  box: Box;
  operation: number;
  origin: number[];
  x: number[];
  y: number[];
}
export interface AgreementFacts {
  pair: [string, string];
  axis: string;
  matched: number;
  unmatched: number;
  worst: number;
  off: number;
  holds: boolean;
  alone: string[];
}
export interface ContradictionFacts {
  text: string;
  stated: number;
  drawn: number;
  at: [number, number] | null;
}
export interface SheetFacts {
  origin: [number, number];
  extents: Box;
  ids: string[];
  layers: LayerFacts[];
  linetypes: LinetypeFacts[];
  colours: string[];
  blocks: string[];
  asides: AsideFacts[];
  /** What the drawing is taken for, and why. */
  character: string;
  /** Whether words on the sheet state a thickness. */
  states_thickness: boolean;
  pictures: PictureFacts[];
  sections: Record<string, SectionFacts>;
  findings: FindingFacts[];
  offered: FindingFacts[];
  finding_count: number;
  certain_count: number;
  /** The step that mends all that is certain; `distance` names its value for the joining distance. */
  mend_certain: { operation: string; values: Record<string, unknown>; distance: string } | null;
  joining: JoiningFacts;
  texts: { text: string; at: [number, number]; height: number; angle: number }[];
  entities: Record<string, number>;
  skipped: Record<string, number>;
  sources: SourceFacts[];
  views: ViewFacts[];
  /** Planes that hold linework which is no view: on faces, and free ones. */
  planes: ViewFacts[];
  agreements: AgreementFacts[];
  misfits: string[];
  contradictions: ContradictionFacts[];
  tolerance: number;
  regions: RegionFacts[];
  /** What solid lines alone do not close: with dashed lines, or parted by centre lines. */
  otherwise: RegionFacts[];
  open_ends: [number, number][];
  open_count: number;
  doubles: number;
  pinches: [number, number][];
}

/** What the regions' parcel holds, while it is still on its way. */
const NOTHING_FOUND = {
  views: [],
  planes: [],
  agreements: [],
  misfits: [],
  regions: [],
  otherwise: [],
  open_ends: [],
  open_count: 0,
  doubles: 0,
  pinches: [],
  asides: [],
  character: "",
  states_thickness: false,
  tolerance: 0,
  sections: {},
  findings: [],
  offered: [],
  finding_count: 0,
  certain_count: 0,
  mend_certain: null,
  joining: { sizes: [], loops: [0], proposed: 0, reason: "", swallows: null },
};
const NO_ARRAYS = {
  ring_points: new Float32Array(0),
  ring_ends: new Uint32Array(1),
  ring_counts: new Uint32Array(0),
  region_curves: new Uint32Array(0),
  region_curve_ends: new Uint32Array(1),
};

type Part = Parcel<Partial<SheetFacts>>;

/**
 * The sheet of the parcel of lines, of what was found in them, and of the planes that they lie in, once those are
 * there.
 */
export function sheetOf(lines: Part, found: Part | null = null, placed: Part | null = null): SheetData {
  return new SheetData({
    facts: { ...NOTHING_FOUND, ...lines.facts, ...found?.facts, ...placed?.facts } as SheetFacts,
    arrays: { ...NO_ARRAYS, ...lines.arrays, ...found?.arrays, ...placed?.arrays },
  });
}

export const GUIDE = 1,
  HIDDEN = 2,
  LEFT_OUT = 3;
const KINDS = ["Line", "Arc", "Elliptic arc", "Spline"];

export class SheetData {
  readonly facts: SheetFacts;
  private boxes: Float32Array | null = null;
  readonly points: Float32Array;
  readonly offsets: Uint32Array;
  readonly state: Uint8Array;
  readonly view: Uint8Array;
  readonly rowOf: Map<string, number>;
  /** The regions, and behind them those that are closed otherwise: what numbers of regions count. */
  readonly closed: RegionFacts[];
  readonly regionOf: Map<string, number>;
  readonly ringPoints: Float32Array;
  private readonly arrays: Parcel<SheetFacts>["arrays"];
  private readonly ringStart: number[] = [0];
  private curveIndex: Flatbush | null = null;
  private regionIndex: Flatbush | null = null;

  constructor(parcel: Parcel<SheetFacts>) {
    this.facts = parcel.facts;
    this.arrays = parcel.arrays;
    this.points = parcel.arrays["points"] as Float32Array;
    this.offsets = parcel.arrays["offsets"] as Uint32Array;
    this.state = parcel.arrays["state"] as Uint8Array;
    this.view = (parcel.arrays["view"] as Uint8Array | undefined) ?? new Uint8Array(this.state.length);
    this.ringPoints = parcel.arrays["ring_points"] as Float32Array;
    this.rowOf = new Map(this.facts.ids.map((id, row) => [id, row]));
    this.closed = [...this.facts.regions, ...this.facts.otherwise];
    this.regionOf = new Map(this.closed.map((r, n) => [r.id, n]));
    for (const n of parcel.arrays["ring_counts"] as Uint32Array) this.ringStart.push(this.ringStart.at(-1)! + n);
  }

  /** Newer lines with the regions that were found in these, for as long as it takes to look into the newer ones. */
  withLines(lines: Parcel<Partial<SheetFacts>>): SheetData {
    const same = lines.facts.origin?.every((v, k) => v === this.facts.origin[k]);
    const { ring_points, ring_ends, ring_counts } = this.arrays;
    if (!same || !ring_points || !ring_ends || !ring_counts) return sheetOf(lines);
    const curve_ends = new Uint32Array(this.closed.length + 1);
    return new SheetData({
      facts: { ...this.facts, ...lines.facts },
      arrays: {
        ...lines.arrays,
        ring_points,
        ring_ends,
        ring_counts,
        region_curves: new Uint32Array(0),
        region_curve_ends: curve_ends,
      },
    });
  }

  /** The same lines and findings on other planes: what was worked out of the lines stays. */
  placedAs(placed: Part): SheetData {
    const other = Object.assign(Object.create(SheetData.prototype) as SheetData, this);
    return Object.assign(other, {
      facts: { ...this.facts, ...placed.facts },
      view: placed.arrays["view"] as Uint8Array,
    });
  }

  get curves(): number {
    return this.state.length;
  }

  /** What some curves span, relative to the origin of the sheet. */
  boxOf(rows: number[]): Box {
    const box: Box = [Infinity, Infinity, -Infinity, -Infinity];
    for (const row of rows)
      for (let k = 2 * this.offsets[row]!; k < 2 * this.offsets[row + 1]!; k += 2) {
        const [x, y] = [this.points[k]!, this.points[k + 1]!];
        box[0] = Math.min(box[0], x);
        box[1] = Math.min(box[1], y);
        box[2] = Math.max(box[2], x);
        box[3] = Math.max(box[3], y);
      }
    return box;
  }

  /** Extents relative to the origin of the sheet. */
  get box(): Box {
    const [x0, y0, x1, y1] = this.facts.extents,
      [ox, oy] = this.facts.origin;
    return [x0 - ox, y0 - oy, x1 - ox, y1 - oy];
  }

  /** Where each file lies, by the extents of its curves that are not left out; nothing where there is one file. */
  get sourceBoxes(): { name: string; box: Box }[] {
    if (this.facts.sources.length < 2) return [];
    return this.facts.sources.flatMap(({ name, step }) => {
      const own = `s${step}:`,
        rows = this.facts.ids.flatMap((id, row) => (id.startsWith(own) && this.state[row] !== LEFT_OUT ? [row] : []));
      return rows.length ? [{ name, box: this.boxOf(rows) }] : [];
    });
  }

  /** The regions of a plane that linework was laid in. */
  regionsInPlane(plane: ViewFacts): number[] {
    const number = this.facts.views.length + this.facts.planes.indexOf(plane) + 1;
    return this.facts.regions.flatMap((_, n) => {
      const row = this.curvesOfRegion(n)[0];
      return row !== undefined && this.view[row] === number ? [n] : [];
    });
  }

  /** Left, low, right, high of each curve. */
  get curveBoxes(): Float32Array {
    return (this.boxes ??= boxesOf(this.points, this.offsets, this.curves));
  }

  /** How far a curve reaches, the longer way (mm). */
  reach(row: number): number {
    const boxes = this.curveBoxes;
    return Math.max(boxes[4 * row + 2]! - boxes[4 * row]!, boxes[4 * row + 3]! - boxes[4 * row + 1]!);
  }

  /** The same of what is not left out; of all where nothing is kept. */
  get keptBox(): Box {
    const kept: number[] = [];
    for (let row = 0; row < this.curves; row++) if (this.state[row] !== LEFT_OUT) kept.push(row);
    return kept.length && kept.length < this.curves ? this.boxOf(kept) : this.box;
  }

  /**
   * The regions that lie in a box, or (touching) reach into it. Of one inside another the outer alone is taken, as its
   * holes stay holes.
   */
  regionsIn(box: Box, touching: boolean): number[] {
    const [ox, oy] = this.facts.origin,
      { regions } = this.facts;
    const found = regions.flatMap(({ bounds: b }, n) => {
      const at: Box = [b[0] - ox, b[1] - oy, b[2] - ox, b[3] - oy],
        within = at[0] >= box[0] && at[1] >= box[1] && at[2] <= box[2] && at[3] <= box[3],
        meets = at[2] >= box[0] && at[0] <= box[2] && at[3] >= box[1] && at[1] <= box[3];
      return within || (touching && meets) ? [n] : [];
    });
    const inside = (inner: Box, outer: Box) =>
      inner[0] >= outer[0] && inner[1] >= outer[1] && inner[2] <= outer[2] && inner[3] <= outer[3];
    return found.filter((n) => {
      const around = found.filter(
        (m) => regions[m]!.level < regions[n]!.level && inside(regions[n]!.bounds, regions[m]!.bounds),
      );
      return around.length % 2 === 0;
    });
  }

  private index(): Flatbush | null {
    if (!this.curves) return null;
    if (!this.curveIndex) {
      this.curveIndex = new Flatbush(this.curves);
      for (let row = 0; row < this.curves; row++) this.curveIndex.add(...this.curveBox(row));
      this.curveIndex.finish();
    }
    return this.curveIndex;
  }

  curveBox(row: number): Box {
    let x0 = Infinity,
      y0 = Infinity,
      x1 = -Infinity,
      y1 = -Infinity;
    for (let i = this.offsets[row]!; i < this.offsets[row + 1]!; i++) {
      const x = this.points[2 * i]!,
        y = this.points[2 * i + 1]!;
      x0 = Math.min(x0, x);
      x1 = Math.max(x1, x);
      y0 = Math.min(y0, y);
      y1 = Math.max(y1, y);
    }
    return [x0, y0, x1, y1];
  }

  /** The curve nearest to a point within `reach`, or -1. With `leftOut` those too, behind kept ones. */
  curveAt(x: number, y: number, reach: number, leftOut = false): number {
    let best = -1,
      nearest = reach;
    for (const row of this.index()?.search(x - reach, y - reach, x + reach, y + reach) ?? []) {
      if (this.state[row] === LEFT_OUT && !leftOut) continue;
      const d = this.distance(row, x, y) + (this.state[row] === LEFT_OUT ? reach * 0.5 : 0);
      if (d < nearest) {
        nearest = d;
        best = row;
      }
    }
    return best;
  }

  distance(row: number, x: number, y: number): number {
    let best = Infinity;
    for (let i = this.offsets[row]!; i + 1 < this.offsets[row + 1]!; i++) {
      const ax = this.points[2 * i]!,
        ay = this.points[2 * i + 1]!,
        dx = this.points[2 * i + 2]! - ax,
        dy = this.points[2 * i + 3]! - ay;
      const t = Math.max(0, Math.min(1, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1)));
      best = Math.min(best, Math.hypot(x - ax - t * dx, y - ay - t * dy));
    }
    return best;
  }

  /** Curves in a box: wholly inside, or (touching) with any part of theirs inside. */
  curvesIn(box: Box, touching: boolean): number[] {
    return (this.index()?.search(...box) ?? []).filter((row) => {
      const b = this.curveBox(row);
      if (b[0] >= box[0] && b[1] >= box[1] && b[2] <= box[2] && b[3] <= box[3]) return true;
      return touching && this.touches(row, box);
    });
  }

  private touches(row: number, [x0, y0, x1, y1]: Box): boolean {
    for (let i = this.offsets[row]!; i + 1 < this.offsets[row + 1]!; i++) {
      const ax = this.points[2 * i]!,
        ay = this.points[2 * i + 1]!,
        dx = this.points[2 * i + 2]! - ax,
        dy = this.points[2 * i + 3]! - ay;
      let t0 = 0,
        t1 = 1;
      for (const [p, q] of [
        [-dx, ax - x0],
        [dx, x1 - ax],
        [-dy, ay - y0],
        [dy, y1 - ay],
      ] as const) {
        if (p === 0 && q < 0) t1 = -1;
        else if (p < 0) t0 = Math.max(t0, q / p);
        else if (p > 0) t1 = Math.min(t1, q / p);
      }
      if (t0 <= t1) return true;
    }
    return false;
  }

  /**
   * The smallest closed region that holds a point, or -1. One that is hardly larger than `reach` is meant when it is
   * that near: a small hole can be hit when all of the sheet is in sight. What solid lines do not close is meant where
   * the lines that close it are asked for, and where nothing else holds the point.
   */
  regionAt(x: number, y: number, reach = 0, drawn: Drawn = "solid"): number {
    const [ox, oy] = this.facts.origin,
      regions = this.closed;
    if (!regions.length) return -1;
    if (!this.regionIndex) {
      this.regionIndex = new Flatbush(regions.length);
      for (const { bounds: b } of regions) this.regionIndex.add(b[0] - ox, b[1] - oy, b[2] - ox, b[3] - oy);
      this.regionIndex.finish();
    }
    let best = -1,
      nearest = reach;
    for (const n of reach > 0 ? this.regionIndex.search(x - reach, y - reach, x + reach, y + reach) : []) {
      const [x0, y0, x1, y1] = regions[n]!.bounds,
        away = Math.hypot((x0 + x1) / 2 - ox - x, (y0 + y1) / 2 - oy - y);
      if (regions[n]!.drawn !== "solid" && regions[n]!.drawn !== drawn) continue;
      if (Math.max(x1 - x0, y1 - y0) < 1.6 * reach && away < nearest) {
        nearest = away;
        best = n;
      }
    }
    if (best >= 0) return best;
    let other = -1;
    for (const n of this.regionIndex.search(x, y, x, y).filter((n) => this.holds(n, x, y))) {
      const asked = regions[n]!.drawn === "solid" || regions[n]!.drawn === drawn;
      if (asked && (best < 0 || regions[n]!.area < regions[best]!.area)) best = n;
      if (!asked && (other < 0 || regions[n]!.area < regions[other]!.area)) other = n;
    }
    return best < 0 ? other : best;
  }

  private holds(region: number, x: number, y: number): boolean {
    const p = this.ringPoints;
    let inside = false;
    for (const [from, to] of this.rings(region)) {
      for (let i = from, j = to - 1; i < to; j = i++) {
        const yi = p[2 * i + 1]!,
          yj = p[2 * j + 1]!;
        if (yi > y !== yj > y && x < ((p[2 * j]! - p[2 * i]!) * (y - yi)) / (yj - yi) + p[2 * i]!) inside = !inside;
      }
    }
    return inside;
  }

  /** Where the rings of a region begin and end among the ring points: the outer one first. */
  rings(region: number): [number, number][] {
    const ends = this.arrays["ring_ends"] as Uint32Array;
    const out: [number, number][] = [];
    for (let ring = this.ringStart[region]!; ring < this.ringStart[region + 1]!; ring++)
      out.push([ends[ring]!, ends[ring + 1]!]);
    return out;
  }

  /** Triangles (pairs of coordinates, three a triangle) that fill a region. */
  fill(region: number): Float32Array {
    const flat: number[] = [],
      holes: number[] = [];
    this.rings(region).forEach(([from, to], n) => {
      if (n) holes.push(flat.length / 2);
      for (let i = from; i < to; i++) flat.push(this.ringPoints[2 * i]!, this.ringPoints[2 * i + 1]!);
    });
    const index = earcut(flat, holes);
    const out = new Float32Array(index.length * 2);
    index.forEach((v, i) => {
      out[2 * i] = flat[2 * v]!;
      out[2 * i + 1] = flat[2 * v + 1]!;
    });
    return out;
  }

  /** What a curve measures, in words. */
  describe(row: number): string {
    const kind = this.arrays["kind"]![row]!,
      length = this.arrays["length"]![row]!,
      radius = this.arrays["radius"]![row]!,
      sweep = Math.abs(this.arrays["sweep"]![row]!);
    const layer = `layer ${this.facts.layers[this.arrays["layer"]![row]!]?.name ?? ""}`;
    if (kind === 1 && sweep > 359.999)
      return `Circle, radius ${lengthText(radius)}, diameter ${lengthText(2 * radius)}, ${layer}`;
    if (kind === 1)
      return `Arc, radius ${lengthText(radius)}, ${show(sweep, 2)}°, length ${lengthText(length)}, ${layer}`;
    if (kind === 0) {
      const e = this.arrays["ends"]!;
      const angle = (Math.atan2(e[4 * row + 3]! - e[4 * row + 1]!, e[4 * row + 2]! - e[4 * row]!) * 180) / Math.PI;
      return `Line, length ${lengthText(length)}, ${show(((angle % 180) + 180) % 180, 2)}°, ${layer}`;
    }
    return `${KINDS[kind] ?? "Curve"}, length ${lengthText(length)}, ${layer}`;
  }

  /** Curves with their box within `reach` of a place, none of them left out. */
  keptNear(x: number, y: number, reach: number): number[] {
    return (this.index()?.search(x - reach, y - reach, x + reach, y + reach) ?? []).filter(
      (row) => this.state[row] !== LEFT_OUT,
    );
  }

  endsOf(row: number): [[number, number], [number, number]] {
    const e = this.arrays["ends"]!;
    return [
      [e[4 * row]!, e[4 * row + 1]!],
      [e[4 * row + 2]!, e[4 * row + 3]!],
    ];
  }

  /** The curve as it is drawn: pairs of coordinates. */
  polyline(row: number): Float32Array {
    return this.points.subarray(2 * this.offsets[row]!, 2 * this.offsets[row + 1]!);
  }

  /** Halfway along, where the drawn pieces have it: for lines, and for curves with a point in the middle. */
  middleOf(row: number): [number, number] | null {
    const p = this.polyline(row),
      count = p.length / 2;
    if (count % 2) return [p[count - 1]!, p[count]!];
    return count === 2 ? [(p[0]! + p[2]!) / 2, (p[1]! + p[3]!) / 2] : null;
  }

  /** Centre and radius of an arc or circle; an ellipse has radius 0 here; null for other curves. */
  circleOf(row: number): { centre: [number, number]; radius: number } | null {
    const c = this.arrays["centre"]!;
    return Number.isNaN(c[2 * row]!)
      ? null
      : { centre: [c[2 * row]!, c[2 * row + 1]!], radius: this.arrays["radius"]![row]! };
  }

  private centreIndex: Flatbush | null = null;
  private centreRows: number[] = [];

  /** Arcs and ellipses whose centre is within `reach` of a place. */
  centresNear(x: number, y: number, reach: number): number[] {
    const centre = this.arrays["centre"]!;
    if (!this.centreIndex) {
      this.centreRows = [...Array(this.curves).keys()].filter((row) => !Number.isNaN(centre[2 * row]!));
      if (!this.centreRows.length) return [];
      this.centreIndex = new Flatbush(this.centreRows.length);
      for (const row of this.centreRows)
        this.centreIndex.add(centre[2 * row]!, centre[2 * row + 1]!, centre[2 * row]!, centre[2 * row + 1]!);
      this.centreIndex.finish();
    }
    return this.centreIndex.search(x - reach, y - reach, x + reach, y + reach).map((n) => this.centreRows[n]!);
  }

  /** Curves that lie wholly inside a closed line drawn by hand. */
  curvesInside(path: [number, number][]): number[] {
    const xs = path.map((p) => p[0]),
      ys = path.map((p) => p[1]);
    return this.curvesIn([Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)], false).filter((row) => {
      for (let i = this.offsets[row]!; i < this.offsets[row + 1]!; i++) {
        if (!inside(path, this.points[2 * i]!, this.points[2 * i + 1]!)) return false;
      }
      return true;
    });
  }

  /**
   * Everything like these curves: the same kind, layer, line type, colour and block; circles and arcs of the same
   * radius.
   */
  like(rows: number[]): number[] {
    const key = (row: number) =>
      [
        this.arrays["kind"]![row],
        this.arrays["layer"]![row],
        this.arrays["linetype"]![row],
        this.arrays["colour"]![row],
        this.arrays["block"]![row],
        this.arrays["radius"]![row]!.toPrecision(6),
        this.kindName(row),
      ].join();
    const wanted = new Set(rows.map(key));
    return [...Array(this.curves).keys()].filter((row) => this.state[row] !== LEFT_OUT && wanted.has(key(row)));
  }

  /** The curves of the group of linework that a curve belongs to on the sheet; itself where it belongs to none. */
  groupOf(row: number): number[] {
    const group = this.arrays["group"],
      mine = group?.[row];
    return group && mine ? [...Array(this.curves).keys()].filter((r) => group[r] === mine) : [row];
  }

  /** Ids of the curves of a view, by its number from 1. */
  ofView(number: number): string[] {
    return this.facts.ids.filter((_, row) => this.view[row] === number);
  }

  /** The curves that came with the same placement of a block, at the outermost. */
  ofSameInsert(row: number): number[] {
    const id = this.facts.ids[row]!,
      at = id.indexOf("/");
    if (at < 0) return [row];
    const prefix = id.slice(0, at + 1);
    return [...Array(this.curves).keys()].filter((r) => this.facts.ids[r]!.startsWith(prefix));
  }

  kindName(row: number): string {
    const kind = this.arrays["kind"]![row]!;
    return kind === 1
      ? Math.abs(this.arrays["sweep"]![row]!) > 359.999
        ? "circle"
        : "arc"
      : ["line", "arc", "ellipse", "spline"][kind]!;
  }

  /** Rows of the curves that go by a name in one respect. */
  named(by: Respect, name: string): number[] {
    const of = this.namer(by);
    return [...Array(this.curves).keys()].filter((row) => of(row) === name);
  }

  private namer(by: Respect): (row: number) => string {
    if (by === "kind") return (row) => this.kindName(row);
    const column = this.arrays[by]!;
    if (by === "block") return (row) => this.facts.blocks[column[row]! - 1] ?? "";
    const names = {
      layer: this.facts.layers.map((l) => l.name),
      linetype: this.facts.linetypes.map((l) => l.name),
      colour: this.facts.colours,
    }[by];
    return (row) => names[column[row]!] ?? "";
  }

  /** Names that curves go by in one respect, with how many there are and how many of them are kept. */
  legend(by: Respect): { name: string; curves: number; kept: number }[] {
    const of = this.namer(by);
    const out = new Map<string, { name: string; curves: number; kept: number }>();
    for (let row = 0; row < this.curves; row++) {
      const name = of(row);
      if (!name) continue;
      const entry = out.get(name) ?? { name, curves: 0, kept: 0 };
      entry.curves++;
      if (this.state[row] !== LEFT_OUT) entry.kept++;
      out.set(name, entry);
    }
    return [...out.values()].sort((a, b) => b.curves - a.curves);
  }

  /** Rows of what one proposal would leave out; number from 1. */
  aside(number: number): number[] {
    const column = this.arrays["aside"];
    return column ? [...Array(this.curves).keys()].filter((row) => column[row] === number) : [];
  }

  picture(n: number): Uint8Array | null {
    return (this.arrays[`picture${n}`] as Uint8Array | undefined) ?? null;
  }

  lengthOf(rows: Iterable<number>): number {
    let sum = 0;
    for (const row of rows) sum += this.arrays["length"]![row]!;
    return sum;
  }

  /** Ids of the curves along the outer boundary of a region, each once. */
  boundaryOf(id: string): string[] {
    const region = this.regionOf.get(id);
    return region === undefined ? [] : [...new Set(this.curvesOfRegion(region))].map((row) => this.facts.ids[row]!);
  }

  curvesOfRegion(region: number): number[] {
    const ends = this.arrays["region_curve_ends"]!;
    return [...this.arrays["region_curves"]!.slice(ends[region], ends[region + 1])];
  }
}

function inside(path: [number, number][], x: number, y: number): boolean {
  let odd = false;
  for (let i = 0, j = path.length - 1; i < path.length; j = i++) {
    const [xi, yi] = path[i]!,
      [xj, yj] = path[j]!;
    if (yi > y !== yj > y && x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) odd = !odd;
  }
  return odd;
}
