/** The part in its pane: the solid, its overall sizes, the unfolded box, and what is pointed at in words. */

import { type RefObject, useEffect, useRef, useState, useMemo } from "react";

import { api, type Kind, type DrawnDimension, type Laid } from "../api/client";
import { finished } from "../api/wait";
import { overallSizes } from "../scene/overallSizes";
import { alongAxes, type PartData, type Piece } from "../scene/partData";
import { type Direction, PartScene } from "../scene/partScene";
import { lengthText, massText, sizesText, surfaceText, volumeText } from "../scene/shownUnits";
import { type Shown, useTable } from "../state/table";
import { sentenceOf, wantsPiece } from "../state/draft";
import { ArtHandles } from "./ArtHandles";
import { BodiesList } from "./BodiesList";
import { partInWords } from "./summaries";
import { DimensionLine } from "./DimensionLine";
import { FitButton } from "../ui/FitButton";
import { InsidePanel } from "./InsidePanel";
import { givePiece } from "../state/work";

export function PartPane({ scene, kinds }: { scene: RefObject<PartScene | null>; kinds: Kind[] }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [, tick] = useState(0);
  const [linework, setLinework] = useState(true);
  const { shown: computed, looking, hover, pickedPieces, hidden, previewing, draft, pointed } = useTable();
  const solids = looking?.solids;
  const shown = useMemo(() => (computed && solids ? { ...computed, part: solids } : computed), [computed, solids]);
  useEffect(() => {
    const made = new PartScene(canvas.current!, {
      moved: point,
      pressed: press,
      looked: () => {
        tick((n) => n + 1);
      },
    });
    scene.current = made;
    return () => {
      scene.current = null;
      made.dispose();
    };
  }, [scene]);
  useEffect(() => {
    if (shown) scene.current?.show(shown.part, shown.sheet);
  }, [shown, scene]);
  useEffect(() => {
    scene.current?.hide(hidden);
  }, [hidden, shown, scene]);
  useEffect(() => {
    const also = shown
      ? [...hover.curves.slice(0, 1), ...(hover.region >= 0 ? shown.sheet.curvesOfRegion(hover.region) : [])].flatMap(
          (row) => shown.part.facesOn(shown.sheet.facts.ids[row]!),
        )
      : [];
    scene.current?.mark(hover.piece, pickedPieces, also);
  }, [hover, pickedPieces, shown, scene]);

  const apart = useDistance(shown, pickedPieces);
  const figures = shown?.report.figures;
  const empty = shown && !figures?.bodies;
  const laid = draft
    ? shown?.report.steps
        .find((s) => s.number === draft.step.number)
        ?.notes.map((n) => n.drawn)
        .find((d): d is Laid => d !== undefined && "origin" in d)
    : undefined;
  const dimensions = (shown?.report.steps ?? []).flatMap((s) =>
    s.notes.flatMap((n) => (n.drawn && "dimension" in n.drawn ? [n.drawn.dimension] : [])),
  );
  const built = shown?.report.steps.find((s) => s.number === draft?.step.number)?.status === "ok";
  return (
    <section
      className="@container relative flex min-h-0 min-w-0 flex-col overflow-hidden"
      aria-label="Part"
      data-pane="part"
      tabIndex={0}
    >
      {shown ? (
        <section className="sr-only" aria-label="Summary of the part">
          {partInWords(shown.report)}
        </section>
      ) : null}
      <div className="flex min-h-0 flex-1 flex-col @min-[680px]:flex-row">
        {shown && shown.part.facts.bodies.length > 1 ? (
          <BodiesList part={shown.part} kinds={solids ? [] : kinds} bare={Boolean(solids)} />
        ) : null}
        <div className="relative min-h-0 min-w-0 flex-1">
          <canvas ref={canvas} aria-hidden className="absolute inset-0 h-full w-full touch-none" />
          <span className="cap pointer-events-none absolute top-3 left-3.5 @max-[260px]:left-1.5">
            Part
            {previewing && built ? (
              <span className="ml-2 normal-case tracking-normal text-brick">preview, not recorded</span>
            ) : null}
          </span>
          {dimensions.length && shown && scene.current ? (
            <Dimensions scene={scene.current} all={dimensions} origin={shown.part.facts.origin} />
          ) : null}
          {pointed && shown && scene.current ? (
            <Pointed at={scene.current.corner(...fromOrigin(pointed, shown.part.facts.origin))} />
          ) : null}
          {laid && scene.current ? <ArtHandles scene={scene.current} laid={laid} /> : null}
          {shown && scene.current && figures?.bodies ? <Sizes scene={scene.current} data={shown.part} /> : null}
          <UnfoldedBox
            at={scene.current?.direction ?? null}
            look={(d) => {
              scene.current?.look(d);
            }}
          />
          <FitButton
            what="part"
            className="absolute top-[120px] right-3.5 @max-[260px]:top-2"
            fit={() => {
              scene.current?.fit();
            }}
          />
          <button
            type="button"
            aria-pressed={linework}
            className="absolute top-[92px] right-3.5 @max-[260px]:hidden rounded border border-rule bg-raised px-2 py-0.5 text-[12px] hover:border-faint"
            onClick={() => {
              scene.current?.setLinework(!linework);
              setLinework(!linework);
            }}
          >
            {linework ? "Hide" : "Show"} linework
          </button>
          {shown && figures?.bodies ? <InsidePanel scene={scene} shown={shown} /> : null}
          {empty ? (
            <p
              className={`absolute inset-x-8 text-center text-faint ${shown.sheet.curves ? "bottom-[calc(var(--told,0px)+16px)]" : "top-[46%]"}`}
            >
              No body yet. Pick a closed region on the sheet, then write <b className="text-ink">Extrude</b> in the
              stage Build
              {shown.sheet.facts.views.length > 1 ? (
                <>
                  , or press <b className="text-ink">From the views</b>
                </>
              ) : null}
              .
            </p>
          ) : null}
          {linework && scene.current?.thinned ? (
            <p className="pointer-events-none absolute top-9 left-3.5 rounded bg-paper/85 px-1 text-[12.5px] text-faint">
              linework: the largest curves only
            </p>
          ) : null}
          {figures?.bodies ? (
            <p
              className="num pointer-events-none absolute bottom-[calc(var(--told,0px)+10px)] left-3.5 flex flex-wrap gap-x-5 rounded bg-paper/85 px-1 text-[12.5px] text-faint"
              aria-label="Figures of the part"
            >
              <span>{sizesText(figures.bounds, 3)}</span>
              <span title="volume">{volumeText(figures.volume_mm3)}</span>
              <span title="surface">{surfaceText(figures.surface_mm2)}</span>
              {figures.mass_g !== null ? (
                <span title={`mass at ${figures.density ?? 0} g/cm³`}>
                  {massText(figures.mass_g, 1)} {figures.material}
                </span>
              ) : null}
            </p>
          ) : null}
          <p
            className="pointer-events-none absolute right-3.5 bottom-[calc(var(--told,0px)+32px)] left-3.5 truncate text-[13px]"
            aria-live="polite"
          >
            <span className="rounded bg-paper/85 px-1 empty:hidden">
              {describePicked(shown?.part ?? null, hover.piece, pickedPieces, apart)}
            </span>
          </p>
        </div>
      </div>
    </section>
  );
}

