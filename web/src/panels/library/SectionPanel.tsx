/** One section, or two over each other: drawing, insertion point, what is said of it, its figures, bars of it. */

import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";

import { api, type Section, type SectionFacts } from "../../api/client";
import { areaText, lengthText, show } from "../../scene/shownUnits";
import { Button } from "../../ui/Button";
import { sentenceOf } from "../../state/draft";
import { ChoiceField } from "../../ui/ChoiceField";
import { Written } from "../PartCard";
import { highOf, insertionPoints, pathOf, viewOf, wideOf } from "./sections";
import { spoken } from "../../words/language";

interface Props {
  /** The section, and the one that it is laid over, if any. */
  section: Section;
  other: Section | null;
  mayEdit: boolean;
  materials: string[];
  change(facts: Partial<SectionFacts>): void;
  makeBar(length: string): void;
  putAway(): void;
}

export function SectionPanel({ section: s, other, mayEdit, materials, change, makeBar, putAway }: Props) {
  const [length, setLength] = useState("1000 mm");
  const [trouble, setTrouble] = useState("");
  /** A length of it as typed; an empty one is not known. */
  const typed = async (name: "thickness_mm" | "pitch_mm", text: string) => {
    try {
      change({ [name]: text.trim() ? await api.length(text) : null });
      setTrouble("");
    } catch (error) {
      setTrouble(sentenceOf(error));
    }
  };
  const issues = useQuery({
    queryKey: ["section", s.number, s.issue],
    queryFn: () => api.sectionIssues(s.number),
  }).data;
  return (
    <aside className="w-[380px] shrink-0 overflow-y-auto border-l border-rule bg-raised px-5 py-4" aria-label="Section">
      <h2 className="text-[17px] font-semibold">
        {s.number} <span className="text-[13px] font-normal text-faint">issue {s.issue}</span>
      </h2>
      <Drawn
        section={s}
        other={other}
        move={
          mayEdit
            ? (at) => {
                change({ insertion_mm: at });
              }
            : null
        }
      />
      {other ? (
        <p className="text-[13px] text-faint">
          Over {other.number} (dashed), insertion point on insertion point. Wider by{" "}
          <span className="num">{lengthText(wideOf(s) - wideOf(other), 2)}</span>, higher by{" "}
          <span className="num">{lengthText(highOf(s) - highOf(other), 2)}</span>.
        </p>
      ) : (
        <p className="text-[13px] text-faint">
          {mayEdit ? "Press a ring to move the insertion point there. " : ""}Press another section with Shift to lay
          this one over it.
        </p>
      )}
      <div className="mt-3">
        <Fact
          label="Number"
          value={s.number}
          put={
            mayEdit
              ? (number) => {
                  change({ number });
                }
              : null
          }
        />
        <Fact
          label="Name"
          value={s.facts.name}
          put={
            mayEdit
              ? (name) => {
                  change({ name });
                }
              : null
          }
        />
        <Fact
          label="Family"
          value={s.facts.family}
          put={
            mayEdit
              ? (family) => {
                  change({ family });
                }
              : null
          }
        />
        <Row label="Material">
          {mayEdit ? (
            <ChoiceField
              text={s.facts.material || "none said"}
              value={s.facts.material}
              label="Material of the section"
              boxed={false}
              options={["", ...materials].map((m) => ({ value: m, label: m || "none said" }))}
              onValue={(material) => {
                change({ material });
              }}
            />
          ) : (
            s.facts.material || "none said"
          )}
        </Row>
        <Fact
          label="Thickness"
          value={s.facts.thickness_mm ? lengthText(s.facts.thickness_mm) : ""}
          put={
            mayEdit
              ? (t) => {
                  void typed("thickness_mm", t);
                }
              : null
          }
        />
        {trouble ? (
          <p className="text-[13px] text-madder" role="alert">
            {trouble}
          </p>
        ) : null}
        <Fact
          label="Pitch"
          value={s.facts.pitch_mm ? lengthText(s.facts.pitch_mm) : ""}
          put={
            mayEdit
              ? (t) => {
                  void typed("pitch_mm", t);
                }
              : null
          }
        />
        <Fact
          label="Notes"
          value={s.facts.notes}
          put={
            mayEdit
              ? (notes) => {
                  change({ notes });
                }
              : null
          }
        />
        <Row label="From">{s.facts.source || "unknown"}</Row>
      </div>
      <h3 className="cap mt-4 mb-1">Figures</h3>
      <dl className="num grid grid-cols-[1fr_auto] gap-y-0.5 text-[13px]">
        {figuresOf(s).map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-faint">{name}</dt>
            <dd className="text-right">{value}</dd>
          </div>
        ))}
      </dl>
      {mayEdit ? (
        <>
          <h3 className="cap mt-4 mb-1">A bar of it</h3>
          <form
            className="flex items-center gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              makeBar(length);
            }}
          >
            <input
              aria-label="Length of the bar"
              className="num w-[130px] rounded-lg border border-rule bg-paper px-3 py-1.5"
              value={length}
              onChange={(e) => {
                setLength(e.target.value);
              }}
            />
            <Button tone="main" type="submit">
              Make the part
            </Button>
          </form>
        </>
      ) : null}
      {issues && issues.length > 1 ? (
        <>
          <h3 className="cap mt-4 mb-1">Issues</h3>
          <ul className="text-[13px]">
            {issues.map((i) => (
              <li key={i.id} className="dash-b flex gap-3 py-1">
                <span className="num">{i.issue}</span>
                <span className="flex-1 text-faint">
                  {i.who}, {new Date(i.made).toLocaleDateString(spoken())}
                </span>
                <span className="num">{areaText(i.figures.area, 1)}</span>
              </li>
            ))}
          </ul>
        </>
      ) : null}
      {mayEdit ? (
        <Button className="mt-4" onClick={putAway}>
          {s.away ? "Bring back" : "Remove"}
        </Button>
      ) : null}
    </aside>
  );
}

