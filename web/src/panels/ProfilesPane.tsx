/**
 * Close: every closed profile with its figures; the section properties of the one that is pressed; all of them as a
 * table to take away.
 */

import { flushSync } from "react-dom";

import { type SectionFacts, type SheetData } from "../scene/sheetData";
import { show } from "../scene/shownUnits";
import { useTable } from "../state/table";
import { toggleRegion } from "../state/work";
import { Button } from "../ui/Button";
import { KeepSection } from "./library/KeepSection";

const ROWS: [keyof SectionFacts, string, string][] = [
  ["area", "Area", "mm²"],
  ["perimeter", "Perimeter", "mm"],
  ["width", "Width", "mm"],
  ["height", "Height", "mm"],
  ["cx", "Centroid x", "mm"],
  ["cy", "Centroid y", "mm"],
  ["ix", "Second moment Ix", "mm⁴"],
  ["iy", "Second moment Iy", "mm⁴"],
  ["ixy", "Product Ixy", "mm⁴"],
  ["i1", "Principal I1", "mm⁴"],
  ["i2", "Principal I2", "mm⁴"],
  ["angle", "Angle of axis 1", "°"],
  ["rx", "Radius of gyration rx", "mm"],
  ["ry", "Radius of gyration ry", "mm"],
  ["wx", "Section modulus Wx", "mm³"],
  ["wy", "Section modulus Wy", "mm³"],
];

export function ProfilesPane() {
  const { shown, picks, set } = useTable();
  if (!shown)
    return (
      <section className="grid place-items-center text-faint" aria-label="Profiles">
        Looking…
      </section>
    );
  const { sheet } = shown,
    profiles = sheet.facts.regions.map((r, n) => ({ ...r, n })).filter((r) => r.level % 2 === 0),
    voids = sheet.facts.regions.length - profiles.length;
  const one = picks.regions.at(-1),
    section = one ? sheet.facts.sections[one] : undefined;
  return (
    <section className="min-h-0 overflow-y-auto px-4 py-3" aria-label="Profiles">
      <div className="flex items-center gap-3">
        <span className="cap flex-1">Profiles</span>
        <Button
          className="!px-2 !py-0.5 text-[12.5px]"
          disabled={!profiles.length}
          title="Keep a profile as a section of the library: the one that is picked, else the largest"
          onClick={toLibrary}
        >
          Keep in the library
        </Button>
        <Button
          className="!px-2 !py-0.5 text-[12.5px]"
          disabled={!profiles.length}
          onClick={() => {
            download(sheet);
          }}
        >
          Download the figures as CSV
        </Button>
      </div>
      <h2 className="mt-2 text-[15px] font-semibold">
        {profiles.length} {profiles.length === 1 ? "profile" : "profiles"}{" "}
        <span className="ml-1 text-[13px] font-normal text-faint">
          {voids} {voids === 1 ? "void" : "voids"} inside them, {sheet.facts.open_count} open ends
        </span>
      </h2>
      {profiles.length ? (
        <table className="mt-1 w-full text-[13.5px]">
          <thead>
            <tr className="text-left text-faint">
              <th className="font-normal">Level</th>
              <th className="text-right font-normal">Area, mm²</th>
              <th className="text-right font-normal">Perimeter, mm</th>
              <th className="text-right font-normal">Holes</th>
              <th className="text-right font-normal">Centroid, mm</th>
            </tr>
          </thead>
          <tbody>
            {profiles.slice(0, 300).map((r) => (
              <tr
                key={r.id}
                className={`dash-t cursor-pointer hover:bg-blush ${picks.regions.includes(r.id) ? "bg-blush" : ""}`}
                onClick={(e) => {
                  toggleRegion(r.id, e.shiftKey);
                }}
                onMouseEnter={() => {
                  set({ hover: { curves: [], region: r.n, piece: null } });
                }}
                onMouseLeave={() => {
                  set({ hover: { curves: [], region: -1, piece: null } });
                }}
              >
                <td className="py-1">{r.level === 0 ? "outside" : `island, ${r.level}`}</td>
                <td className="num text-right">{show(r.area, 3)}</td>
                <td className="num text-right">{show(r.perimeter, 3)}</td>
                <td className="num text-right">{r.holes}</td>
                <td className="num text-right">
                  {show(r.centroid[0], 2)} / {show(r.centroid[1], 2)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p className="mt-1 text-faint">Nothing closes yet. Tidy lists the gaps, nearest first.</p>
      )}
      {section ? (
        <>
          <h2 className="mt-4 text-[15px] font-semibold">
            Section properties{" "}
            <span className="ml-1 text-[13px] font-normal text-faint">about the centroid, x to the right, y up</span>
          </h2>
          <dl className="mt-1 grid grid-cols-2 gap-x-6">
            {ROWS.map(([key, name, unit]) => (
              <div key={key} className="dash-t flex items-baseline gap-2 py-1 text-[13.5px]">
                <dt className="flex-1 text-faint">{name}</dt>
                <dd className="num">
                  {figure(section[key])} {unit}
                </dd>
              </div>
            ))}
          </dl>
          <KeepSection key={one} profile={one!} />
        </>
      ) : profiles.length ? (
        <p className="mt-3 text-[13.5px] text-faint">Press a profile for its section properties.</p>
      ) : null}
    </section>
  );
}

/** To the form that keeps the picked profile, or the largest, as a section of the library. */
export function toLibrary(): void {
  const { shown, picks, set } = useTable.getState(),
    largest = shown?.sheet.facts.regions.find((r) => r.level === 0);
  if (!largest) return;
  flushSync(() => {
    set({ stage: "close", ...(picks.regions.length ? {} : { picks: { regions: [largest.id], curves: [] } }) });
  });
  const form = document.getElementById("keep-section");
  form?.scrollIntoView({ block: "nearest" });
  form?.querySelector("input")?.focus();
}

function figure(value: number): string {
  const size = Math.abs(value);
  return size !== 0 && (size >= 1e7 || size < 1e-3)
    ? size < 1e-9
      ? "0"
      : value.toExponential(4)
    : show(value, size >= 1000 ? 1 : 4);
}

function download(sheet: SheetData): void {
  const head = ["profile", ...ROWS.map(([, name, unit]) => `${name} (${unit})`)].join(",");
  const rows = Object.entries(sheet.facts.sections).map(([, s], n) =>
    [n + 1, ...ROWS.map(([key]) => s[key])].join(","),
  );
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([[head, ...rows, ""].join("\n")], { type: "text/csv" }));
  link.download = "section-properties.csv";
  link.click();
  URL.revokeObjectURL(link.href);
}
