/** The straight-on check of what is shown: made by itself after each record, kept until something else is shown. */

import { useEffect } from "react";

import { useTable } from "../state/table";
import { check } from "../state/work";

export function useCheck(): void {
  const shown = useTable((s) => s.shown),
    previewing = useTable((s) => s.previewing);
  const wanted = shown && !previewing && shown.sheet.facts.views.length > 0 && shown.report.figures.bodies > 0;
  const of = wanted ? shown.computation : null;
  useEffect(() => {
    if (of) void check();
  }, [of]);
}
