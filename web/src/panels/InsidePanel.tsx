/** Look inside the part: a plane moved by hand or typed, the area that it cuts, and how the part weighs and turns. */

import { type RefObject, useEffect, useState } from "react";

import { api, type Weights } from "../api/client";
import { finished } from "../api/wait";
import type { PartScene } from "../scene/partScene";
import type { Axis, SectionPlane } from "../scene/sectionPlane";
import { areaText, coordinateText, lengthUnit, massText, show } from "../scene/shownUnits";
import { sentenceOf } from "../state/draft";
import type { Shown } from "../state/table";

const AXES = ["x", "y", "z"];
const STEPS = 400;

export function InsidePanel({ scene, shown }: { scene: RefObject<PartScene | null>; shown: Shown }) {
  const [open, setOpen] = useState(false),
    [cut, setCut] = useState<SectionPlane | null>(null),
    [area, setArea] = useState(0);
  const bounds = shown.report.figures.bounds;
  const middle = (axis: Axis) => (bounds[axis]! + bounds[axis + 3]!) / 2;
  const put = setCut;
  useEffect(() => {
    setArea(scene.current?.lookInside(cut) ?? 0);
  }, [shown, scene, cut]);
  const several = shown.part.facts.bodies.length > 1;
  if (!open)
    return (
      <button
        type="button"
        className="absolute top-[150px] right-3.5 rounded border border-rule bg-raised px-2 py-0.5 text-[12px] hover:border-faint @max-[260px]:hidden"
        onClick={() => {
          setOpen(true);
          put({ axis: 1, at: middle(1), takes: "below" });
        }}
      >
        Look inside
      </button>
    );
  return (
    <section
      className={`absolute w-[236px] rounded-lg border border-rule bg-raised/95 px-2.5 py-1.5 text-[12.5px] ${several ? "top-[150px] right-3.5" : "top-9 left-3.5"}`}
      aria-label="Look inside"
    >
      <div className="flex items-center gap-2">
        <b className="flex-1 font-semibold">Look inside</b>
        <button
          type="button"
          className="text-faint hover:text-brick"
          onClick={() => {
            setOpen(false);
            put(null);
          }}
        >
          close
        </button>
      </div>
      {cut ? <Plane cut={cut} bounds={bounds} put={put} area={area} middle={middle} /> : null}
      <Weighed key={shown.computation} computation={shown.computation} />
    </section>
  );
}

function Plane({
  cut,
  bounds,
  put,
  area,
  middle,
}: {
  cut: SectionPlane;
  bounds: number[];
  put(next: SectionPlane): void;
  area: number;
  middle(axis: Axis): number;
}) {
  const [text, setText] = useState<string | null>(null),
    [refused, setRefused] = useState("");
  const [low, high] = [bounds[cut.axis]!, bounds[cut.axis + 3]!];
  return (
    <>
      <div className="mt-1 flex items-center gap-1" role="group" aria-label="The plane is square to">
        {AXES.map((name, n) => (
          <button
            key={name}
            type="button"
            aria-pressed={cut.axis === n}
            className={`rounded border px-2 ${cut.axis === n ? "border-brick text-brick" : "border-rule hover:border-faint"}`}
            onClick={() => {
              setText(null);
              put({ ...cut, axis: n as Axis, at: middle(n as Axis) });
            }}
          >
            {name}
          </button>
        ))}
        <span className="flex-1" />
        <button
          type="button"
          className="border-b border-rule hover:border-brick"
          onClick={() => {
            put({ ...cut, takes: cut.takes === "above" ? "below" : "above" });
          }}
        >
          other side
        </button>
      </div>
      <input
        type="range"
        aria-label={`Where the plane cuts along ${AXES[cut.axis]!}`}
        className="mt-1 w-full accent-[var(--brick)]"
        min={0}
        max={STEPS}
        value={Math.round(((cut.at - low) / Math.max(high - low, 1e-9)) * STEPS)}
        onChange={(e) => {
          setText(null);
          put({ ...cut, at: low + ((high - low) * Number(e.target.value)) / STEPS });
        }}
      />
      <label className="flex items-center gap-1.5">
        at
        <input
          className="num w-20 rounded-md border border-rule bg-paper px-1.5 text-right"
          aria-label="Where the plane cuts, typed"
          value={text ?? show(cut.at, 3)}
          onChange={(e) => {
            setText(e.target.value);
            api.length(e.target.value).then(
              (at) => {
                setRefused("");
                put({ ...cut, at });
              },
              (error: unknown) => {
                setRefused(sentenceOf(error));
              },
            );
          }}
          aria-invalid={refused !== ""}
          title={refused}
          onBlur={() => {
            setText(null);
            setRefused("");
          }}
          onKeyDown={(e) => {
            e.stopPropagation();
          }}
        />
        mm
        <span className="num flex-1 text-right text-faint" aria-live="polite">
          {/* of the mesh on the screen: no more digits than that has */}
          about {areaText(Number(area.toPrecision(3)))}
        </span>
      </label>
    </>
  );
}

/** Mass, centroid and moments of inertia: asked for, as the kernel takes a moment over them. */
function Weighed({ computation }: { computation: string }) {
  const [found, setFound] = useState<Weights | null>(null),
    [told, setTold] = useState("");
  async function weigh() {
    setTold("weighing …");
    try {
      const done = await finished(await api.weights(computation), () => undefined, new AbortController().signal);
      if (done.state !== "done") setTold(done.message);
      else setFound(await api.weightsFound(done.id));
    } catch (error) {
      setTold(sentenceOf(error));
    }
  }
  if (!found)
    return (
      <p className="dash-t mt-1.5 pt-1">
        <button type="button" className="border-b border-rule hover:border-brick" onClick={() => void weigh()}>
          mass, centroid and inertia
        </button>{" "}
        <span className="text-faint">{told}</span>
      </p>
    );
  const moments = (values: number[]) => values.map((v) => (v / 1e3).toPrecision(4)).join(" / ");
  const line = (what: string, value: string) => (
    <p>
      <span className="text-faint">{what}</span> <span className="num">{value}</span>
    </p>
  );
  return (
    <div className="dash-t mt-1.5 pt-1 leading-snug">
      {line("mass", massText(found.mass_g, 2))}
      {found.unknown ? <p className="text-ochre">at 1 g/cm³ where no material is known</p> : null}
      {line(`centroid, ${lengthUnit()}`, found.centroid.map((v) => coordinateText(v)).join(" / "))}
      <p className="text-faint">moments about it, kg·mm²</p>
      {line("x / y / z", moments(found.inertia.map((row, n) => row[n]!)))}
      {line("principal", moments(found.principal))}
    </div>
  );
}
