/** The part: clay with ink edges. Plain three.js; parallel projection; draws on demand only. */

import {
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  Color,
  DirectionalLight,
  DoubleSide,
  LineSegments,
  LineBasicMaterial,
  Mesh,
  MeshBasicMaterial,
  MeshLambertMaterial,
  FrontSide,
  BackSide,
  OrthographicCamera,
  Plane as CuttingPlane,
  Raycaster,
  Scene,
  ShapeUtils,
  Vector2,
  Vector3,
  WebGLRenderer,
} from "three";
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
import { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "three/examples/jsm/lines/LineSegmentsGeometry.js";

import { bodyTint } from "./bodyTints";
import { readInk } from "./ink";
import type { PartData, Piece } from "./partData";
import { type FaceHit, PartIndex } from "./partPicking";
import { sectionOf, type SectionPlane } from "./sectionPlane";
import { GUIDE, LEFT_OUT, type SheetData } from "./sheetData";
import { isResting } from "./resting";

export interface PartEvents {
  moved(piece: Piece | null): void;
  pressed(piece: Piece | null, add: boolean, at: number[]): void;
  looked(): void;
}

/**
 * A piece of a blank: its rings, or a line engraved on it, where a point (x, y, height) of it lies, and whether its
 * edges are left undrawn.
 */
export interface FoldedPiece {
  rings: [number, number][][];
  line?: [number, number][];
  fold(p: [number, number, number]): number[];
  plain?: boolean;
}

/** How far over the sheet what is engraved is drawn (mm). */
const LIFTED = 0.02;
/** Directions towards the viewer, and which way is up. */
type Triple = [number, number, number];
const LOOKS = {
  front: { back: [0, -1, 0], up: [0, 0, 1] },
  rear: { back: [0, 1, 0], up: [0, 0, 1] },
  right: { back: [1, 0, 0], up: [0, 0, 1] },
  left: { back: [-1, 0, 0], up: [0, 0, 1] },
  top: { back: [0, 0, 1], up: [0, 1, 0] },
  bottom: { back: [0, 0, -1], up: [0, -1, 0] },
  "upper right": { back: [0.72, -1, 0.66], up: [0, 0, 1] },
  "upper left": { back: [-0.72, -1, 0.66], up: [0, 0, 1] },
  "lower right": { back: [0.72, -1, -0.66], up: [0, 0, 1] },
  "lower left": { back: [-0.72, -1, -0.66], up: [0, 0, 1] },
} satisfies Record<string, { back: Triple; up: Triple }>;
export type Direction = keyof typeof LOOKS;
const DIRECTIONS: Record<Direction, { back: Triple; up: Triple }> = LOOKS;

const EDGE_REACH = 5,
  EDGE_SLACK = 4,
  FOLD_MS = 190;
interface Plane {
  origin: number[];
  x: number[];
  y: number[];
}

/** The sheet lying flat, where the first view's own origin stays in its place. */
function flatUnder(first: Plane): Plane {
  const along = (v: number[]) => [0, 1, 2].reduce((s, k) => s + first.origin[k]! * v[k]!, 0);
  return { origin: [along(first.x), along(first.y), 0], x: [1, 0, 0], y: [0, 1, 0] };
}

function between(a: Plane, b: Plane, t: number): Plane {
  const mix = (p: number[], q: number[]) => p.map((v, k) => v + (q[k]! - v) * t);
  return { origin: mix(a.origin, b.origin), x: mix(a.x, b.x), y: mix(a.y, b.y) };
}

/** Flat, with lines at 45° on the screen: how what is cut is drawn. Only what faces away is drawn with it. */
function hatchedMaterial(): MeshBasicMaterial {
  const material = new MeshBasicMaterial({ side: BackSide, polygonOffset: true, polygonOffsetFactor: 1 });
  material.onBeforeCompile = (shader) => {
    shader.fragmentShader = shader.fragmentShader.replace(
      "#include <color_fragment>",
      `#include <color_fragment>
      float along = mod(gl_FragCoord.x + gl_FragCoord.y, 10.0);
      diffuseColor.rgb *= 1.0 - 0.45 * (1.0 - smoothstep(0.6, 1.6, min(along, 10.0 - along)));`,
    );
  };
  return material;
}

/** So many straight pieces of the linework are drawn beside the part; of more, the largest curves. */
const MOST_LINEWORK = 40_000;

/** How far a curve must reach (mm) for those that do to have no more than `most` straight pieces; 0 where all have. */
function leastShown(sheet: SheetData, most: number): number {
  if (sheet.points.length / 2 - sheet.curves <= most) return 0;
  const rows = Array.from({ length: sheet.curves }, (_, row) => row)
    .filter((row) => sheet.state[row] !== LEFT_OUT && sheet.state[row] !== GUIDE)
    .sort((a, b) => sheet.reach(b) - sheet.reach(a));
  let pieces = 0;
  for (const row of rows) {
    pieces += sheet.offsets[row + 1]! - sheet.offsets[row]! - 1;
    if (pieces > most) return sheet.reach(row) * (1 + 1e-6);
  }
  return 0;
}

export class PartScene {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new OrthographicCamera(-1, 1, 1, -1, -1e6, 1e6);
  private readonly light = new DirectionalLight(0xffffff, 2.1);
  private readonly clay = new Mesh(
    new BufferGeometry(),
    new MeshLambertMaterial({ side: DoubleSide, polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 }),
  );
  private readonly edges = new LineSegments2(new LineSegmentsGeometry(), new LineMaterial({ linewidth: 1.3 }));
  /** What a section plane cuts: the insides that it lays open, hatched. */
  private readonly inside = new Mesh(new BufferGeometry(), hatchedMaterial());
  private readonly cutLine = new LineSegments2(new LineSegmentsGeometry(), new LineMaterial({ linewidth: 2.2 }));
  /** A blank, flat or folded, in place of the part. */
  private readonly pieces = new Mesh(new BufferGeometry(), new MeshLambertMaterial({ side: DoubleSide }));
  private readonly pieceLines = new LineSegments(
    new BufferGeometry(),
    new LineBasicMaterial({ transparent: true, opacity: 0.35 }),
  );
  private readonly plane = new CuttingPlane();
  private cut: SectionPlane | null = null;
  private readonly glow = new Mesh(
    new BufferGeometry(),
    new MeshBasicMaterial({
      transparent: true,
      opacity: 0.42,
      side: DoubleSide,
      depthTest: true,
      polygonOffset: true,
      polygonOffsetFactor: 0,
    }),
  );
  private readonly chosen = new Mesh(
    new BufferGeometry(),
    new MeshBasicMaterial({ transparent: true, opacity: 0.42, side: DoubleSide, depthTest: true }),
  );
  private readonly litEdges = new LineSegments2(
    new LineSegmentsGeometry(),
    new LineMaterial({ linewidth: 3.4, depthTest: false }),
  );
  private readonly linework = new LineSegments(
    new BufferGeometry(),
    new LineBasicMaterial({ transparent: true, opacity: 0.75 }),
  );
  private readonly caster = new Raycaster();
  private readonly off: (() => void)[] = [];
  private readonly watcher: ResizeObserver;
  private data: PartData | null = null;
  /** Made when something is first pointed at. */
  private index: PartIndex | null = null;
  private sheet: SheetData | null = null;
  private frame = 0;
  private target = new Vector3();
  private back = new Vector3(...DIRECTIONS["upper right"].back).normalize();
  private up = new Vector3(0, 0, 1);
  private scale = 1;
  private fitted = "";
  /** Whether of the linework only the largest curves are drawn. */
  thinned = false;
  /** Whether the hand has moved or zoomed it since it last was fitted. */
  private byEye = false;
  /** The views last shown, by name and operation; null before any sheet was. */
  private views: string | null = null;
  /** How far the views are folded up out of the sheet: 0 flat, 1 standing. */
  private folded = 1;
  private hidden = new Set<string>();
  showLinework = true;
  direction: Direction | null = "upper right";

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly events: PartEvents,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true, alpha: true, powerPreference: "low-power" });
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
    this.scene.add(
      new AmbientLight(0xffffff, 1.45),
      this.light,
      this.clay,
      this.inside,
      this.cutLine,
      this.pieces,
      this.pieceLines,
      this.edges,
      this.chosen,
      this.glow,
      this.litEdges,
      this.linework,
    );
    for (const o of this.all) o.frustumCulled = false;
    this.pieces.visible =
      this.pieceLines.visible =
      this.inside.visible =
      this.cutLine.visible =
      this.glow.visible =
      this.chosen.visible =
      this.litEdges.visible =
      this.edges.visible =
      this.linework.visible =
        false;
    this.ink();
    this.watcher = new ResizeObserver(() => {
      this.resize();
    });
    this.watcher.observe(canvas.parentElement!);
    this.connect();
    this.resize();
  }

  private ink(): void {
    const ink = readInk();
    if (!this.clay.material.vertexColors) this.clay.material.color.copy(ink.clay);
    this.edges.material.color.copy(ink.ink);
    this.glow.material.color.copy(ink.verdigris);
    this.chosen.material.color.copy(ink.brick);
    this.litEdges.material.color.copy(ink.verdigris);
    this.linework.material.color.copy(ink.ochre);
    this.inside.material.color.copy(ink.paper).lerp(ink.clay, 0.5);
    this.cutLine.material.color.copy(ink.brick);
  }

  /**
   * Show pieces of sheet folded by a share in place of the part: each a prism of its rings, mapped by `fold`; the part
   * itself without any.
   */
  showPieces(pieces: FoldedPiece[] | null, thick = 0): void {
    const data = this.data;
    this.pieces.visible = this.pieceLines.visible = pieces !== null && data !== null;
    this.edges.visible = pieces === null;
    this.clay.visible = pieces === null && (data?.triangles.length ?? 0) > 0;
    this.ask();
    if (!pieces || !data) return;
    const flat: number[] = [],
      lines: number[] = [],
      o = data.facts.origin;
    for (const { rings, line, fold, plain } of pieces) {
      const put = ([x, y]: [number, number], w: number) => fold([x, y, w]).map((v, k) => v - o[k]!);
      line?.slice(1).forEach((p, n) => lines.push(...put(line[n]!, LIFTED), ...put(p, LIFTED)));
      if (!rings.length) continue;
      const corners = rings.flat(),
        outer = rings[0]!.map(([x, y]) => new Vector2(x, y)),
        holes = rings.slice(1).map((r) => r.map(([x, y]) => new Vector2(x, y)));
      for (const [a, b, c] of ShapeUtils.triangulateShape(outer, holes) as [number, number, number][]) {
        const three = [corners[a]!, corners[b]!, corners[c]!] as const;
        flat.push(...three.flatMap((p) => put(p, 0)), ...three.toReversed().flatMap((p) => put(p, -thick)));
      }
      for (const ring of rings)
        ring.forEach((p, n) => {
          const q = ring[(n + 1) % ring.length]!;
          const [a, b, c, d] = [put(p, 0), put(q, 0), put(q, -thick), put(p, -thick)];
          flat.push(...a, ...d, ...c, ...a, ...c, ...b);
          if (!plain) lines.push(...a, ...b, ...d, ...c);
        });
    }
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", new BufferAttribute(new Float32Array(flat), 3));
    geometry.computeVertexNormals();
    this.pieces.geometry.dispose();
    this.pieces.geometry = geometry;
    this.pieces.material.color.copy(readInk().clay);
    this.pieceLines.geometry.dispose();
    this.pieceLines.geometry = new BufferGeometry();
    this.pieceLines.geometry.setAttribute("position", new BufferAttribute(new Float32Array(lines), 3));
    this.pieceLines.material.color.copy(readInk().ink);
    if (!this.byEye) this.fit();
  }

  private get all() {
    const { clay, inside, cutLine, edges, chosen, glow, litEdges, linework, pieces, pieceLines } = this;
    return [clay, inside, cutLine, edges, chosen, glow, litEdges, linework, pieces, pieceLines];
  }

  redraw(): void {
    this.ink();
    this.ask();
  }

  private on<K extends keyof HTMLElementEventMap>(
    name: K,
    act: (e: HTMLElementEventMap[K]) => void,
    options?: AddEventListenerOptions,
  ): void {
    this.canvas.addEventListener(name, act, options);
    this.off.push(() => {
      this.canvas.removeEventListener(name, act, options);
    });
  }

  private connect(): void {
    let drag: { x: number; y: number; pan: boolean; moved: boolean } | null = null;
    this.on("contextmenu", (e) => {
      e.preventDefault();
    });
    this.on("pointerdown", (e) => {
      this.canvas.setPointerCapture(e.pointerId);
      drag = { x: e.offsetX, y: e.offsetY, pan: e.button !== 0 || e.altKey, moved: false };
    });
    this.on("pointermove", (e) => {
      if (!drag) {
        if (!isResting()) this.events.moved(this.pieceAt(e.offsetX, e.offsetY));
        return;
      }
      if (Math.hypot(e.offsetX - drag.x, e.offsetY - drag.y) > 3) drag.moved = true;
      if (!drag.moved) return;
      if (drag.pan) this.pan(e.movementX, e.movementY);
      else this.orbit(e.movementX * 0.008, e.movementY * 0.008);
    });
    this.on("pointerup", (e) => {
      const was = drag;
      drag = null;
      if (was && !was.moved && e.button === 0) {
        const piece = this.pieceAt(e.offsetX, e.offsetY);
        this.events.pressed(
          piece,
          e.shiftKey || e.ctrlKey || e.metaKey,
          piece ? this.placeOn(piece, e.offsetX, e.offsetY) : [],
        );
      }
    });
    this.on("pointerleave", () => {
      if (!drag && !isResting()) this.events.moved(null);
    });
    this.on(
      "wheel",
      (e) => {
        e.preventDefault();
        if (e.deltaX !== 0 && !e.ctrlKey) this.orbit(-e.deltaX * 0.004, -e.deltaY * 0.004);
        else this.zoom(Math.exp(-e.deltaY * (e.ctrlKey ? 0.01 : 0.002)), e.offsetX, e.offsetY);
      },
      { passive: false },
    );
  }

  private get width(): number {
    return this.canvas.clientWidth || 1;
  }
  private get height(): number {
    return this.canvas.clientHeight || 1;
  }

  show(data: PartData, sheet: SheetData | null): void {
    this.data = data;
    this.index = null;
    this.sheet = sheet;
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", new BufferAttribute(data.triangles, 3));
    geometry.setAttribute("normal", new BufferAttribute(data.normals, 3));
    this.clay.geometry.dispose();
    this.clay.geometry = this.inside.geometry = geometry;
    this.paint();
    this.showBodies();
    this.mark(null, []);
    this.drawLinework();
    const views = sheet?.facts.views.map((v) => `${v.name} ${v.operation}`).join() ?? "";
    const now = data.facts.bodies.length ? "bodies" : `linework ${sheet?.facts.views.map((v) => v.name).join() ?? ""}`;
    const framed = !this.fitted || (this.fitted !== now && this.fitted !== "bodies") || this.outgrown(data);
    if (views && views !== this.views && this.views !== null && !matchMedia("(prefers-reduced-motion: reduce)").matches)
      this.fold(framed);
    else if (framed) this.fit();
    this.views = views;
    this.fitted = now;
    this.ask();
  }

  /** Whether the part reaches out of the pane, and no hand has chosen what to look at. */
  private outgrown(data: PartData): boolean {
    if (this.byEye || !data.facts.bodies.length) return false;
    const [low, high] = data.box;
    return Array.from({ length: 8 }, (_, n) =>
      this.corner((n & 1 ? high : low)[0]!, (n & 2 ? high : low)[1]!, (n & 4 ? high : low)[2]!),
    ).some(([x, y]) => x < 0 || y < 0 || x > this.width || y > this.height);
  }

  /** Hide some bodies, by key. */
  hide(bodies: Set<string>): void {
    if (bodies === this.hidden) return;
    this.hidden = bodies;
    if (this.data) this.showBodies();
    this.ask();
  }

  /** Triangles and edges of the bodies that are shown. */
  private showBodies(): void {
    const data = this.data!,
      shows = (body: string) => !this.hidden.has(body),
      faces = data.facts.faces.map((f) => shows(f.body));
    const geometry = this.clay.geometry;
    if (faces.every(Boolean)) geometry.setIndex(null);
    else {
      const index: number[] = [];
      data.face.forEach((face, t) => {
        if (faces[face]) index.push(3 * t, 3 * t + 1, 3 * t + 2);
      });
      geometry.setIndex(index);
    }
    this.clay.visible = data.triangles.length > 0 && faces.some(Boolean);
    this.segments(
      this.edges,
      data.facts.edges.flatMap((e, i) => (shows(e.body) ? [i] : [])),
    );
    this.index = null;
    this.lookInside(this.cut);
  }

  /**
   * Take away what lies on one side of a plane, and show what that cuts; the whole part without one. Returns the area
   * of the section (mm²).
   */
  lookInside(cut: SectionPlane | null): number {
    this.cut = cut;
    const { clay, inside, cutLine, edges, plane, data } = this,
      solid = cut !== null && clay.visible && data !== null;
    this.renderer.localClippingEnabled = cut !== null;
    const planes = cut ? [plane] : null;
    for (const m of [clay.material, inside.material, edges.material, this.glow.material, this.chosen.material])
      m.clippingPlanes = planes;
    clay.material.side = cut ? FrontSide : DoubleSide;
    inside.visible = solid;
    cutLine.visible = false;
    this.ask();
    if (!solid) return 0;
    const at = cut.at - data.facts.origin[cut.axis]!,
      way = cut.takes === "above" ? -1 : 1;
    plane.normal.set(0, 0, 0).setComponent(cut.axis, way);
    plane.constant = -way * at;
    const shown = data.facts.faces.map((f) => !this.hidden.has(f.body)),
      found = sectionOf(data.triangles, cut.axis, at, (t) => shown[data.face[t]!]!);
    cutLine.geometry.dispose();
    cutLine.geometry = new LineSegmentsGeometry();
    cutLine.visible = found.segments.length > 0;
    if (cutLine.visible) cutLine.geometry.setPositions(found.segments);
    return found.area;
  }

  /** How strongly the part shows under the drawing: 1 as it is, 0 not at all. */
  fade(part: number): void {
    const { material } = this.clay;
    material.transparent = part < 1;
    material.opacity = part;
    material.depthWrite = part > 0.5;
    this.edges.material.transparent = part < 1;
    this.edges.material.opacity = Math.min(1, 2 * part);
    this.linework.material.opacity = Math.min(1, 0.75 + (1 - part) * 0.25);
    this.linework.material.depthTest = part >= 1;
    this.ask();
  }

  /** Several bodies in an earth each; one in clay. */
  private paint(): void {
    const data = this.data!,
      several = data.facts.bodies.length > 1,
      { material, geometry } = this.clay;
    if (several) {
      const colours = new Float32Array(data.triangles.length),
        of = data.facts.faces.map(() => 0);
      data.facts.bodies.forEach((b, n) => of.fill(n, b.faces[0], b.faces[1]));
      const tints = data.facts.bodies.map((b, n) => new Color(bodyTint(n, b.key)));
      data.face.forEach((face, t) => {
        for (let k = 0; k < 3; k++) tints[of[face]!]!.toArray(colours, 9 * t + 3 * k);
      });
      geometry.setAttribute("color", new BufferAttribute(colours, 3));
    }
    material.vertexColors = several;
    material.color.copy(several ? new Color(0xffffff) : readInk().clay);
    material.needsUpdate = true;
  }

  /** The views fold up out of the sheet, once; kept in the frame on the way where that is free to follow. */
  private fold(framed: boolean): void {
    const began = performance.now();
    const next = () => {
      this.folded = Math.min(1, (performance.now() - began) / FOLD_MS);
      this.drawLinework();
      if (framed) this.fit();
      this.ask();
      if (this.folded < 1) requestAnimationFrame(next);
    };
    next();
  }

  private segments(into: LineSegments2, edges: number[]): void {
    const data = this.data!;
    const flat: number[] = [];
    for (const e of edges) {
      for (let i = data.edgeEnds[e]!; i + 1 < data.edgeEnds[e + 1]!; i++) {
        for (let k = 0; k < 6; k++) flat.push(data.edgePoints[3 * i + k]!);
      }
    }
    into.geometry.dispose();
    into.geometry = new LineSegmentsGeometry();
    into.visible = flat.length > 0;
    if (flat.length) into.geometry.setPositions(flat);
  }

  /** The source linework in its planes, in the part's own place. */
  private drawLinework(): void {
    const sheet = this.sheet,
      data = this.data;
    this.linework.visible = false;
    if (!sheet || !data || !this.showLinework) return;
    const flat: number[] = [];
    const placed = [...sheet.facts.views, ...sheet.facts.planes];
    const views = placed.length ? placed : [{ origin: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0] }];
    const planes = this.folded < 1 ? views.map((v) => between(flatUnder(views[0]!), v, this.folded)) : views;
    const least = leastShown(sheet, MOST_LINEWORK);
    this.thinned = least > 0;
    for (let row = 0; row < sheet.curves; row++) {
      if (sheet.state[row] === LEFT_OUT || sheet.state[row] === GUIDE) continue;
      if (least && sheet.reach(row) < least) continue;
      const view = placed.length ? planes[sheet.view[row]! - 1] : planes[0];
      if (!view) continue;
      for (let i = sheet.offsets[row]!; i + 1 < sheet.offsets[row + 1]!; i++) {
        for (const j of [i, i + 1]) {
          const u = sheet.points[2 * j]! + sheet.facts.origin[0],
            v = sheet.points[2 * j + 1]! + sheet.facts.origin[1];
          for (let k = 0; k < 3; k++)
            flat.push(view.origin[k]! + u * view.x[k]! + v * view.y[k]! - data.facts.origin[k]!);
        }
      }
    }
    this.linework.geometry.dispose();
    this.linework.geometry = new BufferGeometry();
    this.linework.geometry.setAttribute("position", new BufferAttribute(new Float32Array(flat), 3));
    this.linework.visible = flat.length > 0;
  }

  setLinework(on: boolean): void {
    this.showLinework = on;
    this.drawLinework();
    this.ask();
  }

  /** Light what is pointed at and what is picked. */
  mark(hover: Piece | null, picked: Piece[], alsoFaces: number[] = []): void {
    const faces = [...alsoFaces, ...(hover?.type === "face" ? [hover.index] : [])];
    this.tint(this.glow, faces);
    this.tint(
      this.chosen,
      picked.filter((p) => p.type === "face").map((p) => p.index),
    );
    const edges = [...picked, ...(hover ? [hover] : [])].filter((p) => p.type === "edge").map((p) => p.index);
    if (this.data) this.segments(this.litEdges, edges);
    this.ask();
  }

  private tint(into: Mesh<BufferGeometry, MeshBasicMaterial>, faces: number[]): void {
    const data = this.data,
      wanted = new Set(faces);
    into.visible = faces.length > 0;
    if (!data || !faces.length) return;
    const flat: number[] = [];
    data.face.forEach((face, t) => {
      if (wanted.has(face)) flat.push(...data.triangles.subarray(9 * t, 9 * t + 9));
    });
    into.geometry.dispose();
    into.geometry = new BufferGeometry();
    into.geometry.setAttribute("position", new BufferAttribute(new Float32Array(flat), 3));
  }

  /** The face of the part at a place of the window, and where on it (mm); null beside the part, or outside the pane. */
  faceUnder(x: number, y: number): Piece | null {
    const box = this.canvas.getBoundingClientRect();
    if (x < box.left || x > box.right || y < box.top || y > box.bottom) return null;
    const piece = this.pieceAt(x - box.left, y - box.top);
    return piece?.type === "face" ? { ...piece, at: this.placeOn(piece, x - box.left, y - box.top) } : null;
  }

  private pieceAt(px: number, py: number): Piece | null {
    const hit = this.hitAt(px, py);
    return hit && "edge" in hit ? { type: "edge", index: hit.edge } : hit ? { type: "face", index: hit.face } : null;
  }

  private hitAt(px: number, py: number): FaceHit | { edge: number } | null {
    if (!this.data?.triangles.length) return null;
    this.index ??= new PartIndex(this.data);
    this.caster.setFromCamera(new Vector2((px / this.width) * 2 - 1, 1 - (py / this.height) * 2), this.camera);
    const { ray } = this.caster;
    ray.origin.addScaledVector(this.back, 1e5 / this.scale);
    if (this.cut && this.plane.distanceToPoint(ray.origin) < 0) {
      const to = ray.distanceToPlane(this.plane);
      if (to === null) return null;
      ray.at(to + 1e-6 / this.scale, ray.origin);
    }
    const hit = this.index.faceAt(ray, this.hidden);
    const depth = hit ? hit.point.clone().sub(ray.origin).dot(ray.direction) + EDGE_SLACK / this.scale : Infinity;
    const edge = this.index.edgeAt(ray, EDGE_REACH / this.scale, depth, this.hidden);
    if (edge >= 0) return { edge };
    return hit && this.cut && this.plane.distanceToPoint(hit.point) < -1e-6 ? null : hit;
  }

  /**
   * Where a piece was pressed, in the part's own place (mm): the end of an edge that is nearest, the point of a face.
   */
  private placeOn(piece: Piece, px: number, py: number): number[] {
    const data = this.data!,
      o = data.facts.origin;
    const place = (v: Vector3) => [v.x + o[0]!, v.y + o[1]!, v.z + o[2]!];
    if (piece.type === "face") {
      const hit = this.hitAt(px, py);
      return hit && "point" in hit ? place(hit.point) : (data.facts.faces[piece.index]?.point ?? []);
    }
    const ends = [data.edgeEnds[piece.index]!, data.edgeEnds[piece.index + 1]! - 1].map((i) =>
      new Vector3().fromArray(data.edgePoints, 3 * i),
    );
    const away = (v: Vector3) => {
      const [x, y] = this.toScreen(v);
      return Math.hypot(x - px, y - py);
    };
    return place(away(ends[0]!) <= away(ends[1]!) ? ends[0]! : ends[1]!);
  }

  /** Where a point of the scene falls on the pane, in pixels. */
  toScreen(point: Vector3): [number, number] {
    const { right, up } = this.axes(),
      d = point.clone().sub(this.target);
    return [this.width / 2 + d.dot(right) * this.scale, this.height / 2 - d.dot(up) * this.scale];
  }

  corner(x: number, y: number, z: number): [number, number] {
    return this.toScreen(new Vector3(x, y, z));
  }

  private axes(): { right: Vector3; up: Vector3 } {
    const right = new Vector3().crossVectors(this.up, this.back).normalize();
    return { right, up: new Vector3().crossVectors(this.back, right) };
  }

  look(name: Direction): void {
    this.back.set(...DIRECTIONS[name].back).normalize();
    this.up.set(...DIRECTIONS[name].up);
    this.direction = name;
    this.fit();
  }

  orbit(turn: number, tilt: number): void {
    if (Math.abs(this.up.z) < 0.5) this.up.set(0, 0, 1);
    const height = Math.asin(Math.max(-1, Math.min(1, this.back.z)));
    const straight = Math.hypot(this.back.x, this.back.y) < 1e-6;
    const around = (straight ? -Math.PI / 2 : Math.atan2(this.back.y, this.back.x)) - turn;
    const tilted = Math.max(-1.5, Math.min(1.5, height + tilt));
    this.back.set(Math.cos(tilted) * Math.cos(around), Math.cos(tilted) * Math.sin(around), Math.sin(tilted));
    this.direction = null;
    this.ask();
  }

  pan(dx: number, dy: number): void {
    const { right, up } = this.axes();
    this.byEye = true;
    this.target.addScaledVector(right, -dx / this.scale).addScaledVector(up, dy / this.scale);
    this.ask();
  }

  zoom(factor: number, px = this.width / 2, py = this.height / 2): void {
    const dx = px - this.width / 2,
      dy = py - this.height / 2;
    this.pan(-dx, -dy);
    this.scale = Math.min(Math.max(this.scale * factor, 1e-5), 1e6);
    this.pan(dx, dy);
  }

  fit(): void {
    const data = this.data;
    if (!data) return;
    this.byEye = false;
    const [low, high] = this.reach(data),
      { right, up } = this.axes();
    let x0 = Infinity,
      x1 = -Infinity,
      y0 = Infinity,
      y1 = -Infinity;
    for (let n = 0; n < 8; n++) {
      const p = new Vector3((n & 1 ? high : low)[0], (n & 2 ? high : low)[1], (n & 4 ? high : low)[2]);
      x0 = Math.min(x0, p.dot(right));
      x1 = Math.max(x1, p.dot(right));
      y0 = Math.min(y0, p.dot(up));
      y1 = Math.max(y1, p.dot(up));
    }
    this.target.set((low[0]! + high[0]!) / 2, (low[1]! + high[1]!) / 2, (low[2]! + high[2]!) / 2);
    this.scale = Math.min(
      (this.width - Math.min(120, 0.3 * this.width)) / Math.max(x1 - x0, 1e-3),
      (this.height - Math.min(170, 0.42 * this.height)) / Math.max(y1 - y0, 1e-3),
    );
    this.scale = Math.max(this.scale, 1e-5);
    this.ask();
  }

  /** The corners of what there is to see: the bodies, or the linework while there are none. */
  private reach(data: PartData): [ArrayLike<number>, ArrayLike<number>] {
    if (this.pieces.visible) {
      this.pieces.geometry.computeBoundingBox();
      const { min, max } = this.pieces.geometry.boundingBox!;
      return [min.toArray(), max.toArray()];
    }
    if (data.facts.bodies.length || !this.linework.visible) return data.box;
    this.linework.geometry.computeBoundingBox();
    const box = this.linework.geometry.boundingBox!;
    return [box.min.toArray(), box.max.toArray()];
  }

  private resize(): void {
    const pane = this.canvas.parentElement!;
    this.renderer.setSize(pane.clientWidth, pane.clientHeight, true);
    if (this.fitted && !this.byEye) this.fit();
    this.draw();
  }

  private ask(): void {
    this.frame ||= requestAnimationFrame(() => {
      this.frame = 0;
      this.draw();
    });
  }

  private draw(): void {
    const w = this.width / 2 / this.scale,
      h = this.height / 2 / this.scale,
      camera = this.camera;
    camera.left = -w;
    camera.right = w;
    camera.top = h;
    camera.bottom = -h;
    const data = this.data;
    const reach = data ? Math.hypot(...data.box[1].map((v, k) => v - data.box[0][k]!)) + this.target.length() + 1 : 1;
    camera.near = -4 * reach;
    camera.far = 4 * reach;
    camera.position.copy(this.target).addScaledVector(this.back, reach);
    camera.up.copy(this.up);
    camera.lookAt(this.target);
    camera.updateProjectionMatrix();
    const { right, up } = this.axes();
    this.light.position.copy(this.back).multiplyScalar(0.9).addScaledVector(right, -0.55).addScaledVector(up, 0.75);
    this.renderer.render(this.scene, camera);
    this.events.looked();
  }

  dispose(): void {
    cancelAnimationFrame(this.frame);
    for (const off of this.off) off();
    this.watcher.disconnect();
    for (const o of this.all) {
      o.geometry.dispose();
      (Array.isArray(o.material) ? o.material : [o.material]).forEach((m) => {
        m.dispose();
      });
    }
    this.renderer.dispose();
  }
}
