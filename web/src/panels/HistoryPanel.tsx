/** What the part was: its revisions with who, when and the sentence that changed; any can be looked at and brought
 * back. */

import { useQuery } from "@tanstack/react-query";

import { api } from "../api/client";
import { useTable } from "../state/table";
import { bringBack, lookAt } from "../state/work";
import { Button } from "../ui/Button";
import { BothFigures } from "./BothFigures";

const WHEN = new Intl.DateTimeFormat(undefined, { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });

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
          put away
        </button>
      </div>
      {looking?.number ? (
        <div className="dash-b bg-blush px-3.5 py-2 text-[13px]">
          <p>
            You look at revision <span className="num">{looking.number}</span>; nothing is changed by that.
          </p>
          {now && then ? <BothFigures titles={["then", "now"]} figures={[then, now]} /> : null}
          <div className="mt-2 flex gap-2">
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