const leastText = ({ mm, from, to }: { mm: number; from: number[]; to: number[] }) =>
  `${lengthText(mm)}, the least distance between the two${alongAxes(to.map((v, k) => v - from[k]!))}`;

/** The least distance between two picked pieces that no closed form tells: the kernel is asked. */
function useDistance(shown: Shown | null, picked: Piece[]): string | null {
  const [found, setFound] = useState<{ of: Piece[]; text: string } | null>(null);
  useEffect(() => {
    if (!shown || picked.length !== 2 || shown.part.distance(picked[0]!, picked[1]!)) return;
    const stop = new AbortController();
    const [a, b] = picked.map((p): [string, number] => [p.type, p.index]);
    setFound({ of: picked, text: "measuring …" });
    void (async () => {
      try {
        const done = await finished(await api.distance(shown.computation, a!, b!), () => undefined, stop.signal);
        const text = done.state === "done" ? leastText(await api.distanceFound(done.id)) : done.message;
        if (!stop.signal.aborted) setFound({ of: picked, text });
      } catch (error) {
        if (!stop.signal.aborted) setFound({ of: picked, text: sentenceOf(error) });
      }
    })();
    return () => {
      stop.abort();
    };
  }, [shown, picked]);
  return found?.of === picked ? found.text : null;
}

function describePicked(part: PartData | null, hover: Piece | null, picked: Piece[], apart: string | null): string {
  if (!part) return "";
  if (picked.length === 2) {
    const gap = part.distance(picked[0]!, picked[1]!) ?? apart;
    if (gap) return gap;
  }
  const one = hover ?? picked.at(-1);
  const more = !hover && picked.length === 1 ? "; Shift and a press on another measures between them" : "";
  return one ? `${part.describe(one)}${more}` : "";
}

function point(piece: Piece | null): void {
  const { hover, set } = useTable.getState();
  if (piece?.type !== hover.piece?.type || piece?.index !== hover.piece?.index)
    set({ hover: { curves: [], region: -1, piece } });
}

function press(piece: Piece | null, add: boolean, at: number[]): void {
  const { pickedPieces, draft, set } = useTable.getState();
  if (piece && wantsPiece(draft, piece.type)) {
    givePiece(piece.type, piece.index, at);
    return;
  }
  const pressed = piece && { ...piece, at };
  set({ pickedPieces: pressed ? (add ? [...pickedPieces.slice(-1), pressed] : [pressed]) : [] });
}

