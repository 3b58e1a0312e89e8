/**
 * Gaps in order of size along a scale of distances, and over them how many loops close at each; drag along it to try a
 * distance.
 */

import { useRef } from "react";

import { type JoiningFacts } from "../scene/sheetData";
import { show } from "../scene/shownUnits";

const W = 440,
  H = 150,
  RIGHT = 14,
  TOP = 14,
  FOOT = 30,
  DIGIT = 6.7;

export function JoiningChart({
  joining,
  at,
  choose,
}: {
  joining: JoiningFacts;
  at: number;
  choose(distance: number): void;
}) {
  const box = useRef<SVGSVGElement>(null);
  const { sizes, loops, swallows, proposed } = joining;
  const low = Math.log10(Math.max(Math.min(sizes[0]!, proposed), 1e-6)) - 0.4,
    high = Math.log10(Math.max(sizes.at(-1)!, proposed, swallows ?? 0)) + 0.35;
  const LEFT = 16 + DIGIT * Math.max(...[loops[0]!, loops.at(-1)!].map((n) => String(n).length)); // room for the counts
  const x = (v: number) => LEFT + ((Math.log10(Math.max(v, 1e-9)) - low) / (high - low)) * (W - LEFT - RIGHT);
  const fewest = Math.min(...loops),
    most = Math.max(...loops, fewest + 1);
  const y = (n: number) => H - FOOT - 12 - ((n - fewest) / (most - fewest)) * (H - FOOT - TOP - 22);
  const steps = [
    `M ${x(10 ** low)} ${y(loops[0]!)}`,
    ...sizes.flatMap((s, k) => [`H ${x(s)}`, `V ${y(loops[k + 1]!)}`]),
    `H ${W - RIGHT}`,
  ].join(" ");
  const below = sizes.filter((s) => s <= proposed).at(-1),
    above = sizes.find((s) => s > proposed);
  const ticks = [...Array(Math.max(0, Math.floor(high) - Math.ceil(low) + 1)).keys()].map((k) => Math.ceil(low) + k);
  const pick = (clientX: number) => {
    const r = box.current!.getBoundingClientRect();
    const share = Math.min(1, Math.max(0, (((clientX - r.left) / r.width) * W - LEFT) / (W - LEFT - RIGHT)));
    choose(Number((10 ** (low + share * (high - low))).toPrecision(2)));
  };
  const nudge = (by: number) => {
    choose(Number((at * 10 ** (by * 0.08)).toPrecision(2)));
  };
  return (
    <svg
      ref={box}
      viewBox={`0 0 ${W} ${H}`}
      className="mt-1.5 w-full cursor-ew-resize touch-none rounded-xl border border-rule bg-raised"
      role="slider"
      tabIndex={0}
      aria-label="Joining distance"
      aria-valuenow={at}
      aria-valuetext={`${show(at, 5)} mm`}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        pick(e.clientX);
      }}
      onPointerMove={(e) => {
        if (e.currentTarget.hasPointerCapture(e.pointerId)) pick(e.clientX);
      }}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
        if (by && !e.shiftKey) {
          e.stopPropagation();
          e.preventDefault();
          nudge(by);
        }
      }}
    >
      {below !== undefined ? (
        <rect
          x={x(below)}
          y={TOP}
          width={Math.max(0, x(above ?? Math.min(swallows ?? Infinity, 10 ** high)) - x(below))}
          height={H - FOOT - TOP}
          fill="var(--verdigris)"
          opacity="0.12"
        />
      ) : null}
      {swallows ? (
        <rect
          x={x(swallows)}
          y={TOP}
          width={Math.max(0, W - RIGHT - x(swallows))}
          height={H - FOOT - TOP}
          fill="var(--madder)"
          opacity="0.1"
        />
      ) : null}
      <line x1={LEFT} x2={W - RIGHT} y1={H - FOOT} y2={H - FOOT} stroke="var(--rule)" />
      {ticks.map((t) => (
        <text
          key={t}
          x={x(10 ** t)}
          y={H - 10}
          textAnchor="middle"
          fontSize="11"
          fontFamily="var(--font-mono)"
          fill="var(--faint)"
        >
          {10 ** t >= 1 ? 10 ** t : show(10 ** t, 6)}
        </text>
      ))}
      <text x={W - 4} y={H - 10} textAnchor="end" fontSize="11" fontFamily="var(--font-mono)" fill="var(--faint)">
        mm
      </text>
      <path d={steps} fill="none" stroke="var(--verdigris)" strokeWidth="1.8" />
      {[...new Set([loops[0]!, loops.at(-1)!])].map((n) => (
        <text
          key={n}
          x={LEFT - 8}
          y={y(n) + 4}
          textAnchor="end"
          fontSize="11"
          fontFamily="var(--font-mono)"
          fill="var(--verdigris)"
        >
          {n}
        </text>
      ))}
      {sizes.slice(0, 400).map((s, k) => (
        <circle key={k} cx={x(s)} cy={H - FOOT} r="3.4" fill="var(--raised)" stroke="var(--ochre)" strokeWidth="1.6" />
      ))}
      <line x1={x(at)} x2={x(at)} y1={TOP - 4} y2={H - FOOT} stroke="var(--brick)" strokeWidth="1.6" />
      <g transform={`translate(${Math.min(Math.max(x(at), LEFT + 24), W - 40)} 12)`}>
        <rect x="-30" y="-10" width="60" height="17" rx="3" fill="var(--brick)" />
        <text textAnchor="middle" y="3" fontSize="12" fontFamily="var(--font-mono)" fill="var(--onbrick)">
          {show(at, 5)}
        </text>
      </g>
    </svg>
  );
}
