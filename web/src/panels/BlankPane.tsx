/**
 * The flat blank of a sheet part over the pane of the linework: outline, bend lines, figures and the bend table; a
 * slider folds it up in the pane of the part.
 */

import { type RefObject, useEffect, useState } from "react";

import { api, type BlankFound, type Point2 } from "../api/client";
import { takeFileOf } from "../api/take";
import { finished } from "../api/wait";
import { folded } from "../scene/folding";
import type { PartScene } from "../scene/partScene";
import { areaText, lengthText, massText, show, sizesText } from "../scene/shownUnits";
import { sentenceOf } from "../state/draft";
import { useTable } from "../state/table";
import { Button } from "../ui/Button";

const ROOM = 0.06;

export function BlankPane({
  scene,
  close,
  inTheFlat,
}: {
  scene: RefObject<PartScene | null>;
  close(): void;
  /** Lay the blank on a sheet of its own; none for those who may not. */
  inTheFlat: (() => void) | null;
}) {
  const { shown, part, set } = useTable();
  const of = shown?.computation;
  const [found, setFound] = useState<BlankFound | null>(null),
    [told, setTold] = useState("Unfolding…"),
    [share, setShare] = useState(0);
  useEffect(() => {
    if (!of) return;
    const stop = new AbortController();
    void (async () => {
      try {
        const done = await finished(await api.blank(of), () => undefined, stop.signal);
        if (done.state !== "done") {
          setFound(null);
          setTold(done.message);
        } else setFound(await api.blankFound(done.id));
      } catch (error) {
        if (!stop.signal.aborted) setTold(sentenceOf(error));
      }
    })();
    return () => {
      stop.abort();
    };
  }, [of]);
  useEffect(() => {
    const map = found && folded(found, share);
    if (!map) return;
    scene.current?.showPieces(
      [
        ...found.flats.map(({ face, rings }) => ({ rings, fold: (p: [number, number, number]) => map.flat(face, p) })),
        ...found.slices.map(({ zone, rings }) => ({
          rings,
          plain: true,
          fold: (p: [number, number, number]) => map.bend(zone, p),
        })),
        ...found.marks.map(({ line, face, zone }) => ({
          rings: [],
          line,
          fold: (p: [number, number, number]) => (zone === null ? map.flat(face ?? found.fixed, p) : map.bend(zone, p)),
        })),
      ],
      found.thickness,
    );
  }, [found, share, scene]);
  useEffect(() => {
    const drawn = scene.current;
    return () => {
      drawn?.showPieces(null);
    };
  }, [scene]);

  async function take(kind: "dxf" | "csv") {
    if (!part) return;
    const done = await finished(
      await api.exportFile(part.id, { kind, what: "blank" }),
      () => undefined,
      new AbortController().signal,
    );
    if (done.state !== "done") {
      setTold(done.message);
      return;
    }
    takeFileOf(done.id);
  }

  return (
    <section
      className="absolute inset-0 z-10 grid min-h-0 min-w-0 grid-rows-[auto_minmax(0,1fr)_auto] bg-paper"
      aria-label="Flat blank"
    >
      <div className="flex items-center gap-3 px-3.5 pt-2">
        <span className="cap whitespace-nowrap">Flat blank</span>
        <span className="flex-1" />
        {inTheFlat ? (
          <Button className="whitespace-nowrap" disabled={!found} onClick={inTheFlat}>
            Work in the flat
          </Button>
        ) : null}
        <Button tone="good" className="whitespace-nowrap" disabled={!found} onClick={() => void take("dxf")}>
          Download DXF
        </Button>
        <button type="button" className="text-[13px] whitespace-nowrap text-faint hover:text-brick" onClick={close}>
          close
        </button>
      </div>
      {found ? <Drawn found={found} /> : <p className="p-4 text-center text-faint">{told}</p>}
      {found ? (
        <div className="max-h-56 overflow-y-auto px-3.5 pb-2 text-[13px]">
          <label className="flex items-center gap-2 py-1">
            flat
            <input
              type="range"
              className="min-w-0 flex-1 accent-[var(--brick)]"
              aria-label="How far the blank is folded"
              min={0}
              max={100}
              value={Math.round(share * 100)}
              onChange={(e) => {
                setShare(Number(e.target.value) / 100);
              }}
            />
            folded
          </label>
          <p className="num flex flex-wrap gap-x-5 text-faint">
            <span title="size">{sizesText([0, 0, 0, ...found.figures.bbox_mm.slice(2), found.thickness], 2)}</span>
            <span title="area">{areaText(found.figures.area_mm2)}</span>
            <span title="cut length, holes with it">cut {lengthText(found.figures.perimeter_mm, 1)}</span>
            {found.figures.mass_g === null ? null : <span title="mass">{massText(found.figures.mass_g, 1)}</span>}
          </p>
          {found.remarks.map((r, n) => (
            <button
              key={n}
              type="button"
              className="block text-left text-ochre hover:text-brick"
              title="Show it on the part"
              onClick={() => {
                setShare(1);
                set({ pointed: r.at });
              }}
            >
              {r.text}
            </button>
          ))}
          {found.bends.length ? (
            <table className="mt-1 w-full">
              <thead>
                <tr className="text-left text-faint">
                  <th className="font-normal">bend</th>
                  <th className="font-normal">angle, way, inner radius</th>
                  <th className="text-right font-normal">length</th>
                  <th className="text-right font-normal">takes</th>
                  <th className="text-right font-normal">K</th>
                  <th className="text-right font-normal">
                    <button
                      type="button"
                      className="border-b border-rule hover:border-brick hover:text-ink"
                      title="Download the bend table as comma-separated values"
                      onClick={() => void take("csv")}
                    >
                      CSV
                    </button>
                  </th>
                </tr>
              </thead>
              <tbody className="num">
                {found.bends.map((b) => (
                  <tr key={b.number}>
                    <td>{b.number}</td>
                    <td>{b.text}</td>
                    <td className="text-right">{lengthText(b.length_mm, 2)}</td>
                    <td className="text-right">{lengthText(b.allowance_mm, 3)}</td>
                    <td className="text-right">{show(b.k, 3)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          ) : (
            <p>No bends: the blank is the part.</p>
          )}
        </div>
      ) : null}
    </section>
  );
}

/** The blank to scale: outline and holes drawn through, bend lines as chain lines with their number. */
function Drawn({ found }: { found: BlankFound }) {
  const [, , wide, high] = found.figures.bbox_mm as [number, number, number, number],
    room = ROOM * Math.max(wide, high),
    unit = Math.max(wide, high) / 400;
  const path = (ring: Point2[]) => `M${ring.map(([x, y]) => `${x} ${high - y}`).join("L")}Z`;
  return (
    <svg
      className="m-3 h-[calc(100%-24px)] min-h-0 w-[calc(100%-24px)] rounded-md border border-rule bg-raised"
      viewBox={`${-room} ${-room} ${wide + 2 * room} ${high + 2 * room}`}
      role="img"
      aria-label={`Blank with ${found.bends.length} bends`}
    >
      <path
        d={found.rings.map(path).join("")}
        fill="var(--hatch)"
        fillOpacity={0.25}
        fillRule="evenodd"
        stroke="var(--ink)"
        strokeWidth={unit * 1.4}
      />
      {found.marks.map(({ line }, n) => (
        <path
          key={n}
          d={`M${line.map(([x, y]) => `${x} ${high - y}`).join("L")}`}
          fill="none"
          stroke="var(--verdigris)"
          strokeWidth={unit}
        />
      ))}
      {found.remarks.map(({ on_blank: [x, y] }, n) => (
        <circle key={n} cx={x} cy={high - y} r={unit * 9} fill="none" stroke="var(--ochre)" strokeWidth={unit * 2} />
      ))}
      {found.bends.map(({ number, line: [a, b] }) => (
        <g key={number}>
          <path
            d={`M${a[0]} ${high - a[1]}L${b[0]} ${high - b[1]}`}
            stroke="var(--brick)"
            strokeWidth={unit}
            strokeDasharray={`${unit * 10} ${unit * 3} ${unit * 2} ${unit * 3}`}
            fill="none"
          />
          <text
            x={(a[0] + b[0]) / 2 + unit * 4}
            y={high - (a[1] + b[1]) / 2}
            fontSize={unit * 13}
            fill="var(--brick)"
            stroke="var(--raised)"
            strokeWidth={unit * 3}
            paintOrder="stroke"
          >
            {number}
          </text>
        </g>
      ))}
    </svg>
  );
}
