/** The bodies beside the part: name, colour, volume, mass; shown or hidden; what of them touches or overlaps. */

import { useState } from "react";

import type { Kind } from "../api/client";
import { bodyTint } from "../scene/bodyTints";
import type { PartData } from "../scene/partData";
import { coordinateText, lengthUnit, massText, volumeText } from "../scene/shownUnits";
import { useTable } from "../state/table";
import { writeAs } from "../state/work";

const MOST_SHOWN = 60;

export function BodiesList({ part, kinds }: { part: PartData; kinds: Kind[] }) {
  const { bodies, touching = [] } = part.facts,
    { hidden, pickedPieces, stage, set } = useTable(),
    [open, setOpen] = useState(stage !== "hand_over");
  const joins = kinds.find((k) => k.serves === "joins_bodies"),
    names = kinds.find((k) => k.serves === "names_body"),
    materials = kinds.find((k) => k.serves === "says_material");
  const picked = new Set(
    pickedPieces.map((p) => (p.type === "face" ? part.facts.faces : part.facts.edges)[p.index]?.body),
  );
  const pick = (n: number) => {
    set({ pickedPieces: [{ type: "face", index: bodies[n]!.faces[0] }] });
  };
  return (
    <section
      className="absolute top-8 left-3.5 flex max-h-[46%] w-[290px] max-w-[62%] flex-col rounded-lg border border-rule bg-raised/95 text-[12.5px]"
      aria-label="Bodies"
    >
      <button
        type="button"
        aria-expanded={open}
        className="flex items-center justify-between gap-2 px-2.5 py-1 text-left hover:text-brick"
        onClick={() => {
          setOpen(!open);
        }}
      >
        <b className="font-semibold">{bodies.length} bodies</b>
        <span className="text-faint">{open ? "put away" : "show"}</span>
      </button>
      {open ? (
        <>
          <ul className="dash-t min-h-0 overflow-y-auto py-1">
            {bodies.slice(0, MOST_SHOWN).map((body, n) => (
              <li
                key={body.key}
                className={`flex flex-wrap items-center gap-x-2 px-2.5 py-0.5 ${picked.has(body.key) ? "bg-paper" : ""}`}
              >
                <span
                  aria-hidden
                  className="h-3 w-3 shrink-0 rounded-[3px] border border-faint"
                  style={{ background: bodyTint(n) }}
                />
                <button
                  type="button"
                  className={`min-w-[120px] flex-1 truncate text-left hover:text-brick ${hidden.has(body.key) ? "text-faint line-through" : ""}`}
                  title={`${body.name}: press to pick it, twice to name it`}
                  onClick={() => {
                    pick(n);
                  }}
                  onDoubleClick={() => {
                    if (names) writeAs(names, { body: body.key, name: body.name });
                  }}
                >
                  {body.name}
                </button>
                <span className="num shrink-0 text-faint">
                  {volumeText(body.volume_mm3, 2)}
                  {body.density ? `, ${massText((body.volume_mm3 / 1000) * body.density, 1)}` : ""}
                </span>
                {materials ? (
                  <button
                    type="button"
                    className="max-w-[5.5em] shrink-0 truncate border-b border-rule text-faint hover:border-brick hover:text-ink"
                    title={
                      body.material ? `${body.name} is made of ${body.material}` : `Say what ${body.name} is made of`
                    }
                    onClick={() => {
                      writeAs(materials, { body: body.key });
                    }}
                  >
                    {body.material ?? "of …"}
                  </button>
                ) : null}
                <button
                  type="button"
                  aria-pressed={!hidden.has(body.key)}
                  aria-label={`${hidden.has(body.key) ? "Show" : "Hide"} ${body.name}`}
                  className="shrink-0 border-b border-rule text-faint hover:border-brick hover:text-ink"
                  onClick={() => {
                    const next = new Set(hidden);
                    if (!next.delete(body.key)) next.add(body.key);
                    set({ hidden: next });
                  }}
                >
                  {hidden.has(body.key) ? "show" : "hide"}
                </button>
              </li>
            ))}
            {bodies.length > MOST_SHOWN ? (
              <li className="px-2.5 text-faint">and {bodies.length - MOST_SHOWN} more</li>
            ) : null}
          </ul>
          {touching.length ? (
            <ul className="dash-t px-2.5 py-1 text-ochre">
              {touching.map(({ bodies: [a, b], at, common_mm3 = 0 }) => (
                <li key={`${a} ${b}`}>
                  {bodies[a]!.name} and {bodies[b]!.name}{" "}
                  {common_mm3 > 0 ? `overlap by ${volumeText(common_mm3, 3)}` : "touch"} near{" "}
                  {at.map((v) => coordinateText(v)).join(" / ")} {lengthUnit()}
                </li>
              ))}
            </ul>
          ) : null}
          {joins ? (
            <button
              type="button"
              className="dash-t px-2.5 py-1 text-left hover:text-brick"
              onClick={() => {
                writeAs(joins, {});
              }}
            >
              Make one body of all
            </button>
          ) : null}
        </>
      ) : null}
    </section>
  );
}