const SQUARES: [Direction, string, number, number][] = [
  ["top", "T", 1, 0],
  ["left", "L", 0, 1],
  ["front", "F", 1, 1],
  ["right", "R", 2, 1],
  ["rear", "B", 3, 1],
  ["bottom", "U", 1, 2],
];
const CORNERS: [Direction, number, number][] = [
  ["upper left", 0, 0],
  ["upper right", 2, 0],
  ["lower left", 0, 2],
  ["lower right", 2, 2],
];

/** Looking directions as a sheet unfolds them: six squares in a cross, the corners for pictorial views. */
function UnfoldedBox({ at, look }: { at: Direction | null; look(d: Direction): void }) {
  const cell = "absolute grid h-[18px] w-[18px] place-items-center";
  return (
    <div
      className="absolute top-3.5 right-3.5 h-[66px] w-[84px] @max-[260px]:hidden"
      role="group"
      aria-label="Look from"
    >
      {SQUARES.map(([name, letter, x, y]) => (
        <button
          key={name}
          type="button"
          title={`Look from the ${name === "bottom" ? "underside" : name}`}
          aria-label={`Look from the ${name}`}
          aria-pressed={at === name}
          onClick={() => {
            look(name);
          }}
          className={`${cell} rounded-[3px] border bg-raised font-mono text-[10px] ${at === name ? "border-brick font-semibold text-brick" : "border-rule text-faint hover:border-faint"}`}
          style={{ left: x * 21, top: y * 21 }}
        >
          {letter}
        </button>
      ))}
      {CORNERS.map(([name, x, y]) => (
        <button
          key={name}
          type="button"
          title={`Pictorial view, ${name}`}
          aria-label={`Pictorial view, ${name}`}
          aria-pressed={at === name}
          onClick={() => {
            look(name);
          }}
          className={cell}
          style={{ left: x * 21, top: y * 21 }}
        >
          <span
            className={`h-[9px] w-[9px] rounded-full border ${at === name ? "border-brick bg-brick" : "border-rule bg-raised"}`}
          />
        </button>
      ))}
    </div>
  );
}

/** Overall sizes drawn as dimension lines. */
function Sizes({ scene, data }: { scene: PartScene; data: PartData }) {
  const lines = overallSizes(data, (x, y, z) => scene.corner(x, y, z));
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full">
      <defs>
        <marker
          id="tip"
          viewBox="0 0 10 6"
          refX="10"
          refY="3"
          markerWidth="10"
          markerHeight="6"
          orient="auto-start-reverse"
        >
          <path d="M0 0.4 10 3 0 5.6z" fill="var(--ink)" />
        </marker>
      </defs>
      {lines.map((l) => {
        const text = lengthText(l.length),
          mx = (l.x0 + l.x1) / 2,
          my = (l.y0 + l.y1) / 2,
          w = text.length * 7.6 + 8;
        return (
          <g key={l.key} stroke="var(--ink)" strokeWidth="0.8">
            <line x1={l.from[0]} y1={l.from[1]} x2={l.x0} y2={l.y0} stroke="var(--faint)" />
            <line x1={l.from[2]} y1={l.from[3]} x2={l.x1} y2={l.y1} stroke="var(--faint)" />
            <line x1={l.x0} y1={l.y0} x2={l.x1} y2={l.y1} markerStart="url(#tip)" markerEnd="url(#tip)" />
            <g transform={`translate(${mx} ${my}) rotate(${l.angle})`}>
              <rect x={-w / 2} y="-9" width={w} height="18" fill="var(--paper)" stroke="none" />
              <text
                textAnchor="middle"
                dy="4.5"
                fontSize="12.5"
                fontFamily="var(--font-mono)"
                fill="var(--ink)"
                stroke="none"
              >
                {text}
              </text>
            </g>
          </g>
        );
      })}
    </svg>
  );
}

const fromOrigin = (at: [number, number, number], origin: number[]): [number, number, number] => [
  at[0] - origin[0]!,
  at[1] - origin[1]!,
  at[2] - origin[2]!,
];

/** A ring round a place that a remark is about. */
function Pointed({ at: [left, top] }: { at: [number, number] }) {
  return (
    <span
      className="pointer-events-none absolute h-7 w-7 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 border-ochre bg-ochre/15"
      style={{ left, top }}
      data-pointed
    />
  );
}

/** Dimensions that stand on the card, each between its two places. */
function Dimensions({ scene, all, origin }: { scene: PartScene; all: DrawnDimension[]; origin: number[] }) {
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-label="Dimensions" role="group">
      {all.map((one, n) => {
        const [x0, y0] = scene.corner(...fromOrigin(one.from, origin)),
          [x1, y1] = scene.corner(...fromOrigin(one.to, origin));
        return <DimensionLine key={n} x0={x0} y0={y0} x1={x1} y1={y1} text={one.text} />;
      })}
    </svg>
  );
}
