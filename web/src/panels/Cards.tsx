/** Cards in rows, as many side by side as there is room for. Only those in sight are there: thousands scroll. */

import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, type RefObject, useEffect, useLayoutEffect, useRef, useState } from "react";

import type { PartOnShelf } from "../api/client";

const LEAST_WIDE = 270,
  GAP = 20,
  USUAL_HEIGHT = 283;

/** How many cards there are, how many side by side, and how the focus gets to one of them. */
export interface CardsControl {
  count: number;
  wide: number;
  focus(place: number): void;
}

interface Props {
  /** How many there are, and those of them that are known: the others are on their way. */
  count: number;
  at(place: number): PartOnShelf | undefined;
  /** From which place to which cards are in sight. */
  seen(from: number, to: number): void;
  /** What scrolls. */
  pane: RefObject<HTMLElement | null>;
  control: RefObject<CardsControl | null>;
  card(part: PartOnShelf): ReactNode;
}

export function Cards({ count, at, seen, pane, control, card }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [wide, setWide] = useState(1),
    [above, setAbove] = useState(0);
  useLayoutEffect(() => {
    const measure = () => {
      const width = box.current?.clientWidth ?? LEAST_WIDE;
      setWide(Math.max(1, Math.floor((width + GAP) / (LEAST_WIDE + GAP))));
      setAbove(box.current?.offsetTop ?? 0);
    };
    const watcher = new ResizeObserver(measure);
    watcher.observe(box.current!);
    measure();
    return () => {
      watcher.disconnect();
    };
  }, []);
  const rows = useVirtualizer({
    count: Math.ceil(count / wide),
    getScrollElement: () => pane.current,
    estimateSize: () => USUAL_HEIGHT,
    gap: GAP,
    overscan: 2,
    scrollMargin: above,
  });
  useEffect(() => {
    control.current = {
      count,
      wide,
      focus: (place) => {
        const card = () => box.current?.querySelector<HTMLElement>(`[data-place="${place}"] [data-part]`);
        rows.scrollToIndex(Math.floor(place / wide));
        card()?.focus(); // at once where it is there: the next key may follow within the frame
        requestAnimationFrame(() => card()?.focus());
      },
    };
  }, [control, count, wide, rows]);
  const shown = rows.getVirtualItems(),
    from = (shown[0]?.index ?? 0) * wide,
    to = Math.min(((shown.at(-1)?.index ?? 0) + 1) * wide, count) - 1;
  useEffect(() => {
    seen(from, to);
  }, [seen, from, to]);
  return (
    <div ref={box} className="relative mt-3" style={{ height: rows.getTotalSize() }} role="list" aria-label="Parts">
      {shown.map((row) => (
        <div
          key={row.key}
          ref={rows.measureElement}
          data-index={row.index}
          role="presentation"
          className="absolute inset-x-0 top-0 grid items-start"
          style={{
            gap: GAP,
            gridTemplateColumns: `repeat(${wide}, minmax(0, 1fr))`,
            transform: `translateY(${row.start - rows.options.scrollMargin}px)`,
          }}
        >
          {Array.from({ length: Math.min(wide, count - row.index * wide) }, (_, n) => {
            const place = row.index * wide + n,
              part = at(place);
            return (
              <div key={part?.id ?? `-${place}`} role="listitem" data-place={place}>
                {part ? card(part) : <div className="h-[283px] rounded-xl border border-rule bg-raised" aria-hidden />}
              </div>
            );
          })}
        </div>
      ))}
    </div>
  );
}
