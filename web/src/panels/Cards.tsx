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
  list: PartOnShelf[];
  /** What scrolls. */
  pane: RefObject<HTMLElement | null>;
  control: RefObject<CardsControl | null>;
  card(part: PartOnShelf): ReactNode;
}

export function Cards({ list, pane, control, card }: Props) {
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
    count: Math.ceil(list.length / wide),
    getScrollElement: () => pane.current,
    estimateSize: () => USUAL_HEIGHT,
    gap: GAP,
    overscan: 2,
    scrollMargin: above,
  });
  useEffect(() => {
    control.current = {
      count: list.length,
      wide,
      focus: (place) => {
        const card = () => box.current?.querySelector<HTMLElement>(`[data-place="${place}"] [data-part]`);
        rows.scrollToIndex(Math.floor(place / wide));
        card()?.focus(); // at once where it is there: the next key may follow within the frame
        requestAnimationFrame(() => card()?.focus());
      },
    };
  }, [control, list.length, wide, rows]);
  return (
    <div ref={box} className="relative mt-3" style={{ height: rows.getTotalSize() }} role="list" aria-label="Parts">
      {rows.getVirtualItems().map((row) => (
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
          {list.slice(row.index * wide, (row.index + 1) * wide).map((part, n) => (
            <div key={part.id} role="listitem" data-place={row.index * wide + n}>
              {card(part)}
            </div>
          ))}
        </div>
      ))}
    </div>
  );
}
