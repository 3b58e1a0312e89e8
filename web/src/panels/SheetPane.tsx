/** The sheet in its pane: hooks the scene to the table's state, and says in words what is pointed at and picked. */

import { type RefObject, useEffect, useLayoutEffect, useRef, useState } from "react";

import { coordinateText, lengthUnit, show } from "../scene/shownUnits";
import type { Drawn, SheetData } from "../scene/sheetData";
import { type SheetPointer, SheetScene } from "../scene/sheetScene";
import { useTable } from "../state/table";
import { draftRegions, wantedOnSheet } from "../state/draft";
import {
  boundsOf,
  describePointed,
  hasProfiles,
  meansRegions,
  pickBlock,
  pickInBox,
  pickInLasso,
  pointAt,
  pressAt,
} from "./sheetPicking";
import { IssueMarks } from "./IssueMarks";
import { SheetTabs } from "./SheetTabs";
import { sheetInWords } from "./summaries";
import { FitButton } from "../ui/FitButton";
import { Segments } from "../ui/Segments";
import { Labels, PictureFader, SnapMark } from "./SheetMarks";

export function SheetPane({ scene }: { scene: RefObject<SheetScene | null> }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [pointer, setPointer] = useState<SheetPointer | null>(null);
  const [, tick] = useState(0);
  const { shown, early, picks, hover, draft, stage, pickedPieces, pickBy, boundBy, sheetAsks, set } = useTable();
  const sheet = early ?? shown?.sheet ?? null;

  useEffect(() => {
    const made = new SheetScene(canvas.current!, {
      moved: (at) => {
        setPointer(at);
        pointAt(at);
      },
      pressed: pressAt,
      boxed: pickInBox,
      lassoed: pickInLasso,
      opened: pickBlock,
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
  useLayoutEffect(() => {
    scene.current?.enter(stage);
  }, [stage, scene]);
  const name = shown?.sheetName ?? "",
    looked = useRef(name);
  useEffect(() => {
    if (!sheet) return;
    scene.current?.show(sheet);
    if (looked.current !== name) scene.current?.fit();
    looked.current = name;
  }, [sheet, name, scene]);
  useEffect(() => {
    if (scene.current) scene.current.byHand = pickBy === "lasso";
  }, [pickBy, scene]);
  useEffect(() => {
    if (scene.current) scene.current.boundBy = boundBy;
  }, [boundBy, scene]);

  const chosen = draft && hasProfiles(draft) ? draftRegions(draft) : picks.regions;
  useEffect(() => {
    if (!sheet) return;
    const rule = (draft?.step.params?.["profiles"] as { rule?: string } | undefined)?.rule;
    const regions =
      rule === "material"
        ? sheet.facts.regions.flatMap((r, i) => (r.level % 2 ? [] : [i]))
        : chosen.map((id) => sheet.regionOf.get(id) ?? -1).filter((n) => n >= 0);
    const fromPart = [hover.piece, ...pickedPieces].flatMap((piece) => {
      const curves = piece?.type === "face" ? (shown?.part.facts.faces[piece.index]?.curves ?? []) : [];
      const row = curves.map((key) => sheet.rowOf.get(key)).find((r) => r !== undefined);
      return row === undefined ? [] : [row];
    });
    const inDraft = draft?.step.params?.["curves"] as string[] | undefined;
    const named = inDraft?.length ? inDraft : picks.curves;
    scene.current?.mark(
      [...hover.curves, ...fromPart],
      hover.region >= 0 ? [hover.region] : [],
      named.map((id) => sheet.rowOf.get(id) ?? -1),
      regions,
    );
  }, [sheet, shown, hover, picks, draft, pickedPieces, chosen, scene]);

  const origin = sheet?.facts.origin ?? [0, 0];
  const paper = scene.current ? scene.current.scale / (96 / 25.4) : 1;
  const wanted = wantedOnSheet(draft);
  return (
    <section
      className={`@container relative min-h-0 min-w-0 overflow-hidden ${wanted || sheetAsks ? "cursor-crosshair" : ""}`}
      aria-label="Sheet"
      data-pane="sheet"
      tabIndex={0}
    >
      {sheet ? (
        <section className="sr-only" aria-label="Summary of the sheet">
          {sheetInWords(sheet)}
        </section>
      ) : null}
      <canvas
        ref={canvas}
        aria-hidden
        className="absolute inset-0 h-full w-full touch-none"
        data-frame={scene.current?.lastFrame ?? 0}
      />
      <SheetTabs />
      {sheet && scene.current ? <Labels scene={scene.current} sheet={sheet} /> : null}
      {sheet && scene.current ? <IssueMarks scene={scene.current} sheet={sheet} /> : null}
      {sheet && scene.current && wanted ? (
        <SnapMark scene={scene.current} sheet={sheet} pointer={pointer} wanted={wanted} />
      ) : null}
      {sheet && !sheet.curves ? (
        <p className="absolute inset-x-8 top-1/2 text-center text-faint">Nothing is on the sheet yet.</p>
      ) : null}
      {early && !shown ? (
        <p className="absolute inset-x-0 top-3 text-center text-[13px] text-faint">
          Looking for closed regions; the linework is here already.
        </p>
      ) : null}
      <div className="absolute top-2.5 right-3 flex items-center gap-2">
        {sheet?.facts.pictures.length ? (
          <PictureFader
            fade={(share) => {
              scene.current?.fade(share);
            }}
          />
        ) : null}
        {sheetAsks ? (
          <button
            type="button"
            className="rounded border border-brick bg-blush px-2 py-0.5 text-[12px] text-brick"
            onClick={() => {
              set({ sheetAsks: null });
            }}
          >
            {sheetAsks.what === "part" ? "Draw round the part to take" : "Press the colour that is material"} · leave it
          </button>
        ) : null}
        <FitButton
          what="sheet"
          fit={() => {
            scene.current?.fit();
          }}
        />
        {meansRegions() ? <BoundBy sheet={sheet} /> : null}
        <Segments
          label="Dragging picks by"
          lead="pick by"
          title="How dragging picks: by a box, or by a line drawn by hand (L)"
          className="@max-[340px]:hidden"
          value={pickBy}
          options={[
            ["box", "box"],
            ["lasso", "hand-drawn line"],
          ]}
          choose={(by) => {
            set({ pickBy: by });
          }}
        />
      </div>
      <p className="num pointer-events-none absolute bottom-[calc(var(--told,0px)+10px)] left-3.5 rounded bg-paper/85 px-1 text-[12.5px] text-faint">
        {pointer
          ? `x ${coordinateText(pointer.x + origin[0])}  y ${coordinateText(pointer.y + origin[1])} ${lengthUnit()}   `
          : ""}
        {paper >= 1 ? `${twoDigits(paper)} : 1` : `1 : ${twoDigits(1 / paper)}`}
      </p>
      <p
        className="pointer-events-none absolute right-3.5 bottom-[calc(var(--told,0px)+30px)] left-3.5 text-right leading-tight text-[13px]"
        aria-live="polite"
      >
        <span className="rounded bg-paper/85 px-1 empty:hidden">{describePointed(stage)}</span>
      </p>
    </section>
  );
}

/** Which lines bound a profile, where there are others than solid ones to choose. */
function BoundBy({ sheet }: { sheet: SheetData | null }) {
  const { boundBy, set } = useTable();
  const others = boundsOf(sheet);
  return others.length > 1 ? (
    <Segments
      label="Profiles are bounded by"
      lead="bounded by"
      title="Which lines bound a profile: solid ones alone, dashed ones too, or centre lines too (B)"
      value={others.includes(boundBy) ? boundBy : "solid"}
      options={others.map((drawn) => [drawn, BOUNDS[drawn]] as const)}
      choose={(drawn) => {
        set({ boundBy: drawn });
      }}
    />
  ) : null;
}

const BOUNDS: Record<Drawn, string> = { solid: "solid lines", hidden: "dashed lines too", centre: "centre lines too" };

/** A scale to two digits, which is all that an eye tells. */
const twoDigits = (value: number): string => show(Number(value.toPrecision(2)), 1);
