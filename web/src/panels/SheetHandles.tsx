/**
 * What can be taken hold of on the drawing sheet, over its picture: texts of dimensions, places to take new ones from,
 * corners for the datum, places for sections and details. The same units as the sheet: millimetres of paper.
 */

import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";

import type { DrawnSheet, Point2, SheetDimension, SheetMark, SheetView } from "../api/client";
import { cutMarks, moved, viewAt } from "../scene/sheetWishes";

export type Tool = "add" | "section" | "detail" | "datum" | null;

interface Props {
  sheet: DrawnSheet;
  tool: Tool;
  chosen: number | null;
  choose(n: number | null): void;
  move(d: SheetDimension, by: Point2): void;
  dropIt(d: SheetDimension): void;
  add(a: SheetMark, b: SheetMark | null): void;
  cut(mark: SheetMark): void;
  enlarge(view: SheetView, centre: Point2, edge: Point2): void;
  setDatum(view: SheetView, right: boolean, upper: boolean): void;
}

const SMALL = 1.3,
  STILL = 0.6,
  LEAST = 2,
  REACH = 4;
const pressedBy = (act: () => void) => (e: KeyboardEvent) => {
  if (e.key !== "Enter" && e.key !== " ") return;
  e.preventDefault();
  e.stopPropagation();
  act();
};

export function SheetHandles(props: Props) {
  const { sheet, tool } = props;
  const svg = useRef<SVGSVGElement>(null);
  const paper = (e: PointerEvent): Point2 => {
    const matrix = svg.current!.getScreenCTM()!.inverse(),
      p = new DOMPoint(e.clientX, e.clientY).matrixTransform(matrix);
    return [p.x, p.y];
  };
  return (
    <svg
      ref={svg}
      className="absolute inset-0 h-full w-full"
      viewBox={`0 0 ${sheet.size[0]} ${sheet.size[1]}`}
      aria-label="Handles of the sheet"
    >
      {tool === null
        ? sheet.dimensions.map((d, n) => <Size key={`${n}${d.text}`} {...props} d={d} n={n} paper={paper} />)
        : null}
      {tool === "add" ? <Places {...props} /> : null}
      {tool === "section"
        ? cutMarks(sheet.marks).map((m, n) => (
            <Mark
              key={n}
              at={m.at}
              label={`Cut at ${m.axis} ${m.mm.toFixed(2)} mm`}
              press={() => {
                props.cut(m);
              }}
            />
          ))
        : null}
      {tool === "datum" ? <Corners {...props} /> : null}
      {tool === "detail" ? <Circle {...props} paper={paper} /> : null}
    </svg>
  );
}

/** The text of a dimension: dragged it moves, pressed it is chosen; arrow keys move it, Delete drops it. */
function Size({
  d,
  n,
  chosen,
  choose,
  move,
  dropIt,
  paper,
}: Props & { d: SheetDimension; n: number; paper(e: PointerEvent): Point2 }) {
  const from = useRef<Point2 | null>(null),
    [off, setOff] = useState<Point2 | null>(null);
  const xs = d.box.map((p) => p[0]),
    ys = d.box.map((p) => p[1]);
  const [x, y] = [Math.min(...xs) - 0.6, Math.min(...ys) - 0.6],
    [width, height] = [Math.max(...xs) - x + 0.6, Math.max(...ys) - y + 0.6];
  const keys = (e: KeyboardEvent) => {
    const by = e.shiftKey ? 5 : 1,
      step: Partial<Record<string, Point2>> = {
        ArrowLeft: [-by, 0],
        ArrowRight: [by, 0],
        ArrowUp: [0, -by],
        ArrowDown: [0, by],
      },
      way = step[e.key];
    if (way) move(d, moved(d.along, d.away, way, d.moved));
    else if (e.key === "Delete" || e.key === "Backspace") dropIt(d);
    else if (e.key === "Enter" || e.key === " ") choose(n);
    else if (e.key === "Escape") choose(null);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <rect
      x={x + (off?.[0] ?? 0)}
      y={y + (off?.[1] ?? 0)}
      width={width}
      height={height}
      rx={0.8}
      tabIndex={0}
      role="button"
      aria-pressed={chosen === n}
      aria-label={`Dimension ${d.text} in the ${d.view} view`}
      className={`cursor-move outline-none focus-visible:stroke-[#b4451f] ${
        chosen === n || off ? "fill-[#b4451f]/15 stroke-[#b4451f]" : "fill-transparent hover:fill-[#b4451f]/15"
      }`}
      strokeWidth={0.3}
      onPointerDown={(e) => {
        e.stopPropagation();
        e.currentTarget.setPointerCapture(e.pointerId);
        from.current = paper(e);
      }}
      onPointerMove={(e) => {
        if (!from.current) return;
        const now = paper(e);
        setOff([now[0] - from.current[0], now[1] - from.current[1]]);
      }}
      onPointerUp={(e) => {
        if (!from.current) return;
        const to = paper(e),
          by: Point2 = [to[0] - from.current[0], to[1] - from.current[1]];
        from.current = null;
        if (Math.hypot(...by) > STILL) move(d, moved(d.along, d.away, by, d.moved));
        else choose(chosen === n ? null : n);
        setOff(null);
      }}
      onPointerCancel={() => {
        from.current = null;
        setOff(null);
      }}
      onKeyDown={keys}
    />
  );
}

