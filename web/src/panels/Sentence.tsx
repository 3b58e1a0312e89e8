/** A sentence whose values can be edited in place: the same on the card and in the writing line. */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, type Token } from "../api/client";
import { useTable } from "../state/table";
import { takePart, takeSection } from "../state/work";
import { ChoiceField } from "../ui/ChoiceField";
import { SENTENCE } from "../words/catalogue";
import { told } from "../words/language";
import { LengthField } from "../ui/LengthField";
import { NamesField } from "../ui/NamesField";

interface Props {
  tokens: Token[];
  /** Boxes in the writing line, underlined words on the card. */
  boxed: boolean;
  onValue(field: string, value: unknown): Promise<unknown>;
  onEnter?(): void;
  /** Picks are edited by pointing: pressing one asks for that. */
  onPick?(field: string): void;
}

const NAMED = ["file", "source", "section", "part", "text"];
/** Whether a value is a name that somebody gave: it is shown as written. */
const isName = ({ editor }: Token): boolean =>
  editor !== null && NAMED.includes(editor.type) && editor.value !== "" && editor.value !== null;

export function Sentence({ tokens: english, boxed, onValue, onEnter, onPick }: Props) {
  const verb = english[0]?.text.trim() ?? "",
    tokens = english.map((t) => (isName(t) ? t : { ...t, text: told(t.text, verb, SENTENCE) }));
  const first = tokens.findIndex((t) => t.editor?.type === "length" || t.editor?.type === "number");
  // by its field and not by its place: what is being typed stays when words come before it
  const key = (token: Token, n: number) =>
    token.field ? `${token.field} ${tokens.slice(0, n).filter((t) => t.field === token.field).length}` : String(n);
  return (
    <>
      {tokens.map((token, n) => (
        <Value
          key={key(token, n)}
          token={token}
          boxed={boxed}
          first={boxed && n === first}
          onValue={onValue}
          {...(onEnter ? { onEnter } : {})}
          {...(onPick ? { onPick } : {})}
        />
      ))}
    </>
  );
}

function Value({
  token,
  boxed,
  first,
  onValue,
  onEnter,
  onPick,
}: { token: Token; first: boolean } & Omit<Props, "tokens">) {
  const [open, setOpen] = useState(false);
  const { editor, field } = token;
  if (!editor || !field)
    return (
      <span className={`whitespace-pre-wrap ${boxed && /^[,:;.]/.test(token.text) ? "-ml-1.5" : ""}`}>
        {token.text}
      </span>
    );
  const label = field.replace(/_/g, " ");
  if (editor.type === "length" || editor.type === "number" || editor.type === "text") {
    if (boxed)
      return (
        <>
          <LengthField
            value={editor.value as string}
            label={label}
            first={first}
            bare={editor.type !== "length"}
            empty={editor.empty ?? ""}
            refused={editor.refused ?? false}
            onValue={(v) => onValue(field, v)}
            {...(onEnter ? { onEnter } : {})}
          />
          {editor.type === "number" ? <Unit text={token.text} /> : null}
        </>
      );
    if (open)
      return (
        <OnCard
          value={editor.value as string}
          label={label}
          onValue={(v) => onValue(field, v)}
          done={() => {
            setOpen(false);
          }}
        />
      );
    return (
      <Word
        text={token.text}
        label={label}
        press={() => {
          setOpen(true);
        }}
      />
    );
  }
  if (editor.type === "choice") {
    return (
      <ChoiceField
        text={token.text}
        value={editor.value as string}
        label={label}
        options={editor.options as { value: string; label: string }[]}
        boxed={boxed}
        onValue={(v) => {
          void onValue(field, v);
        }}
        {...(onEnter ? { onEnter } : {})}
      />
    );
  }
  if (editor.type === "names") {
    return (
      <NamesField
        text={token.text}
        label={label}
        value={editor.value as string[]}
        options={editor.options as string[]}
        boxed={boxed}
        onValue={(v) => {
          void onValue(field, v);
        }}
      />
    );
  }
  if (editor.type === "profiles" && boxed) {
    const rule = (editor.value as { rule: string; picks: unknown[] }).rule;
    const picks = (editor.value as { picks: unknown[] }).picks;
    return (
      <ChoiceField
        text={token.text}
        value={rule}
        label={label}
        boxed
        onValue={(v) => {
          void onValue(field, v === "clear" ? { rule: "picked", picks: [] } : { rule: v, picks });
        }}
        options={[
          { value: "picked", label: "profiles that you point at on the sheet" },
          { value: "material", label: "all outer profiles with their holes" },
          { value: "clear", label: "none: begin to point anew" },
        ]}
        {...(onEnter ? { onEnter } : {})}
      />
    );
  }
  if (editor.type === "file")
    return (
      <FileChoice
        text={token.text}
        value={editor.value as string}
        label={label}
        boxed={boxed}
        onValue={(v) => {
          void onValue(field, v);
        }}
      />
    );
  if (editor.type === "section" && boxed) return <SectionChoice text={token.text} value={editor.value as string} />;
  if (editor.type === "part" && boxed) return <PartChoice text={token.text} value={editor.value as number} />;
  if (editor.type === "source") return <span className="font-semibold">{token.text}</span>;
  if (boxed)
    return (
      <span className="rounded-lg border border-dashed border-faint bg-paper px-2.5 py-1 font-medium">
        {token.text}
      </span>
    );
  return <Word text={token.text} label={label} press={() => onPick?.(field)} />;
}

