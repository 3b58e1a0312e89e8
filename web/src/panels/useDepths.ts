/**
 * Depths proposed for the profile that is picked: asked for when the pick changes, kept while one of them is being
 * written.
 */

import { useEffect, useRef, useState } from "react";

import { api, type Depth } from "../api/client";
import { finished } from "../api/wait";
import { useTable } from "../state/table";
import { sentenceOf } from "../state/draft";

export interface Depths {
  regions: string[];
  depths: Depth[];
  state: string;
}

export function useDepths(): Depths | null {
  const { shown, stage, picks, draft, previewing } = useTable();
  const [found, setFound] = useState<(Depths & { of: string }) | null>(null);
  const wanted =
    stage === "build" &&
    !draft &&
    !previewing &&
    shown &&
    (shown.sheet.facts.views.length > 1 || shown.sheet.facts.states_thickness) &&
    picks.regions.length > 0;
  const of = wanted ? `${shown.computation} ${shown.sheetName} ${picks.regions.join()}` : null;
  const asking = useRef<AbortController | null>(null);
  useEffect(() => () => asking.current?.abort(), []);
  useEffect(() => {
    if (!of) return; // what was asked goes on while one of the depths, or something else, is written
    asking.current?.abort();
    const stop = (asking.current = new AbortController()),
      { shown: now, picks: mine } = useTable.getState(),
      regions = mine.regions;
    const put = (depths: Depth[], state: string) => {
      if (!stop.signal.aborted) setFound({ of, regions, depths, state });
    };
    put([], "Looking at the other views …");
    void (async () => {
      try {
        const done = await finished(
          await api.depths(now!.computation, regions[0]!, now!.sheetName),
          () => undefined,
          stop.signal,
        );
        if (done.state !== "done") put([], done.message);
        else {
          const { depths, why } = await api.depthsFound(done.id);
          put(depths, why || (depths.length ? "" : "No other view shows a depth for this profile; type a length."));
        }
      } catch (error) {
        put([], sentenceOf(error));
      }
    })();
  }, [of]);
  if (draft)
    return draft.isNew &&
      found &&
      "profiles" in (draft.step.params ?? {}) &&
      picks.regions.join() === found.regions.join()
      ? found
      : null;
  return found?.of === of ? found : null;
}
