/** What goes out: files of the part, each with the choices that matter for it. */

import { type ReactNode, useState } from "react";

import { api } from "../api/client";
import { takeFileOf } from "../api/take";
import { finished } from "../api/wait";
import { useTable } from "../state/table";
import { sentenceOf } from "../state/draft";
import { CutList } from "./CutList";
import { PrintPanel } from "./PrintPanel";
import { Button } from "../ui/Button";

export function HandOverPane() {
  const { part, shown, picks } = useTable();
  const [chord, setChord] = useState("0.05"),
    [angle, setAngle] = useState("20"),
    [version, setVersion] = useState("R2010");
  const [busy, setBusy] = useState<string | null>(null),
    [told, setTold] = useState<string | null>(null),
    [cutting, setCutting] = useState(false);
  const bodies = shown?.report.figures.bodies ?? 0;

  async function take(kind: string, options: Record<string, unknown>, name = kind) {
    if (!part) return;
    setBusy(name);
    setTold(null);
    try {
      const done = await finished(
        await api.exportFile(part.id, { kind, sheet: shown?.sheetName ?? "", ...options }),
        () => undefined,
        new AbortController().signal,
      );
      if (done.state !== "done") throw new Error(done.message);
      takeFileOf(done.id);
      setTold(`${kind.toUpperCase()} written. ${done.message}`.trim());
    } catch (error) {
      setTold(sentenceOf(error).replace("Something of ours went wrong: ", ""));
    } finally {
      setBusy(null);
    }
  }

  const mesh = { chord_mm: chord, angle_deg: angle };
  const field = "num w-16 rounded-md border border-rule bg-paper px-2 py-0.5 text-right";
  return (
    <section className="min-h-0 overflow-y-auto border-t border-rule px-4 py-3" aria-label="Hand over" data-downloads>
      <span className="cap">Hand over</span>
      <Entry
        title="drawing sheet"
        text="Views, dimensions, frame and title block as the card draws them: PDF true to scale, DXF with true dimensions."
        off={!bodies}
        busy={busy === "drawing pdf"}
        take={() => take("pdf", { what: "drawing" }, "drawing pdf")}
      >
        {(["dxf", "svg"] as const).map((kind) => (
          <button
            key={kind}
            type="button"
            className="border-b border-rule hover:border-brick disabled:opacity-50"
            disabled={!bodies || busy !== null}
            onClick={() => {
              void take(kind, { what: "drawing", version }, `drawing ${kind}`);
            }}
          >
            {busy === `drawing ${kind}`
              ? "writing…"
              : `as ${kind.toUpperCase()}${kind === "dxf" ? `, ${version}` : ""}`}
          </button>
        ))}
      </Entry>
      {bodies > 1 ? (
        <Entry
          title="parts list"
          text="What the part is made of: counts, names and issues, sizes, materials and masses, as CSV. It stands on the drawing sheet too."
          off={false}
          busy={busy === "parts list"}
          take={() => take("csv", { what: "parts_list" }, "parts list")}
        />
      ) : null}
      {part?.card.steps?.some((s) => "section" in (s.params ?? {}) && s.on) ? (
        <Entry
          title="cut list"
          text="The bars of this part: lengths, angles, and how they are cut from stock."
          off={false}
          busy={false}
          does="Show"
          take={() => {
            setCutting(true);
          }}
        />
      ) : null}
      {cutting && part ? (
        <CutList
          parts={[part.id]}
          close={() => {
            setCutting(false);
          }}
        />
      ) : null}
      <Entry
        title="everything in one"
        text="STEP, the drawing as PDF and DXF, flat profiles, the report and the card, as one zip named by number and issue."
        off={!bodies}
        busy={busy === "zip"}
        take={() => take("zip", { profiles: picks.regions })}
      />
      <Entry
        title="report"
        text="How far the part agrees with the drawing it came from, view by view and size by size, as a PDF with pictures."
        off={!bodies || !shown?.sheet.facts.views.length}
        busy={busy === "report"}
        take={() => take("pdf", { what: "report" }, "report")}
      />
      <PrintPanel />
      <Entry
        title="STEP"
        text="True surfaces with names, in mm: for another designer, a mill, a supplier."
        off={!bodies}
        busy={busy === "step"}
        take={() => take("step", {})}
      />
      <Entry
        title="STL"
        text="A mesh for a printer, in mm."
        off={!bodies}
        busy={busy === "stl"}
        take={() => take("stl", mesh)}
      >
        <label className="flex items-center gap-2">
          chord tolerance{" "}
          <input
            className={field}
            value={chord}
            onChange={(e) => {
              setChord(e.target.value);
            }}
          />{" "}
          mm
        </label>
        <label className="flex items-center gap-2">
          angle{" "}
          <input
            className={field}
            value={angle}
            onChange={(e) => {
              setAngle(e.target.value);
            }}
          />{" "}
          °
        </label>
      </Entry>
      <Entry
        title="3MF"
        text="The same mesh, with unit and names, for newer printers."
        off={!bodies}
        busy={busy === "3mf"}
        take={() => take("3mf", mesh)}
      />
      <Entry
        title="GLB"
        text="For showing it on a page."
        off={!bodies}
        busy={busy === "glb"}
        take={() => take("glb", mesh)}
      />
      <Entry
        title="DXF"
        text={
          picks.regions.length
            ? `${picks.regions.length === 1 ? "The picked profile" : `The ${picks.regions.length} picked profiles`}, true arcs.`
            : "All profiles with their holes, true arcs; pick some on the sheet for those alone."
        }
        off={!shown?.sheet.facts.regions.length}
        busy={busy === "dxf"}
        take={() => take("dxf", { version, profiles: picks.regions })}
      >
        <label className="flex items-center gap-2">
          version
          <select
            className="rounded-md border border-rule bg-paper px-2 py-0.5"
            value={version}
            onChange={(e) => {
              setVersion(e.target.value);
            }}
          >
            {["R12", "R2000", "R2010", "R2018"].map((v) => (
              <option key={v}>{v}</option>
            ))}
          </select>
        </label>
      </Entry>
      <h2 className="cap mt-5">The linework that is kept</h2>
      <Entry
        title="linework as DXF"
        text={`Layers and line types kept, closed polylines where they close, ${version}.`}
        off={!shown?.sheet.curves}
        busy={busy === "linework dxf"}
        take={() => take("dxf", { version, what: "linework" }, "linework dxf")}
      />
      <Entry
        title="linework as SVG"
        text="In mm, a group for each layer."
        off={!shown?.sheet.curves}
        busy={busy === "svg"}
        take={() => take("svg", {})}
      />
      <Entry
        title="coordinate table"
        text="Points of each curve within the chord tolerance above."
        off={!shown?.sheet.curves}
        busy={busy === "dat"}
        take={() => take("dat", mesh)}
      />
      {told ? (
        <p className="mt-3" role="status">
          {told}
        </p>
      ) : null}
    </section>
  );
}

function Entry({
  title,
  text,
  off,
  busy,
  does = "Download",
  take,
  children,
}: {
  title: string;
  text: string;
  off: boolean;
  busy: boolean;
  /** What its button does, where nothing is downloaded at once. */
  does?: string;
  take(): void;
  children?: ReactNode;
}) {
  return (
    <div className="dash-b flex items-start gap-3 py-3">
      <div className="flex-1">
        <h2 className="text-[15px] font-semibold">{title}</h2>
        <p className="text-[13.5px] text-faint">{text}</p>
        {children ? <div className="mt-1.5 flex flex-wrap gap-x-5 gap-y-1.5 text-[13.5px]">{children}</div> : null}
      </div>
      <Button tone="good" disabled={off || busy} onClick={take} aria-label={`${does} ${title}`}>
        {busy ? "Writing…" : does}
      </Button>
    </div>
  );
}