function figuresOf(s: Section): [string, string][] {
  const f = s.figures;
  return [
    ["Size", `${lengthText(wideOf(s), 2)} × ${lengthText(highOf(s), 2)}`],
    ["Area", areaText(f.area)],
    ["Boundary", lengthText(f.perimeter, 1)],
    ["Mass", f.kg_per_m === null ? "no material said" : `${show(f.kg_per_m, 3)} kg/m`],
    ["Iₓ about the centroid", `${show(f.ix / 1e4, 3)} cm⁴`],
    ["Iᵧ about the centroid", `${show(f.iy / 1e4, 3)} cm⁴`],
    ["Wₓ", `${show(f.wx / 1e3, 3)} cm³`],
    ["Wᵧ", `${show(f.wy / 1e3, 3)} cm³`],
  ];
}

/** The section to fill its room, its insertion point and the points that it may have; the other one dashed under it. */
function Drawn({
  section: s,
  other,
  move,
}: {
  section: Section;
  other: Section | null;
  move: ((at: [number, number]) => void) | null;
}) {
  const view = viewOf(other ? [s, other] : [s]),
    unit = Math.max(view[2], view[3]) / 340,
    [ix, iy] = s.facts.insertion_mm;
  return (
    <svg
      className="my-2 h-[220px] w-full rounded-md border border-rule bg-paper"
      viewBox={view.join(" ")}
      role="img"
      aria-label={`Section ${s.number}${other ? ` over ${other.number}` : ""}`}
    >
      {other ? (
        <path
          d={pathOf(other)}
          fill="none"
          stroke="var(--verdigris)"
          strokeWidth={unit * 1.6}
          strokeDasharray={`${unit * 5} ${unit * 3}`}
        />
      ) : null}
      <path
        d={pathOf(s)}
        fill="var(--hatch)"
        fillOpacity={0.35}
        fillRule="evenodd"
        stroke="var(--ink)"
        strokeWidth={unit * 1.4}
      />
      {move && !other
        ? insertionPoints(s).map(([name, [x, y]]) => (
            <circle
              key={name}
              cx={x - ix}
              cy={iy - y}
              r={unit * 6}
              fill="transparent"
              stroke="var(--brick)"
              strokeWidth={unit}
              className="cursor-pointer hover:fill-[var(--blush)]"
              role="button"
              aria-label={`Insertion point: ${name}`}
              onClick={() => {
                move([x, y]);
              }}
            >
              <title>{`Insertion point: ${name}`}</title>
            </circle>
          ))
        : null}
      <circle cx={0} cy={0} r={unit * 3.5} fill="var(--brick)" pointerEvents="none" />
    </svg>
  );
}

function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="dash-b flex min-h-[32px] items-center gap-3 py-1">
      <span className="w-[84px] shrink-0 text-[13px] text-faint">{label}</span>
      <span className="min-w-0 flex-1 truncate">{children}</span>
    </div>
  );
}

/** Something said of the section, changed by pressing it. */
function Fact({ label, value, put }: { label: string; value: string; put: ((text: string) => void) | null }) {
  const [open, setOpen] = useState(false);
  return (
    <Row label={label}>
      {open && put ? (
        <Written
          label={label}
          value={value}
          done={(text) => {
            setOpen(false);
            if (text !== null) put(text);
          }}
        />
      ) : put ? (
        <button
          type="button"
          className="max-w-full truncate border-b border-faint font-semibold hover:border-brick"
          aria-label={`${label}: ${value || "none"}`}
          onClick={() => {
            setOpen(true);
          }}
        >
          {value || <span className="font-normal text-faint">none</span>}
        </button>
      ) : (
        value
      )}
    </Row>
  );
}
