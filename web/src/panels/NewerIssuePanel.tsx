/** A newer issue of a drawing before it is recorded: what changed, to step through, and what becomes of the part. */

import { lengthText, show } from "../scene/shownUnits";
import type { SheetScene } from "../scene/sheetScene";
import { useTable } from "../state/table";
import { pickInIssue, settleIssue } from "../state/work";
import { Button } from "../ui/Button";
import { BothFigures } from "./BothFigures";
import { MARKS, told } from "./issueWords";

export function NewerIssuePanel({ sheet }: { sheet: React.RefObject<SheetScene | null> }) {
  const { looking, shown, part } = useTable();
  if (!looking?.newer || !part) return null;
  const { found, failedBefore } = looking.newer,
    computed = looking.computed,
    lost = (computed ? (shown?.report.steps ?? []) : []).filter(
      (s) => s.status === "failed" && !failedBefore.includes(s.number),
    ),
    then = looking.before,
    now = computed ? shown?.report.figures : null;
  const goTo = ([x, y]: [number, number]) => {
    const facts = shown?.sheet.facts;
    if (!facts) return;
    const [ox, oy] = facts.origin,
      reach = Math.max((facts.extents[2] - facts.extents[0]) * 0.06, 1);
    sheet.current?.flyTo([x - ox - reach, y - oy - reach, x - ox + reach, y - oy + reach]);
  };
  return (
    <aside
      className="absolute inset-y-0 right-0 z-20 flex w-[320px] flex-col border-l border-rule bg-raised shadow-xl"
      aria-label="Newer issue"
    >
      <div className="dash-b px-3.5 py-2.5">
        <h2 className="cap">Newer issue</h2>
        <p className="mt-1 text-[13px] break-words">
          {found.new} in place of {found.old}: <span className="num">{show(found.share * 100, 1)} %</span> is the same
          {Math.hypot(...found.shift) > 0.005
            ? `, shifted on its sheet by ${lengthText(found.shift[0], 2)}, ${lengthText(found.shift[1], 2)}`
            : ""}
          .
        </p>
        {found.doubts.map((d) => (
          <p key={d} className="mt-1 text-[13px] text-ochre" role="alert">
            {d}
          </p>
        ))}
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto">
        {found.identical ? <p className="px-3.5 py-3 text-[13px] text-faint">Nothing changed.</p> : null}
        <ol aria-label="What changed">
          {found.changed.map((c, n) => (
            <li key={n} className="dash-b">
              <button
                type="button"
                className="flex w-full gap-2.5 px-3.5 py-1.5 text-left text-[13px] hover:bg-paper"
                onClick={() => {
                  goTo(c.at);
                }}
              >
                <span className="w-4 shrink-0 text-center font-semibold" aria-hidden>
                  {MARKS[c.kind]}
                </span>
                <span className="min-w-0 flex-1">{told(c)}</span>
              </button>
            </li>
          ))}
          {found.dimensions.map((d, n) => (
            <li key={`d${n}`} className="dash-b">
              <button
                type="button"
                className="flex w-full gap-2.5 px-3.5 py-1.5 text-left text-[13px] hover:bg-paper"
                onClick={() => {
                  goTo(d.at);
                }}
              >
                <span className="num w-4 shrink-0 text-center" aria-hidden>
                  #
                </span>
                <span className="min-w-0 flex-1">
                  {d.old === null
                    ? `size ${d.new} added`
                    : d.new === null
                      ? `size ${d.old} removed`
                      : `size ${d.old} now reads ${d.new}`}
                </span>
              </button>
            </li>
          ))}
        </ol>
      </div>
      <div className="border-t border-rule px-3.5 py-2.5 text-[13px]">
        <h3 className="cap">What becomes of the part</h3>
        {lost.map((s) => (
          <p key={s.number} className="mt-1 text-madder">
            <span className="num">{s.number}</span> can’t be done: {s.message}
            {s.likely ? (
              <span className="text-ochre">
                {" "}
                Likeliest now: {s.likely.text}.{" "}
                <button
                  type="button"
                  className="border-b border-ochre hover:text-brick"
                  onClick={() => void pickInIssue(s.number, s.likely!.field, s.likely!.value)}
                >
                  Use it
                </button>
              </span>
            ) : null}
          </p>
        ))}
        {!computed ? (
          <p className="mt-1 text-faint">being computed</p>
        ) : lost.length ? null : (
          <p className="mt-1 text-verdigris">Every step follows.</p>
        )}
        {then && now ? <BothFigures titles={["now", "with it"]} figures={[then, now]} /> : null}
        <div className="mt-2 flex gap-2">
          <Button tone="main" onClick={() => void settleIssue(true)}>
            Use the newer issue
          </Button>
          <Button onClick={() => void settleIssue(false)}>Keep the present one</Button>
        </div>
      </div>
    </aside>
  );
}
