/**
 * Art on a face, taken in the hand: drag it to move it, its corner to scale it, the handle over its edge to turn it.
 * The outline is drawn once when it is taken and then only moved with the hand; the cut follows when the hand rests.
 * All of it writes the values of the sentence.
 */

import { type PointerEvent, useEffect, useRef, useState } from "react";

import type { Laid } from "../api/client";
import type { PartScene } from "../scene/partScene";
import { type ArtPlace, dragged, type Grip, matrixOf, onFace, outlineOf, valuesOf } from "../scene/artPlacing";
import { show } from "../scene/shownUnits";
import { useTable } from "../state/table";
import { changeMany } from "../state/work";

type Three = [[number, number], [number, number], [number, number]];

const spelled = ([x, y]: [number, number]) => `${x.toFixed(1)} ${y.toFixed(1)}`;
const number = (value: unknown): number => {
  const read = Number.parseFloat(String(value).replace(",", "."));
  return Number.isFinite(read) ? read : 0;
};

export function ArtHandles({ scene, laid }: { scene: PartScene; laid: Laid }) {
  const draft = useTable((s) => s.draft),
    origin = useTable((s) => s.shown?.part.facts.origin) ?? [0, 0, 0],
    [held, setHeld] = useState<ArtPlace | null>(null),
    grip = useRef<{ what: Grip; from: ArtPlace; at: [number, number] } | null>(null);
  const params = draft?.step.params ?? {};
  const shape = outlineOf(laid, number(params["x"]), number(params["y"]), number(params["turned"]));
  const there: ArtPlace = {
    x: number(params["x"]),
    y: number(params["y"]),
    width: shape.width,
    turned: number(params["turned"]),
  };
  const rest = (held && grip.current?.from) || there;
  useEffect(() => {
    setHeld(null);
  }, [laid]);

  const screen = (u: number, v: number) => {
    const p = [0, 1, 2].map((k) => laid.origin[k]! + u * laid.x[k]! + v * laid.y[k]! - origin[k]!);
    return scene.corner(p[0]!, p[1]!, p[2]!);
  };
  const pressed = (e: PointerEvent): [number, number] => {
    const svg = e.currentTarget.closest("svg")!.getBoundingClientRect(),
      [ox, oy] = screen(0, 0),
      [ax, ay] = screen(1, 0),
      [bx, by] = screen(0, 1);
    const [p, q, r, s] = [ax - ox, bx - ox, ay - oy, by - oy],
      det = p * s - q * r || 1e-9,
      [dx, dy] = [e.clientX - svg.left - ox, e.clientY - svg.top - oy];
    return [(s * dx - q * dy) / det, (p * dy - r * dx) / det];
  };
  const take = (what: Grip) => (e: PointerEvent) => {
    e.stopPropagation();
    e.preventDefault();
    e.currentTarget.setPointerCapture(e.pointerId);
    grip.current = { what, from: rest, at: pressed(e) };
  };
  const drag = (e: PointerEvent) => {
    const g = grip.current;
    if (!g) return;
    setHeld(dragged(g.what, g.from, g.at, pressed(e), e.shiftKey));
  };
  const letGo = () => {
    const g = grip.current;
    grip.current = null;
    if (!g || !held) return;
    void changeMany(valuesOf(g.what, held));
  };

  const scale = rest.width / shape.width,
    at = (p: [number, number], place = rest) => screen(...onFace(place, shape.width, p));
  const w = shape.width / 2,
    h = shape.height / 2,
    corners: [number, number][] = [
      [-w, -h],
      [w, -h],
      [w, h],
      [-w, h],
    ];
  const box = corners.map((p) => at(p)),
    three = (place: ArtPlace) => [at([0, 0], place), at([w, 0], place), at([0, h], place)] as Three,
    [tx, ty] = at([0, h + 0.14 * shape.height + 6 / Math.max(scale, 1e-6) / 10]),
    grips = held ? "opacity-0" : "pointer-events-auto fill-[var(--raised)] stroke-[var(--brick)]";
  return (
    <div
      className="pointer-events-none absolute inset-0 overflow-hidden select-none"
      role="group"
      aria-label="Art on the face"
    >
      {held ? (
        <svg
          className="absolute inset-0 h-full w-full origin-top-left overflow-visible will-change-transform"
          style={{ transform: matrixOf(three(rest), three(held)) }}
        >
          <path
            d={shape.lines.map((line) => `M${line.map((p) => spelled(at(p))).join("L")}Z`).join("")}
            fillRule="evenodd"
            className="fill-[var(--brick)]/35"
          />
          <polygon
            points={box.map(spelled).join(" ")}
            className="fill-none stroke-[var(--brick)]"
            strokeDasharray="5 4"
          />
        </svg>
      ) : null}
      <svg className="absolute inset-0 h-full w-full" onPointerMove={drag} onPointerUp={letGo}>
        <polygon
          points={box.map(spelled).join(" ")}
          className={`cursor-move ${held ? "fill-none" : "pointer-events-auto fill-[var(--brick)]/5 stroke-[var(--brick)]"}`}
          strokeDasharray="5 4"
          data-grip="move"
          onPointerDown={take("move")}
        />
        {box.map(([x, y], n) => (
          <rect
            key={n}
            x={x - 6}
            y={y - 6}
            width="12"
            height="12"
            className={`cursor-nwse-resize ${grips}`}
            data-grip="scale"
            onPointerDown={take("scale")}
          >
            <title>Drag to scale</title>
          </rect>
        ))}
        <circle cx={tx} cy={ty} r="7" className={`cursor-grab ${grips}`} data-grip="turn" onPointerDown={take("turn")}>
          <title>Drag to turn; with Shift by 15°</title>
        </circle>
      </svg>
      {held ? (
        <p className="num absolute top-9 left-3.5 rounded bg-[var(--paper)]/80 px-1 text-[12.5px] text-[var(--ink)]">
          x {show(held.x, 2)}, y {show(held.y, 2)} mm, {show(held.width, 2)} mm wide, turned {show(held.turned, 1)}°
        </p>
      ) : null}
    </div>
  );
}
