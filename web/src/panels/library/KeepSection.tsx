/** A picked profile kept in the company's library, as a section with a number. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api } from "../../api/client";
import { finished } from "../../api/wait";
import { sentenceOf } from "../../state/draft";
import { useTable } from "../../state/table";
import { Button } from "../../ui/Button";

const FIELD = "w-full rounded-md border border-rule bg-paper px-2 py-0.5";

export function KeepSection({ profile }: { profile: string }) {
  const { shown } = useTable(),
    queries = useQueryClient(),
    known = useQuery({ queryKey: ["library"], queryFn: api.library }).data;
  const [number, setNumber] = useState(""),
    [name, setName] = useState(""),
    [family, setFamily] = useState(""),
    [wished, setMaterial] = useState<string | null>(null),
    [told, setTold] = useState<{ text: string; bad: boolean } | null>(null),
    [busy, setBusy] = useState(false);
  const own = shown?.report.figures.material ?? "",
    material = wished ?? (!known || known.materials.includes(own) ? own : "");
  const newest = known?.sections.find((s) => s.number.toLowerCase() === number.trim().toLowerCase() && !s.away);

  async function keep() {
    if (!shown) return;
    setBusy(true);
    setTold(null);
    try {
      const done = await finished(
        await api.sectionOf(shown.computation, profile, shown.sheetName, number.trim()),
        () => undefined,
        new AbortController().signal,
      );
      if (done.state !== "done") throw new Error(done.message);
      const facts = { number: number.trim(), name: name.trim(), family: family.trim(), material };
      const kept = (await api.keepSections(done.id, facts)).sections[0]!;
      setTold({ text: `Kept as ${kept.number}, issue ${kept.issue}.`, bad: false });
      await queries.invalidateQueries({ queryKey: ["library"] });
    } catch (error) {
      setTold({ text: sentenceOf(error), bad: true });
    } finally {
      setBusy(false);
    }
  }

  return (
    <form
      id="keep-section"
      className="mt-4 text-[13.5px]"
      aria-label="Keep in the library"
      onSubmit={(e) => {
        e.preventDefault();
        void keep();
      }}
    >
      <h2 className="text-[15px] font-semibold">
        Keep in the library{" "}
        <span className="ml-1 text-[13px] font-normal text-faint">bars of any length are made of it</span>
      </h2>
      <div className="mt-1 grid grid-cols-2 gap-x-4 gap-y-1.5">
        <label>
          Number
          <input
            className={FIELD}
            value={number}
            maxLength={60}
            onChange={(e) => {
              setNumber(e.target.value);
              setTold(null);
            }}
          />
        </label>
        <label>
          Name
          <input
            className={FIELD}
            value={name}
            maxLength={120}
            onChange={(e) => {
              setName(e.target.value);
            }}
          />
        </label>
        <label>
          Family
          <input
            className={FIELD}
            list="families"
            value={family}
            maxLength={120}
            onChange={(e) => {
              setFamily(e.target.value);
            }}
          />
          <datalist id="families">
            {[...new Set(known?.sections.map((s) => s.facts.family))].map((f) => (
              <option key={f} value={f} />
            ))}
          </datalist>
        </label>
        <label>
          Material
          <select
            className={FIELD}
            value={material}
            onChange={(e) => {
              setMaterial(e.target.value);
            }}
          >
            <option value="">not said</option>
            {known?.materials.map((m) => (
              <option key={m}>{m}</option>
            ))}
          </select>
        </label>
      </div>
      {newest && !told ? (
        <p className="mt-1.5 text-ochre">
          {newest.number} is in the library; this becomes its issue {newest.issue + 1}.
        </p>
      ) : null}
      <div className="mt-2 flex items-center gap-3">
        <Button disabled={!number.trim() || busy} type="submit">
          {busy ? "Keeping…" : "Keep it"}
        </Button>
        {told ? (
          <p className={told.bad ? "text-madder" : ""} role={told.bad ? "alert" : "status"}>
            {told.text}
          </p>
        ) : null}
      </div>
    </form>
  );
}
