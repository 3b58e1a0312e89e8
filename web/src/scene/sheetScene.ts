/**
 * The sheet: linework, flat. Plain three.js; draws on demand only. Coordinates are mm relative to the sheet's own
 * origin.
 */

import { type Color, OrthographicCamera, Scene, WebGLRenderer } from "three";

import { Hatching } from "./hatching";
import { bytes, readInk } from "./ink";
import { CHAIN, DASHED, DOTTED, InkLines, type Look, SOLID, stroke, strokesFor } from "./inkLines";
import { PictureUnder } from "./pictureUnder";
import { type Box, type Drawn, GUIDE, HIDDEN, LEFT_OUT, type SheetData } from "./sheetData";
import { isResting } from "./resting";
import { type Polylines, ThinLines } from "./thinLines";

/** A place under the pointer, what is there, and the pixels a millimetre. */
/** Where the pointer is on the sheet; `locked` with Shift held: level, upright or at 45°. */
export interface SheetPointer {
  x: number;
  y: number;
  curve: number;
  /** The curve there, those that are left out as well. */
  ghost: number;
  region: number;
  scale: number;
  locked: boolean;
}
export interface SheetEvents {
  moved(at: SheetPointer | null): void;
  pressed(at: SheetPointer, add: boolean): void;
  boxed(box: Box, touching: boolean, add: boolean): void;
  /** A line drawn round something by hand. */
  lassoed(path: [number, number][], add: boolean): void;
  /** Pressed twice. */
  opened(at: SheetPointer): void;
  looked(): void;
}

const REACH = 6;
const MOST_HATCHED = 4000;
/** Drawings of more straight pieces are drawn with thin lines. */
const MOST_WIDE = 30_000;
/** While the hand moves, a picture that takes longer than this (ms) to draw is moved and scaled, and drawn at rest. */
const SLOW_MS = 25,
  AT_REST_MS = 140;

/** Whether one box is so much larger than the other that what was looked at says nothing any more. */
function sizesDiffer(a: Box, b: Box): boolean {
  const ratio = Math.hypot(b[2] - b[0], b[3] - b[1]) / Math.max(Math.hypot(a[2] - a[0], a[3] - a[1]), 1e-12);
  return ratio > 1.5 || ratio < 1 / 1.5;
}

function dashOf(state: number | undefined): number {
  if (state === LEFT_OUT) return DOTTED;
  if (state === GUIDE) return CHAIN;
  return state === HIDDEN ? DASHED : SOLID;
}

/** The curves of a sheet as thin lines: what is left out and what only guides in faint ink. */
function polylinesOf(data: SheetData, ink: Tone, faint: Tone): Polylines {
  const tones = new Uint8Array(data.curves * 4);
  for (let row = 0; row < data.curves; row++) {
    const state = data.state[row];
    tones.set(state === LEFT_OUT || state === GUIDE ? faint : ink, 4 * row);
    tones[4 * row + 3] = dashOf(state);
  }
  const boxes = data.curveBoxes;
  return { count: data.curves, points: data.points, offsets: data.offsets, boxes, tones };
}

type Tone = readonly [number, number, number];