/** One of the files of the part. */
function FileChoice(props: { text: string; value: string; label: string; boxed: boolean; onValue(v: string): void }) {
  const names = Object.keys(useTable((s) => s.part?.card.sources) ?? {});
  return <ChoiceField {...props} options={names.map((name) => ({ value: name, label: name }))} />;
}

/** One of the sections of the library; its drawing comes into the part with it. */
function SectionChoice({ text, value }: { text: string; value: string }) {
  const sections = useQuery({ queryKey: ["library"], queryFn: api.library }).data?.sections ?? [];
  const there = sections.filter((s) => !s.away);
  if (!there.length) return <span className="font-medium">the library holds no section yet</span>;
  return (
    <ChoiceField
      text={text}
      value={String(there.find((s) => s.number === value)?.id ?? "")}
      label="section"
      boxed
      options={there.map((s) => ({ value: String(s.id), label: `${s.number}  ${s.facts.name}` }))}
      onValue={(id) => {
        void takeSection(Number(id));
      }}
    />
  );
}

/** One of the parts of the shelf; its solid comes into the part with it. */
function PartChoice({ text, value }: { text: string; value: number }) {
  const own = useTable((s) => s.part?.id);
  const parts = (useQuery({ queryKey: ["parts"], queryFn: api.parts, refetchOnMount: "always" }).data ?? []).filter(
    (p) => p.id !== own && !p.archived && p.figures["bodies"],
  );
  if (!parts.length) return <span className="font-medium">no other part with a body is on the shelf</span>;
  return (
    <ChoiceField
      text={text}
      value={String(value)}
      label="part"
      boxed
      options={parts.map((p) => ({ value: String(p.id), label: `${p.number ? `${p.number}  ` : ""}${p.name}` }))}
      onValue={(id) => {
        void takePart(Number(id));
      }}
    />
  );
}

/** The unit that a plain number stands in, behind its box. */
function Unit({ text }: { text: string }) {
  const unit = /[^\d\s.,:/+-]+$/.exec(text)?.[0];
  return unit ? <span className="-ml-1">{unit}</span> : null;
}

function Word({ text, label, press }: { text: string; label: string; press: () => void }) {
  return (
    <button
      type="button"
      aria-label={`${label}: ${text}`}
      className="border-b border-faint text-left font-semibold hover:border-brick"
      onClick={press}
    >
      {text}
    </button>
  );
}

function OnCard({
  value,
  label,
  onValue,
  done,
}: {
  value: string | number;
  label: string;
  onValue(v: string): Promise<unknown>;
  done(): void;
}) {
  const [text, setText] = useState(String(value));
  return (
    <input
      autoFocus
      aria-label={label}
      value={text}
      spellCheck={false}
      className="num rounded border border-brick bg-paper px-1 text-center"
      style={{ width: `${Math.max(text.length, 4) + 2}ch` }}
      onFocus={(e) => {
        e.target.select();
      }}
      onChange={(e) => {
        setText(e.target.value);
      }}
      onBlur={done}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Escape") done();
        if (e.key === "Enter") void onValue(text).then(done);
      }}
    />
  );
}
