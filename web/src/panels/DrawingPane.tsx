/** The drawing sheet, drawn anew whenever the part or its sentence changes. It lies over the pane of the linework. */

import { useEffect, useRef, useState } from "react";

import { useTable } from "../state/table";
import { drawSheet } from "../state/work";

const MOST_TOLD = 12,
  CLOSEST = 12;
interface Look {
  zoom: number;
  x: number;
  y: number;
}
type Place3 = [number, number, number];
const WHOLE: Look = { zoom: 1, x: 0, y: 0 };

/** What is open, those of one kind together. */
function alike(open: { text: string; at: Place3 }[]): { text: string; at: Place3[] }[] {
  const out = new Map<string, Place3[]>();
  for (const one of open) out.set(one.text, [...(out.get(one.text) ?? []), one.at]);
  return [...out].map(([text, at]) => ({ text, at }));
}

export function DrawingPane() {
  const { shown, drawn, set } = useTable();
  const [look, setLook] = useState(WHOLE);
  const pane = useRef<HTMLDivElement>(null),
    from = useRef<{ x: number; y: number } | null>(null);
  const of = shown?.computation;
  useEffect(() => {
    if (of) void drawSheet();
  }, [of]);
  useEffect(() => {
    const box = pane.current;
    if (!box) return;
    const zoomed = (e: WheelEvent) => {
      e.preventDefault();
      const { left, top, width, height } = box.getBoundingClientRect(),
        dx = e.clientX - left - width / 2,
        dy = e.clientY - top - height / 2;
      setLook((now) => {
        const zoom = Math.min(CLOSEST, Math.max(1, now.zoom * Math.exp(-e.deltaY / 300))),
          by = zoom / now.zoom;
        return zoom === 1 ? WHOLE : { zoom, x: dx - (dx - now.x) * by, y: dy - (dy - now.y) * by };
      });
    };
    box.addEventListener("wheel", zoomed, { passive: false });
    return () => {
      box.removeEventListener("wheel", zoomed);
    };
  }, []);
  const sheet = drawn?.sheet ?? null,
    fresh = drawn?.of === of && sheet !== null;
  return (
    <section
      className="absolute inset-0 z-10 grid min-h-0 min-w-0 grid-rows-[auto_minmax(0,1fr)_auto] bg-paper"
      aria-label="Drawing sheet"
    >
      <div className="flex items-center gap-3 px-3.5 pt-2">
        <span className="cap">Drawing sheet</span>
        <span className="num flex-1 text-[13px] text-faint">
          {sheet ? `${sheet.sheet}, ${sheet.scale}, ${sheet.projection} angle` : ""}
        </span>
        {look.zoom > 1 ? (
          <button
            type="button"
            className="border-b border-rule text-[13px] text-faint hover:border-brick hover:text-ink"
            onClick={() => {
              setLook(WHOLE);
            }}
          >
            whole sheet
          </button>
        ) : null}
      </div>
      <div
        ref={pane}
        className="relative m-3 min-h-0 cursor-grab overflow-hidden rounded-md border border-rule bg-white active:cursor-grabbing"
        onPointerDown={(e) => {
          from.current = { x: e.clientX - look.x, y: e.clientY - look.y };
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={(e) => {
          const start = from.current;
          if (start && look.zoom > 1) setLook({ ...look, x: e.clientX - start.x, y: e.clientY - start.y });
        }}
        onPointerUp={() => {
          from.current = null;
        }}
      >
        {sheet ? (
          <div
            className="absolute inset-0 grid place-items-center [&>svg]:h-full [&>svg]:w-full"
            style={{ transform: `translate(${look.x}px, ${look.y}px) scale(${look.zoom})` }}
            role="img"
            aria-label={`Drawing sheet ${sheet.sheet} with ${sheet.dimensions.length} dimensions`}
            dangerouslySetInnerHTML={{ __html: sheet.svg.slice(sheet.svg.indexOf("<svg")) }}
          />
        ) : null}
        {!fresh ? (
          <p className="absolute inset-x-0 top-2 text-center text-[13px] text-[#5a5348]" role="status">
            {drawn?.trouble ? drawn.trouble : "Drawing…"}
          </p>
        ) : null}
      </div>
      <div className="max-h-40 overflow-y-auto px-3.5 pb-2 text-[13px]" aria-live="polite">
        {sheet ? (
          <p>
            <span className="num">{sheet.dimensions.length}</span> dimensions;{" "}
            {sheet.open.length ? (
              <b className="font-semibold text-ochre">
                {sheet.open.length === 1 ? "one thing is" : `${sheet.open.length} things are`} still undimensioned
              </b>
            ) : sheet.dimensions.length ? (
              <span className="text-verdigris">nothing of the part is undimensioned</span>
            ) : (
              "none is wanted"
            )}
            {sheet.spare.length ? `; ${sheet.spare.length} stated twice` : ""}
          </p>
        ) : null}
        {sheet?.open.length ? (
          <ul className="columns-2 gap-6">
            {alike(sheet.open).map(({ text, at }) => (
              <li key={text}>
                {text}{" "}
                {at.slice(0, MOST_TOLD).map((place, n) => (
                  <button
                    key={place.join()}
                    type="button"
                    className="num mr-1.5 border-b border-rule hover:border-brick"
                    aria-label={`Show ${text}, ${n + 1} of ${at.length}, on the part`}
                    title="Show it on the part"
                    onClick={() => {
                      set({ pointed: place });
                    }}
                  >
                    {n + 1}
                  </button>
                ))}
                {at.length > MOST_TOLD ? <span className="text-faint">and {at.length - MOST_TOLD} more</span> : null}
              </li>
            ))}
          </ul>
        ) : null}
      </div>
    </section>
  );
}
