/** What the part was: its revisions with who, when and the sentence that changed; any can be looked at and brought
 * back. */

import { useQuery } from "@tanstack/react-query";

import { useEffect, useRef, useState } from "react";

import { api } from "../api/client";
import { finished } from "../api/wait";
import type { PartData } from "../scene/partData";
import { bodyTint } from "../scene/bodyTints";
import { volumeText } from "../scene/shownUnits";
import { useTable } from "../state/table";
import { bringBack, holdSolids, lookAt } from "../state/work";
import { Button } from "../ui/Button";
import { BothFigures } from "./BothFigures";
import { spoken } from "../words/language";

const WHEN = new Intl.DateTimeFormat(spoken(), { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });

export function HistoryPanel({ mayEdit, close }: { mayEdit: boolean; close(): void }) {
  const { part, looking, shown } = useTable();
  const revisions = useQuery({
    queryKey: ["revisions", part?.id, part?.revision],
    queryFn: () => api.revisions(part!.id),
    enabled: part !== null,
  }).data;
  if (!part) return null;
  const now = looking?.before,
    then = looking?.computed ? shown?.report.figures : null;
  return (
    <aside
      className="absolute inset-y-0 right-0 z-20 flex w-[320px] flex-col border-l border-rule bg-raised shadow-xl"
      aria-label="History"
    >
      <div className="dash-b flex items-center gap-2 px-3.5 py-2.5">
        <h2 className="cap flex-1">What the part was</h2>
        <button type="button" className="text-[13px] text-faint hover:text-brick" onClick={close}>
          close
        </button>
      </div>
      {looking?.number ? (
        <div className="dash-b bg-blush px-3.5 py-2 text-[13px]">
          <p>
            You look at revision <span className="num">{looking.number}</span>; nothing is changed by that.
          </p>
          {now && then ? <BothFigures titles={["then", "now"]} figures={[then, now]} /> : null}
          {looking.solids ? <Shares solids={looking.solids} /> : null}
          <div className="mt-2 flex flex-wrap gap-2">
            {looking.computed && then?.bodies && now?.bodies ? (
              <Button
                aria-pressed={Boolean(looking.solids)}
                onClick={() => {
                  void holdSolids();
                }}
              >
                {looking.solids ? "As it was then" : "Hold the two solids against each other"}
              </Button>
            ) : null}
            {mayEdit ? (
              <Button
                tone="main"
                onClick={() => {
                  void bringBack();
                }}
              >
                Bring it back
              </Button>
            ) : null}
            <Button
              onClick={() => {
                void lookAt(null);
              }}
            >
              Back to now
            </Button>
          </div>
        </div>
      ) : null}
      <ol className="min-h-0 flex-1 overflow-y-auto" aria-label="Revisions">
        {revisions?.map((r) => (
          <li key={r.number} className="dash-b">
            <button
              type="button"
              aria-pressed={looking?.number === r.number}
              className={`flex w-full gap-3 px-3.5 py-2 text-left text-[13.5px] hover:bg-paper ${
                looking?.number === r.number ? "bg-blush" : ""
              }`}
              disabled={r.now && !looking}
              onClick={() => {
                void lookAt(r.now ? null : r.number);
              }}
            >
              <span className="num w-7 shrink-0 text-[12px] text-faint">{r.number}</span>
              <Picture part={part.id} revision={r.number} />
              <span className="min-w-0 flex-1">
                <span className="block break-words">{r.change}</span>
                <span className="block text-[12.5px] text-faint">
                  {r.who ? `${r.who}, ` : ""}
                  {WHEN.format(new Date(r.made))}
                </span>
              </span>
              {r.now ? <span className="text-[12.5px] text-verdigris">now</span> : null}
            </button>
          </li>
        ))}
      </ol>
    </aside>
  );
}

/** What the two have in common and what only one has, in figures. */
function Shares({ solids }: { solids: PartData }) {
  const total = (share: string) =>
    solids.facts.bodies.filter((b) => b.key.startsWith(`${share}:`)).reduce((sum, b) => sum + b.volume_mm3, 0);
  return (
    <table className="num mt-1 w-full [&_td]:pr-2" aria-label="What the two solids share">
      <tbody>
        {(
          [
            ["common", "in both"],
            ["then", "only then"],
            ["now", "only now"],
          ] as const
        ).map(([share, words]) => (
          <tr key={share}>
            <td>
              <span
                aria-hidden
                className="mr-2 inline-block h-3 w-3 rounded-[3px] border border-faint"
                style={{ background: bodyTint(0, `${share}:`) }}
              />
              {words}
            </td>
            <td>{total(share) ? volumeText(total(share), 3) : "nothing"}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** A small picture of the part as it was, made when it comes into sight. */
function Picture({ part, revision }: { part: number; revision: number }) {
  const place = useRef<HTMLSpanElement>(null),
    [seen, setSeen] = useState(false);
  useEffect(() => {
    const watch = new IntersectionObserver((entries) => {
      if (entries.some((e) => e.isIntersecting)) setSeen(true);
    });
    watch.observe(place.current!);
    return () => {
      watch.disconnect();
    };
  }, []);
  const picture = useQuery({
    queryKey: ["picture of", part, revision],
    queryFn: async ({ signal }) => {
      const done = await finished(await api.revisionPicture(part, revision), () => undefined, signal);
      if (done.state !== "done") throw new Error(done.message);
      return done.id;
    },
    enabled: seen,
    staleTime: Infinity,
    retry: false,
  }).data;
  return (
    <span ref={place} className="h-[40px] w-[60px] shrink-0 overflow-hidden rounded border border-rule bg-paper">
      {picture ? <img alt="" className="h-full w-full object-cover" src={`/api/computations/${picture}/file`} /> : null}
    </span>
  );
}
