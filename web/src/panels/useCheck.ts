/** The straight-on check of what is shown: asked for from Arrange on, kept until something else is shown. */

import { useEffect } from "react";

import { api } from "../api/client";
import { finished } from "../api/wait";
import { useTable } from "../state/table";
import { sentenceOf } from "../state/work";

export function useCheck(): void {
  const { shown, stage, previewing, checked, set } = useTable();
  const wanted = (stage === "check" || stage === "arrange" || stage === "build") && shown && !previewing && shown.sheet.facts.views.length > 0 && shown.report.figures.bodies > 0;
  const of = wanted ? shown.computation : null;
  useEffect(() => {
    if (!of || checked?.of === of) return;
    const stop = new AbortController();
    set({ checked: { of, views: [], state: "looking" } });
    void (async () => {
      try {
        const done = await finished(await api.check(of), () => undefined, stop.signal);
        const views = done.state === "done" ? (await api.checkFound(done.id)).views : [];
        if (!stop.signal.aborted) set({ checked: { of, views, state: done.state === "done" ? "done" : done.message } });
      } catch (error) {
        if (!stop.signal.aborted) set({ checked: { of, views: [], state: sentenceOf(error) } });
      }
    })();
    return () => { stop.abort(); };
    // `checked` is what this effect sets: to watch it would be to stop itself
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [of, set]);
}