export class SheetScene {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new OrthographicCamera();
  private readonly base = new InkLines(1.5, 2);
  private readonly thin = new InkLines(1.1, 1);
  private readonly many = new ThinLines(2);
  private readonly lit = new InkLines(3.2, 5);
  private readonly picked = new InkLines(2.8, 4);
  private readonly material = new Hatching(0, 0.55, 0.03, 7);
  private readonly pointed = new Hatching(1, 0.9, 0.1, 7);
  private readonly chosen = new Hatching(1, 0.9, 0.12, 6);
  private readonly named = new InkLines(2.2, 3);
  private pictures: PictureUnder[] = [];
  private share = 0.55;
  private lasso: [number, number][] = [];
  /** Whether dragging draws a line round things instead of a box. */
  byHand = false;
  /** Which lines bound a region beside solid ones. */
  boundBy: Drawn = "solid";
  private readonly layers = [
    this.named,
    this.base,
    this.thin,
    this.many,
    this.lit,
    this.picked,
    this.material,
    this.pointed,
    this.chosen,
  ];
  private readonly off: (() => void)[] = [];
  private readonly watcher: ResizeObserver;
  private ink = readInk();
  private data: SheetData | null = null;
  private frame = 0;
  /** The view as it was drawn last, and how long that took. */
  private drawn = { x: 0, y: 0, scale: 1 };
  private took = 0;
  private atRest: ReturnType<typeof setTimeout> | undefined;
  private x = 0;
  private y = 0;
  private fitted = false;
  /** Whether the hand has moved or zoomed it since it last was fitted; then nothing else moves it. */
  private byEye = false;
  /** Whether it was the hand that did, and not something that was shown from near. */
  private moved = false;
  private stage = "";
  /** What the hand chose to look at, in each stage. */
  private readonly chosenViews = new Map<string, { x: number; y: number; scale: number }>();
  /** What was looked at before something was shown from near. */
  private before: { x: number; y: number; scale: number } | null = null;
  private sources = 0;
  private band: HTMLDivElement | null = null;
  /** Pixels a millimetre. */
  scale = 1;
  /** JavaScript time of the last frame, ms. */
  lastFrame = 0;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly events: SheetEvents,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: false, alpha: true, powerPreference: "low-power" });
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
    for (const layer of this.layers) this.scene.add(layer.mesh);
    this.watcher = new ResizeObserver(() => {
      this.resize();
    });
    this.watcher.observe(canvas.parentElement!);
    this.connect();
    this.resize();
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
      this.lasso = [this.toSheet(e.offsetX, e.offsetY)];
    });
    this.on("pointermove", (e) => {
      if (!drag) {
        if (!isResting()) this.events.moved(this.at(e.offsetX, e.offsetY, e.shiftKey));
        return;
      }
      if (Math.hypot(e.offsetX - drag.x, e.offsetY - drag.y) > 3) drag.moved = true;
      if (drag.pan) this.pan(e.movementX, e.movementY);
      else if (drag.moved && this.byHand) this.showRope(e.offsetX, e.offsetY);
      else if (drag.moved) this.showBand(drag.x, drag.y, e.offsetX, e.offsetY);
    });
    this.on("pointerup", (e) => {
      const was = drag;
      drag = null;
      this.hideBand();
      this.lines(this.named, [], this.ink.brick);
      if (!was || was.pan) return;
      const add = e.shiftKey || e.ctrlKey || e.metaKey;
      if (!was.moved) {
        this.events.pressed(this.at(e.offsetX, e.offsetY), add);
        return;
      }
      if (this.byHand) {
        this.events.lassoed(this.lasso, add);
        return;
      }
      const [ax, ay] = this.toSheet(was.x, was.y),
        [bx, by] = this.toSheet(e.offsetX, e.offsetY);
      this.events.boxed(
        [Math.min(ax, bx), Math.min(ay, by), Math.max(ax, bx), Math.max(ay, by)],
        e.offsetX < was.x,
        add,
      );
    });
    this.on("dblclick", (e) => {
      this.events.opened(this.at(e.offsetX, e.offsetY));
    });
    this.on("pointerleave", () => {
      if (!drag && !isResting()) this.events.moved(null);
    });
    this.on(
      "wheel",
      (e) => {
        e.preventDefault();
        if (e.deltaX !== 0 && !e.ctrlKey) this.pan(-e.deltaX, -e.deltaY);
        else this.zoom(Math.exp(-e.deltaY * (e.ctrlKey ? 0.01 : 0.002)), e.offsetX, e.offsetY);
      },
      { passive: false },
    );
  }

  private showBand(x0: number, y0: number, x1: number, y1: number): void {
    this.band ??= this.canvas.parentElement!.appendChild(document.createElement("div"));
    this.band.className = "pointer-events-none absolute border border-brick";
    Object.assign(this.band.style, {
      left: `${Math.min(x0, x1)}px`,
      top: `${Math.min(y0, y1)}px`,
      width: `${Math.abs(x1 - x0)}px`,
      height: `${Math.abs(y1 - y0)}px`,
      borderStyle: x1 < x0 ? "dashed" : "solid",
      background: "color-mix(in srgb, var(--brick) 8%, transparent)",
    });
  }

  private showRope(px: number, py: number): void {
    this.lasso.push(this.toSheet(px, py));
    const flat = new Float32Array([...this.lasso, this.lasso[0]!].flat()),
      strokes = strokesFor(this.lasso.length);
    stroke(strokes, flat, 0, flat.length / 2, bytes(this.ink.brick), DOTTED);
    this.named.update(strokes);
    this.ask();
  }

  private hideBand(): void {
    this.band?.remove();
    this.band = null;
  }

  private get width(): number {
    return this.canvas.clientWidth || 1;
  }
  private get height(): number {
    return this.canvas.clientHeight || 1;
  }

  private toSheet(px: number, py: number): [number, number] {
    return [this.x + (px - this.width / 2) / this.scale, this.y - (py - this.height / 2) / this.scale];
  }

  toScreen(x: number, y: number): [number, number] {
    return [(x - this.x) * this.scale + this.width / 2, this.height / 2 - (y - this.y) * this.scale];
  }

  private at(px: number, py: number, locked = false): SheetPointer {
    const [x, y] = this.toSheet(px, py);
    return {
      x,
      y,
      curve: this.data?.curveAt(x, y, REACH / this.scale) ?? -1,
      ghost: this.data?.curveAt(x, y, REACH / this.scale, true) ?? -1,
      region: this.data?.regionAt(x, y, REACH / this.scale, this.boundBy) ?? -1,
      scale: this.scale,
      locked,
    };
  }

  show(data: SheetData): void {
    const resized = this.data !== null && sizesDiffer(this.data.box, data.box);
    this.data = data;
    for (const picture of this.pictures) {
      this.scene.remove(picture.mesh);
      picture.dispose();
    }
    this.pictures = data.facts.pictures.flatMap((facts, n) => {
      const bytesOf = data.picture(n);
      return bytesOf
        ? [
            new PictureUnder(facts, data.facts.origin, bytesOf, this.share, () => {
              this.ask();
            }),
          ]
        : [];
    });
    for (const picture of this.pictures) this.scene.add(picture.mesh);
    this.redraw();
    const grown = data.facts.sources.length !== this.sources;
    this.sources = data.facts.sources.length;
    if (resized) this.chosenViews.clear();
    if (!this.fitted || resized || (grown && !this.byEye)) this.fit();
  }

  /** Everything drawn anew: after new data, or in another theme. */
  redraw(): void {
    this.ink = readInk();
    const data = this.data;
    if (!data) return;
    const room = data.points.length / 2 - data.curves,
      wide = room <= MOST_WIDE;
    const base = strokesFor(wide ? room : 0),
      thin = strokesFor(wide ? room : 0);
    const ink = bytes(this.ink.ink),
      faint = bytes(this.ink.faint);
    for (let row = 0; wide && row < data.curves; row++) {
      const state = data.state[row],
        into = state === LEFT_OUT || state === GUIDE ? thin : base;
      const tone = into === thin ? faint : ink;
      stroke(into, data.points, data.offsets[row]!, data.offsets[row + 1]!, tone, dashOf(state));
    }
    this.base.update(base);
    this.thin.update(thin);
    this.many.update(wide ? null : polylinesOf(data, ink, faint));
    this.material.ink(this.ink.hatch);
    this.pointed.ink(this.ink.verdigris);
    this.chosen.ink(this.ink.brick);
    const regions = data.facts.regions;
    this.hatch(
      this.material,
      regions.length <= MOST_HATCHED ? regions.flatMap((r, i) => (r.level % 2 ? [] : [i])) : [],
    );
    this.ask();
  }

  private hatch(into: Hatching, regions: number[]): void {
    const data = this.data;
    if (!data) return;
    const parts = regions.map((r) => data.fill(r));
    const points = new Float32Array(parts.reduce((sum, p) => sum + p.length, 0)),
      levels = new Float32Array(points.length / 2);
    let at = 0;
    parts.forEach((part, i) => {
      points.set(part, at);
      levels.fill(data.closed[regions[i]!]!.level, at / 2, (at + part.length) / 2);
      at += part.length;
    });
    into.update(points, levels);
  }

  /** Light curves and regions that are pointed at or picked. */
  mark(
    hoverCurves: Iterable<number>,
    hoverRegions: number[],
    pickedCurves: Iterable<number>,
    pickedRegions: number[],
  ): void {
    this.lines(this.lit, hoverCurves, this.ink.verdigris);
    this.lines(this.picked, pickedCurves, this.ink.brick);
    this.hatch(this.pointed, hoverRegions);
    this.hatch(this.chosen, pickedRegions);
    this.ask();
  }

  private lines(into: InkLines, rows: Iterable<number>, colour: Color): void {
    const data = this.data;
    if (!data) return;
    const list = [...rows].filter((r) => r >= 0 && r < data.curves);
    const strokes = strokesFor(list.reduce((sum, r) => sum + data.offsets[r + 1]! - data.offsets[r]! - 1, 0));
    for (const row of list)
      stroke(strokes, data.points, data.offsets[row]!, data.offsets[row + 1]!, bytes(colour), SOLID);
    into.update(strokes);
  }

  fade(share: number): void {
    this.share = share;
    for (const picture of this.pictures) picture.fade(share);
    this.ask();
  }

  /** All that counts fills the pane; what is left out does not. */
  fit(): void {
    if (!this.data?.curves) return;
    this.fitted = true;
    this.byEye = this.moved = false;
    this.before = null;
    this.fill(this.data.keptBox, 0.86);
  }

  /** Another stage: what the hand chose to look at there, else all of it. */
  enter(stage: string): void {
    if (stage === this.stage) return;
    const { x, y, scale } = this;
    if (this.moved && !this.before) this.chosenViews.set(this.stage, { x, y, scale });
    else this.chosenViews.delete(this.stage);
    this.stage = stage;
    const chosen = this.chosenViews.get(stage);
    this.fit();
    if (chosen) Object.assign(this, chosen, { byEye: true, moved: true });
  }

  /** Show a place from near; `back` returns to what was looked at before. */
  flyTo(box: Box): void {
    this.before ??= { x: this.x, y: this.y, scale: this.scale };
    this.byEye = true;
    this.fill(box, 0.6);
  }

  /** Back from what was shown from near; whether there was anything to go back from. */
  back(): boolean {
    const { before } = this;
    if (!before) return false;
    Object.assign(this, before);
    this.before = null;
    this.byEye = this.moved = false;
    this.ask();
    return true;
  }

  private fill([x0, y0, x1, y1]: Box, share: number): void {
    const [a, b, c, d] = this.data?.box ?? [x0, y0, x1, y1],
      least = Math.max(1e-6 * Math.max(c - a, d - b), 1e-9);
    this.x = (x0 + x1) / 2;
    this.y = (y0 + y1) / 2;
    this.scale = share * Math.min(this.width / Math.max(x1 - x0, least), (this.height - 50) / Math.max(y1 - y0, least));
    this.ask();
  }

  pan(dx: number, dy: number): void {
    this.byEye = this.moved = true;
    this.moves();
    this.x -= dx / this.scale;
    this.y += dy / this.scale;
    this.ask();
  }

  zoom(factor: number, px = this.width / 2, py = this.height / 2): void {
    const [x, y] = this.toSheet(px, py);
    this.moves();
    this.byEye = this.moved = true;
    this.scale = Math.min(Math.max(this.scale * factor, 1e-6), 1e6);
    this.x = x - (px - this.width / 2) / this.scale;
    this.y = y + (py - this.height / 2) / this.scale;
    this.ask();
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
      if (this.atRest && this.took > SLOW_MS) this.carry();
      else this.draw();
    });
  }

  /** The hand moves or scales the sheet; it is drawn anew when it rests. */
  private moves(): void {
    clearTimeout(this.atRest);
    this.atRest = setTimeout(() => {
      this.atRest = undefined;
      this.ask();
    }, AT_REST_MS);
  }

  /** The picture at hand, moved and scaled to where it would be drawn. */
  private carry(): void {
    const { x, y, scale } = this.drawn;
    const dx = (x - this.x) * this.scale,
      dy = (this.y - y) * this.scale;
    this.canvas.style.transform = `translate(${dx}px, ${dy}px) scale(${this.scale / scale})`;
    this.events.looked();
  }

  private draw(): void {
    const started = performance.now();
    this.canvas.style.transform = "";
    const look: Look = {
      width: this.width,
      height: this.height,
      x: this.x,
      y: this.y,
      scale: this.scale,
      ratio: this.renderer.getPixelRatio(),
    };
    for (const layer of [...this.layers, ...this.pictures]) layer.look(look);
    this.renderer.render(this.scene, this.camera);
    this.drawn = { x: this.x, y: this.y, scale: this.scale };
    this.lastFrame = performance.now() - started;
    if (this.many.mesh.visible) this.time(started);
    this.events.looked();
  }

  /** How long drawing took until it was done: asking for a pixel waits for that. */
  private time(started: number): void {
    const gl = this.renderer.getContext();
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4));
    this.took = performance.now() - started;
  }

  dispose(): void {
    clearTimeout(this.atRest);
    cancelAnimationFrame(this.frame);
    for (const off of this.off) off();
    this.watcher.disconnect();
    for (const layer of [...this.layers, ...this.pictures]) layer.dispose();
    this.renderer.dispose();
  }
}