function Mark({ at, label, press, on = false }: { at: Point2; label: string; press(): void; on?: boolean }) {
  return (
    <circle
      cx={at[0]}
      cy={at[1]}
      r={SMALL}
      tabIndex={0}
      role="button"
      aria-label={label}
      aria-pressed={on}
      strokeWidth={0.35}
      className={`cursor-pointer stroke-[#b4451f] outline-none hover:fill-[#b4451f] focus-visible:fill-[#b4451f] ${
        on ? "fill-[#b4451f]" : "fill-[#fff]"
      }`}
      onPointerDown={(e) => {
        e.stopPropagation();
      }}
      onClick={press}
      onKeyDown={pressedBy(press)}
    >
      <title>{label}</title>
    </circle>
  );
}

/** Two places of one view and one direction make a dimension; something round makes one alone. */
function Places({ sheet, add }: Props) {
  const [first, setFirst] = useState<SheetMark | null>(null);
  const open = first ? sheet.marks.filter((m) => m.view === first.view && m.axis === first.axis) : sheet.marks;
  return open.map((m, n) => (
    <Mark
      key={`${m.view}${m.axis ?? "o"}${n}`}
      at={m.at}
      on={m === first}
      label={
        m.axis === null
          ? `What is round, ${m.mm.toFixed(2)} mm, in the ${m.view} view`
          : `${m.axis} ${m.mm.toFixed(2)} mm in the ${m.view} view`
      }
      press={() => {
        if (m.axis === null) add(m, null);
        else if (!first || m === first) setFirst(first ? null : m);
        else add(first, m);
      }}
    />
  ));
}

function Corners({ sheet, setDatum }: Props) {
  return sheet.views
    .filter((v) => !v.title)
    .flatMap((v) =>
      [false, true].flatMap((right) =>
        [false, true].map((upper) => (
          <Mark
            key={`${v.name}${right}${upper}`}
            at={[v.box[right ? 2 : 0], v.box[upper ? 1 : 3]]}
            label={`Lengths from the ${upper ? "upper" : "lower"} ${right ? "right" : "left"} corner of the ${v.name} view`}
            press={() => {
              setDatum(v, right, upper);
            }}
          />
        )),
      ),
    );
}

/** A circle drawn with the hand, from its middle outwards. */
function Circle({ sheet, enlarge, paper }: Props & { paper(e: PointerEvent): Point2 }) {
  const [drawn, setDrawn] = useState<{ view: SheetView; from: Point2; to: Point2 } | null>(null);
  return (
    <g
      className="cursor-crosshair"
      onPointerDown={(e) => {
        const at = paper(e),
          view = viewAt(sheet.views, at, REACH);
        if (!view) return;
        e.stopPropagation();
        e.currentTarget.setPointerCapture(e.pointerId);
        setDrawn({ view, from: at, to: at });
      }}
      onPointerMove={(e) => {
        if (drawn) setDrawn({ ...drawn, to: paper(e) });
      }}
      onPointerUp={() => {
        if (drawn && Math.hypot(drawn.to[0] - drawn.from[0], drawn.to[1] - drawn.from[1]) > LEAST)
          enlarge(drawn.view, drawn.from, drawn.to);
        setDrawn(null);
      }}
    >
      <rect width={sheet.size[0]} height={sheet.size[1]} fill="transparent" />
      {drawn ? (
        <circle
          cx={drawn.from[0]}
          cy={drawn.from[1]}
          r={Math.hypot(drawn.to[0] - drawn.from[0], drawn.to[1] - drawn.from[1])}
          className="fill-[#b4451f]/10 stroke-[#b4451f]"
          strokeWidth={0.35}
        />
      ) : null}
    </g>
  );
}
