/**
 * Art on a face, taken in the hand: drag it to move it, its corner to scale it, the handle over its edge to turn it.
 * The outline follows the hand; the cut follows when the hand rests. All of it writes the values of the sentence.
 */

import { type PointerEvent, useEffect, useRef, useState } from "react";

import type { Laid } from "../api/client";
import type { PartScene } from "../scene/partScene";
import { show } from "../scene/shownUnits";
import { useTable } from "../state/table";
import { changeMany } from "../state/work";

interface Place {
  x: number;
  y: number;
  width: number;
  turned: number;
}
type Grip = "move" | "scale" | "turn";

const number = (value: unknown): number => {
  const read = Number.parseFloat(String(value).replace(",", "."));
  return Number.isFinite(read) ? read : 0;
};

export function ArtHandles({ scene, laid }: { scene: PartScene; laid: Laid }) {
  const draft = useTable((s) => s.draft),
    origin = useTable((s) => s.shown?.part.facts.origin) ?? [0, 0, 0],
    [held, setHeld] = useState<Place | null>(null),
    grip = useRef<{ what: Grip; from: Place; at: [number, number] } | null>(null);
  const params = draft?.step.params ?? {};
  const shape = outlineOf(laid, number(params["x"]), number(params["y"]), number(params["turned"]));
  const there: Place = {
    x: number(params["x"]),
    y: number(params["y"]),
    width: shape.width,
    turned: number(params["turned"]),
  };
  const now = held ?? there;
  useEffect(() => {
    setHeld(null);
  }, [laid]);

  const screen = (u: number, v: number) => {
    const p = [0, 1, 2].map((k) => laid.origin[k]! + u * laid.x[k]! + v * laid.y[k]! - origin[k]!);
    return scene.corner(p[0]!, p[1]!, p[2]!);
  };
  const onFace = (e: PointerEvent): [number, number] => {
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
    grip.current = { what, from: now, at: onFace(e) };
  };
  const drag = (e: PointerEvent) => {
    const g = grip.current;
    if (!g) return;
    const at = onFace(e),
      from = Math.hypot(g.at[0] - g.from.x, g.at[1] - g.from.y),
      angle = (p: [number, number]) => Math.atan2(p[1] - g.from.y, p[0] - g.from.x);
    if (g.what === "move") setHeld({ ...g.from, x: g.from.x + at[0] - g.at[0], y: g.from.y + at[1] - g.at[1] });
    else if (g.what === "scale") {
      const factor = Math.hypot(at[0] - g.from.x, at[1] - g.from.y) / Math.max(from, 1e-9);
      setHeld({ ...g.from, width: Math.max(g.from.width * factor, 0.01) });
    } else {
      const turn = g.from.turned + ((angle(at) - angle(g.at)) * 180) / Math.PI;
      setHeld({ ...g.from, turned: e.shiftKey ? Math.round(turn / 15) * 15 : turn });
    }
  };
  const let_go = () => {
    const g = grip.current;
    grip.current = null;
    if (!g || !held) return;
    const values: Record<string, unknown> =
      g.what === "move"
        ? { x: rounded(held.x), y: rounded(held.y) }
        : g.what === "scale"
          ? { width: rounded(held.width) }
          : { turned: rounded(((((held.turned + 180) % 360) + 360) % 360) - 180) };
    void changeMany(values);
  };

  const c = Math.cos((now.turned * Math.PI) / 180),
    s = Math.sin((now.turned * Math.PI) / 180),
    scale = now.width / shape.width;
  const place = ([u, v]: [number, number]) =>
    screen(now.x + scale * (c * u - s * v), now.y + scale * (s * u + c * v)) as [number, number];
  const path = shape.lines.map(
    (line) =>
      `M${line
        .map((p) =>
          place(p)
            .map((k) => k.toFixed(1))
            .join(" "),
        )
        .join("L")}Z`,
  );
  const w = shape.width / 2,
    h = shape.height / 2,
    corners: [number, number][] = [
      [-w, -h],
      [w, -h],
      [w, h],
      [-w, h],
    ];
  const box = corners.map(place),
    [tx, ty] = place([0, h + 0.14 * shape.height + 6 / Math.max(scale, 1e-6) / 10]),
    grips = "fill-[var(--raised)] stroke-[var(--brick)]";
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full select-none" aria-label="Art on the face">
      <g onPointerMove={drag} onPointerUp={let_go}>
        <polygon
          points={box.map((p) => p.join()).join(" ")}
          className="pointer-events-auto cursor-move fill-[var(--brick)]/5 stroke-[var(--brick)]"
          strokeDasharray="5 4"
          data-grip="move"
          onPointerDown={take("move")}
        />
        {held ? <path d={path.join("")} fillRule="evenodd" className="fill-[var(--brick)]/35" /> : null}
        {box.map(([x, y], n) => (
          <rect
            key={n}
            x={x - 6}
            y={y - 6}
            width="12"
            height="12"
            className={`pointer-events-auto cursor-nwse-resize ${grips}`}
            data-grip="scale"
            onPointerDown={take("scale")}
          >
            <title>Drag to scale</title>
          </rect>
        ))}
        <circle
          cx={tx}
          cy={ty}
          r="7"
          className={`pointer-events-auto cursor-grab ${grips}`}
          data-grip="turn"
          onPointerDown={take("turn")}
        >
          <title>Drag to turn; with Shift by 15°</title>
        </circle>
      </g>
      {held ? (
        <text
          x="50%"
          y="28"
          textAnchor="middle"
          className="num fill-[var(--ink)] stroke-[var(--paper)] text-[12.5px] [paint-order:stroke] [stroke-width:4px]"
        >
          x {show(held.x, 2)}, y {show(held.y, 2)} mm, {show(held.width, 2)} mm wide, turned {show(held.turned, 1)}°
        </text>
      ) : null}
    </svg>
  );
}

/** The outline about its own middle, not turned. */
function outlineOf(laid: Laid, x: number, y: number, turned: number) {
  const c = Math.cos((turned * Math.PI) / 180),
    s = Math.sin((turned * Math.PI) / 180);
  const lines = laid.lines.map((line) =>
    line.map(([u, v]): [number, number] => [c * (u - x) + s * (v - y), -s * (u - x) + c * (v - y)]),
  );
  const all = lines.flat(),
    reach = (k: 0 | 1) => 2 * Math.max(...all.map((p) => Math.abs(p[k])), 1e-6);
  return { lines, width: reach(0), height: reach(1) };
}

const rounded = (value: number): number => Math.round(value * 100) / 100;
