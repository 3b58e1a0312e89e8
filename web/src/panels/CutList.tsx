/** The bars of one part or several: what is cut, from how many stock lengths, and what is left over. */

import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";

import { api, cutListQuery } from "../api/client";
import { take } from "../api/take";
import { lengthText, show } from "../scene/shownUnits";
import { sentenceOf } from "../state/draft";
import { Button } from "../ui/Button";

export function CutList({ parts, close }: { parts: number[]; close(): void }) {
  const [stock, setStock] = useState("6000"),
    [kerf, setKerf] = useState("3");
  const found = useQuery({
    queryKey: ["cut-list", parts, stock, kerf],
    queryFn: () => api.cutList(parts, stock, kerf),
    retry: false,
    placeholderData: (before) => before,
  });
  const field = "num w-24 rounded-lg border border-rule bg-paper px-2 py-1 text-right";
  return (
    <Dialog.Root open onOpenChange={close}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/20" />
        <Dialog.Content
          className="fixed top-[8%] left-1/2 z-50 flex max-h-[84vh] w-[720px] max-w-[94vw] -translate-x-1/2 flex-col rounded-xl border border-rule bg-raised p-5 shadow-2xl"
          aria-describedby={undefined}
        >
          <Dialog.Title className="text-[17px] font-semibold">Cut list</Dialog.Title>
          <div className="my-3 flex flex-wrap items-center gap-3 text-[13.5px]">
            <label>
              from stock of{" "}
              <input
                className={field}
                aria-label="Stock length in mm"
                value={stock}
                onChange={(e) => {
                  setStock(e.target.value);
                }}
              />{" "}
              mm
            </label>
            <label>
              a saw cut takes{" "}
              <input
                className={field}
                aria-label="Saw cut in mm"
                value={kerf}
                onChange={(e) => {
                  setKerf(e.target.value);
                }}
              />{" "}
              mm
            </label>
            <span className="flex-1" />
            <Button
              disabled={found.isError || !found.data?.sections.length}
              onClick={() => {
                take(`/api/cut-list/file?${cutListQuery(parts, stock, kerf)}`);
              }}
            >
              Download as CSV
            </Button>
          </div>
          {found.error ? <p className="text-madder">{sentenceOf(found.error)}</p> : null}
          {found.data && !found.data.sections.length ? (
            <p className="text-faint">
              There is no bar of a section in {parts.length === 1 ? "this part" : "these parts"}.
            </p>
          ) : null}
          <div className="min-h-0 overflow-y-auto">
            {found.data?.sections.map((s) => (
              <section key={s.section} className="dash-b py-2" aria-label={`Bars of ${s.section}`}>
                <h3 className="font-semibold">
                  {s.section}{" "}
                  <span className="num text-[13px] font-normal text-faint">
                    {lengthText(s.total_mm, 0)} in all{s.kg === null ? "" : `, ${show(s.kg, 2)} kg`}
                  </span>
                </h3>
                <table className="num my-1 w-full text-[13px]">
                  <tbody>
                    {s.cuts.map((c, n) => (
                      <tr key={n}>
                        <td className="w-12">{c.count} ×</td>
                        <td className="w-40">{lengthText(c.length_mm, 2)} overall</td>
                        <td className="text-faint">
                          {c.angles.every((a) => a === 0)
                            ? "square"
                            : `mitred ${show(c.angles[0])}° and ${show(c.angles[1])}°; saw at ${show(c.saw[0])}° and ${show(c.saw[1])}°`}
                        </td>
                        <td className="font-sans text-faint">{c.name}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
                {s.problem ? <p className="text-madder">{s.problem}</p> : null}
                {s.stocks?.length ? (
                  <>
                    <p className="text-[13px]">
                      <b className="num font-semibold">{s.count}</b> stock {s.count === 1 ? "length" : "lengths"},{" "}
                      <span className="num">{show((s.waste ?? 0) * 100, 1)} %</span> left over
                      {s.best ? "; fewer can’t do" : "; fewer may do"}
                    </p>
                    {s.stocks.map((one, n) => (
                      <Bar key={n} cuts={one.cuts} left={one.left_mm} stock={found.data.stock_mm} count={one.count} />
                    ))}
                  </>
                ) : null}
              </section>
            ))}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** One stock length with what is cut from it, to scale. */
function Bar({ cuts, left, stock, count }: { cuts: number[]; left: number; stock: number; count: number }) {
  return (
    <div className="my-1 flex items-center gap-2">
      <span className="num w-10 text-right text-[12.5px] text-faint">{count} ×</span>
      <div className="flex h-6 flex-1 overflow-hidden rounded border border-rule">
        {cuts.map((c, n) => (
          <span
            key={n}
            title={lengthText(c, 2)}
            className="num overflow-hidden border-r border-rule bg-[color-mix(in_srgb,var(--hatch)_35%,var(--raised))] px-1 text-[11.5px] leading-6 whitespace-nowrap"
            style={{ width: `${(c / stock) * 100}%` }}
          >
            {show(c, 0)}
          </span>
        ))}
      </div>
      <span className="num w-24 text-[12.5px] text-faint">{lengthText(left, 0)} left</span>
    </div>
  );
}
