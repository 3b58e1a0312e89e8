/** Several files brought in at once: a table of what each is, and what is wrong with it. */

import type { PartOnShelf } from "../api/client";
import { show } from "../scene/shownUnits";
import { Button } from "../ui/Button";
import { StateMark } from "../ui/Mark";

export interface Arrival {
  name: string;
  state: "waiting" | "sending" | "here" | "refused";
  share: number;
  part: number | null;
  problem: string;
}

interface Drawing {
  formats: string[];
  unit: string | null;
  sure: boolean;
  curves: number;
  size: [number, number] | null;
  regions: number;
}

export function Arrivals({
  arrivals,
  parts,
  open,
  close,
}: {
  arrivals: Arrival[];
  parts: PartOnShelf[];
  open(id: number): void;
  close(): void;
}) {
  const left = arrivals.filter((a) => a.state === "waiting" || a.state === "sending").length,
    byId = new Map(parts.map((p) => [p.id, p]));
  const refused = arrivals.filter(
    (a) => a.state === "refused" || (a.part !== null && "refused" in (byId.get(a.part)?.figures ?? {})),
  ).length;
  return (
    <section className="mt-4 rounded-xl border border-rule bg-raised" aria-label="Files brought in">
      <div className="flex items-center gap-3 px-4 py-2.5">
        <h2 className="flex-1 text-[15px] font-semibold">
          {arrivals.length} files{" "}
          <span className="ml-1 text-[13px] font-normal text-faint">
            {left ? `${left} still to send` : "all sent"}
            {refused ? `, ${refused} refused` : ""}
          </span>
        </h2>
        <Button disabled={left > 0} onClick={close}>
          Close the list
        </Button>
      </div>
      <div className="max-h-[46vh] overflow-y-auto">
        <table className="w-full text-[13.5px]">
          <thead className="sticky top-0 bg-raised">
            <tr className="dash-b text-left text-faint">
              <th className="px-4 py-1 font-normal">File</th>
              <th className="font-normal">What it is</th>
              <th className="text-right font-normal">Curves</th>
              <th className="text-right font-normal">Size, mm</th>
              <th className="pl-5 font-normal">Unit</th>
              <th className="font-normal">Regions</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {arrivals.map((a, n) => (
              <Row
                key={`${n}${a.name}`}
                arrival={a}
                part={a.part === null ? undefined : byId.get(a.part)}
                open={open}
              />
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function Row({ arrival, part, open }: { arrival: Arrival; part: PartOnShelf | undefined; open(id: number): void }) {
  const drawing = (part?.figures as { drawing?: Drawing } | undefined)?.drawing;
  const refused = (part?.figures as { refused?: string } | undefined)?.refused;
  const wrong = part?.stands?.["state"] === "wrong" && part.stands["stage"] === "build";
  const told =
    arrival.problem ||
    refused ||
    (wrong
      ? "could not be read: open it to see why"
      : arrival.state === "waiting"
        ? "waiting"
        : arrival.state === "sending"
          ? `sending, ${Math.round(arrival.share * 100)} %`
          : drawing
            ? ""
            : "being read");
  return (
    <tr className="dash-b align-baseline">
      <td className="max-w-[300px] truncate px-4 py-1.5" title={arrival.name} translate="no">
        {arrival.name}
      </td>
      {told ? (
        <td
          colSpan={5}
          className={arrival.state === "refused" || refused || wrong ? "py-1.5 text-madder" : "py-1.5 text-faint"}
          role={arrival.state === "refused" || refused ? "alert" : undefined}
        >
          {told}
        </td>
      ) : (
        <>
          <td>{drawing?.formats.join(", ")}</td>
          <td className="num text-right">{drawing?.curves}</td>
          <td className="num text-right">{drawing?.size ? drawing.size.map((v) => show(v, 1)).join(" × ") : ""}</td>
          <td className="pl-5">
            <span className="inline-flex items-center gap-2">
              <StateMark state={drawing?.sure ? "agreed" : "attention"} />
              {drawing?.unit && /^[\d.]/.test(drawing.unit)
                ? `1 = ${Number(drawing.unit).toPrecision(4)} mm`
                : drawing?.unit}
            </span>
          </td>
          <td className="num">{drawing?.regions}</td>
        </>
      )}
      <td className="pr-4 text-right">
        {arrival.part !== null ? (
          <button
            type="button"
            className="border-b border-faint hover:border-brick"
            onClick={() => {
              open(arrival.part!);
            }}
          >
            Open
          </button>
        ) : null}
      </td>
    </tr>
  );
}
