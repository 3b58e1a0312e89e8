/** Whether the part can be printed: loose pieces, thin walls, narrow gaps, overhang, the bed. */

import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";

import { api, type PrintCheck } from "../api/client";
import { finished } from "../api/wait";
import { lengthText, show, volumeText } from "../scene/shownUnits";
import { sentenceOf } from "../state/draft";
import { useTable } from "../state/table";
import { Button } from "../ui/Button";

const MOST = 12;
const FIELD = "num w-16 rounded-md border border-rule bg-paper px-2 py-0.5 text-right";

export function PrintPanel() {
  const { shown } = useTable();
  const [wall, setWall] = useState("0.8"),
    [tool, setTool] = useState(""),
    [typed, setBed] = useState<string | null>(null),
    [looked, setLooked] = useState<{ of: string; found: PrintCheck } | null>(null),
    [busy, setBusy] = useState(false),
    [trouble, setTrouble] = useState("");
  const workshop = useQuery({ queryKey: ["workshop"], queryFn: api.workshop }),
    kept = workshop.data?.bed ?? "",
    bed = typed ?? kept;
  const of = shown?.computation,
    found = looked && looked.of === of ? looked.found : null;

  async function look() {
    if (!of) return;
    setBusy(true);
    setTrouble("");
    try {
      const asked = await api.printing(of, { wall, tool: tool.trim() || 0, bed });
      if (bed !== kept)
        void api.keepBed(bed).then(
          () => workshop.refetch(),
          () => undefined,
        );
      const done = await finished(asked, () => undefined, new AbortController().signal);
      if (done.state !== "done") throw new Error(done.message);
      setLooked({ of, found: await api.printingFound(done.id) });
    } catch (error) {
      setTrouble(sentenceOf(error));
    } finally {
      setBusy(false);
    }
  }

  const field = (label: string, value: string, set: (v: string) => void, empty: string, wide = "") => (
    <label className="flex items-center gap-2">
      {label}{" "}
      <input
        className={`${FIELD} ${wide}`}
        value={value}
        placeholder={empty}
        onChange={(e) => {
          set(e.target.value);
        }}
        onKeyDown={(e) => {
          if (e.key === "Enter") void look();
        }}
      />{" "}
      mm
    </label>
  );
  return (
    <div className="dash-b py-3">
      <div className="flex items-start gap-3">
        <div className="flex-1">
          <h2 className="text-[15px] font-semibold">Can it be printed?</h2>
          <div className="mt-1.5 flex flex-wrap gap-x-5 gap-y-1.5 text-[13.5px]">
            {field("walls under", wall, setWall, "0.8")}
            {field("gaps under", tool, setTool, "0.5")}
            {field("bed", bed, setBed, "220 × 220 × 250", "!w-40")}
          </div>
        </div>
        <Button
          disabled={!shown?.report.figures.bodies || busy}
          onClick={() => {
            void look();
          }}
          aria-label="Check for printing"
        >
          {busy ? "Looking…" : "Look"}
        </Button>
      </div>
      {trouble ? (
        <p className="mt-1.5 text-[13.5px] text-brick" role="alert">
          {trouble}
        </p>
      ) : null}
      {found ? <Found found={found} /> : null}
    </div>
  );
}

function Found({ found }: { found: PrintCheck }) {
  const clear =
    !found.loose.length && !found.thin.length && !found.narrow.length && !found.sharp.length && !found.too_large;
  return (
    <ul className="mt-1.5 text-[13.5px]" aria-label="What was found">
      {clear ? <li className="text-verdigris">Nothing stands in the way.</li> : null}
      {found.too_large ? <li className="text-ochre">It is {found.too_large} for the bed.</li> : null}
      <Places
        title={found.loose.length === 1 ? "one piece hangs loose" : `${found.loose.length} pieces hang loose`}
        places={found.loose.map((p) => ({ text: volumeText(p.volume, 3), at: p.at }))}
      />
      <Places
        title={found.thin.length === 1 ? "one wall is thin" : `${found.thin.length} walls are thin`}
        places={found.thin.map((p) => ({ text: lengthText(p.width, 3), at: p.at }))}
      />
      <Places
        title={found.narrow.length === 1 ? "one gap is narrow" : `${found.narrow.length} gaps are narrow`}
        places={found.narrow.map((p) => ({ text: lengthText(p.width, 3), at: p.at }))}
      />
      <Places
        title="sharp"
        places={found.sharp.map((s) => ({
          text: `${show(s.angle, 1)}°${s.length ? `, ${lengthText(s.length, 2)} long` : ", a tip"}`,
          at: s.at,
        }))}
      />
      {found.thinnest ? (
        <li>
          thinnest wall <Place at={found.thinnest.at}>{lengthText(found.thinnest.width, 3)}</Place>
        </li>
      ) : null}
      <li className="text-faint">
        {show(found.overhang / 100, 2)} cm² hang over by more than 45°; the mesh is{" "}
        {found.watertight ? "watertight" : "not watertight"}, {volumeText(found.volume)}
      </li>
    </ul>
  );
}

function Places({ title, places }: { title: string; places: { text: string; at: [number, number, number] }[] }) {
  if (!places.length) return null;
  return (
    <li>
      <span className="text-ochre">{title}:</span>{" "}
      {places.slice(0, MOST).map((p) => (
        <Place key={p.at.join()} at={p.at}>
          {p.text}
        </Place>
      ))}
      {places.length > MOST ? <span className="text-faint">and {places.length - MOST} more</span> : null}
    </li>
  );
}

function Place({ at, children }: { at: [number, number, number]; children: ReactNode }) {
  const { set } = useTable();
  return (
    <button
      type="button"
      className="num mr-2 border-b border-rule hover:border-brick"
      title="Show it on the part"
      onClick={() => {
        set({ pointed: at });
      }}
    >
      {children}
    </button>
  );
}
