/** The bodies beside the part: name, colour, volume, mass; shown or hidden; what of them touches or overlaps. */

import { useState } from "react";

import type { Kind } from "../api/client";
import { bodyTint } from "../scene/bodyTints";
import type { ListRow, PartData } from "../scene/partData";
import { coordinateText, countOf, lengthText, lengthUnit, massText, volumeText } from "../scene/shownUnits";
import { useTable } from "../state/table";
import { writeAs } from "../state/work";

const MOST_SHOWN = 60,
  MOST_TOLD = 8;

/** A window so low (px) has no room for the list beside the picture, unless it is asked for. */
const SHORT = 520;

/** `bare`: these are no bodies of the part, and nothing can be done with them but look. */
export function BodiesList({ part, kinds, bare }: { part: PartData; kinds: Kind[]; bare: boolean }) {
  const { bodies, items = [] } = part.facts,
    touching = bare ? [] : inOrder(part.facts.touching ?? []),
    [listed, setListed] = useState(false),
    { hidden, pickedPieces, stage, set } = useTable(),
    [open, setOpen] = useState(stage !== "hand_over" && window.innerHeight > SHORT);
  const joins = kinds.find((k) => k.serves === "joins_bodies"),
    names = kinds.find((k) => k.serves === "names_body"),
    materials = kinds.find((k) => k.serves === "says_material");
  const picked = new Set(
    pickedPieces.map((p) => (p.type === "face" ? part.facts.faces : part.facts.edges)[p.index]?.body),
  );
  const pickAll = (keys: string[]) => {
    const some = bodies.filter((b) => keys.includes(b.key));
    set({ pickedPieces: some.map((b) => ({ type: "face", index: b.faces[0] })) });
  };
  const pick = (n: number) => {
    pickAll([bodies[n]!.key]);
  };
  return (
    <section
      className={`flex max-h-[42%] shrink-0 flex-col overflow-hidden bg-raised text-[12.5px] ${open ? "border-b border-rule @min-[680px]:max-h-full @min-[680px]:w-[264px] @min-[680px]:border-r @min-[680px]:border-b-0" : "absolute top-8 left-3.5 z-10 rounded-lg border border-rule"}`}
      aria-label="Bodies"
    >
      <div className="flex items-center gap-3 px-2.5 py-1">
        <b className="flex-1 font-semibold">
          {listed && open ? countOf(items.length, "item") : countOf(bodies.length, "body", "bodies")}
        </b>
        {open && !bare ? (
          <button
            type="button"
            className="text-faint hover:text-brick"
            onClick={() => {
              setListed(!listed);
            }}
          >
            {listed ? "one by one" : "as a parts list"}
          </button>
        ) : null}
        <button
          type="button"
          aria-expanded={open}
          className="text-faint hover:text-brick"
          onClick={() => {
            setOpen(!open);
          }}
        >
          {open ? "hide list" : "show list"}
        </button>
      </div>
      {open ? (
        <>
          {listed ? <PartsList rows={items} picked={picked} pick={pickAll} /> : null}
          {listed ? null : (
            <ul className="dash-t min-h-10 overflow-y-auto py-1">
              {bodies.slice(0, MOST_SHOWN).map((body, n) => (
                <li
                  key={body.key}
                  className={`flex flex-wrap items-center gap-x-2 px-2.5 py-0.5 ${picked.has(body.key) ? "bg-paper" : ""}`}
                >
                  <span
                    aria-hidden
                    className="h-3 w-3 shrink-0 rounded-[3px] border border-faint"
                    style={{ background: bodyTint(n, body.key) }}
                  />
                  <button
                    type="button"
                    className={`min-w-0 flex-1 truncate @min-[680px]:flex-none @min-[680px]:basis-[calc(100%-20px)] text-left hover:text-brick ${hidden.has(body.key) ? "text-faint line-through" : ""}`}
                    title={`${body.name}: press to pick it, twice to name it`}
                    onClick={() => {
                      pick(n);
                    }}
                    onDoubleClick={() => {
                      if (names) writeAs(names, { body: body.key, name: body.name });
                    }}
                  >
                    <span translate="no">{body.name}</span>
                  </button>
                  <span className="num shrink-0 text-faint @min-[680px]:min-w-0 @min-[680px]:flex-1 @min-[680px]:truncate @min-[680px]:pl-5">
                    {volumeText(body.volume_mm3)}
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
          )}
          {touching.length ? (
            <ul className="dash-t max-h-24 shrink-0 overflow-y-auto px-2.5 py-1 text-ochre">
              {touching.slice(0, MOST_TOLD).map(({ bodies: [a, b], at, common_mm3, apart_mm = 0 }) => (
                <li key={`${a} ${b}`}>
                  <button
                    type="button"
                    className="text-left hover:text-brick"
                    title="Light both"
                    onClick={() => {
                      pickAll([bodies[a]!.key, bodies[b]!.key]);
                    }}
                  >
                    <span translate="no">
                      {bodies[a]!.name}, {bodies[b]!.name}
                    </span>{" "}
                    <span>{neighbourWords(common_mm3, apart_mm)}</span>{" "}
                    <span>{`near ${at.map((v) => coordinateText(v)).join(" / ")} ${lengthUnit()}`}</span>
                  </button>
                </li>
              ))}
              {touching.length > MOST_TOLD ? <li>and {touching.length - MOST_TOLD} more</li> : null}
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

/** Those that overlap first, then those that stand apart, then those that just touch. */
const inOrder = <T extends { common_mm3?: number | null; apart_mm?: number }>(all: T[]): T[] =>
  [...all].sort((a, b) => (b.common_mm3 ?? 0) - (a.common_mm3 ?? 0) || (b.apart_mm ?? 0) - (a.apart_mm ?? 0));

function neighbourWords(common: number | null | undefined, apart: number): string {
  if (common === null) return "meet, by how much can’t be told,";
  if (common) return `overlap by ${volumeText(common, 3)}`;
  return apart > 0 ? `stand ${lengthText(apart)} apart` : "touch";
}

/** What the bodies are counted as: how many of each, of what size and mass. */
function PartsList({
  rows,
  picked,
  pick,
}: {
  rows: ListRow[];
  picked: Set<string | undefined>;
  pick(keys: string[]): void;
}) {
  return (
    <table className="dash-t block min-h-10 overflow-y-auto py-1" aria-label="Parts list">
      <tbody>
        {rows.slice(0, MOST_SHOWN).map((r) => (
          <tr
            key={r.number}
            className={`cursor-pointer align-baseline hover:text-brick ${r.bodies.some((k) => picked.has(k)) ? "bg-paper" : ""}`}
            onClick={() => {
              pick(r.bodies);
            }}
          >
            <td className="num py-0.5 pr-2 pl-2.5 text-faint">{r.number}</td>
            <td className="num pr-2 text-right whitespace-nowrap">{r.count} ×</td>
            <td className="w-full pr-2">
              {r.name} <span className="text-faint">{[r.issue, r.size].filter(Boolean).join(", ")}</span>
            </td>
            <td className="num pr-2.5 text-right whitespace-nowrap text-faint">
              {r.mass_g === null ? "" : massText(r.mass_g, 1)}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
