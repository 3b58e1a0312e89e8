/** A part on the shelf: its picture, name, number, size and where it stands; and what is done with it as a whole. */

import { useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useRef, useState } from "react";

import { api, type Gauge, type PartDescribed, type PartOnShelf } from "../api/client";
import { massText, sizesText } from "../scene/shownUnits";
import { sentenceOf } from "../state/draft";
import { ITEM, MENU } from "../ui/ChoiceField";
import { StateMark } from "../ui/Mark";

interface Props {
  part: PartOnShelf;
  mayEdit: boolean;
  picked: boolean;
  pick(): void;
  open(): void;
  /** A label is pressed: the shelf shows those that have it. */
  narrow(label: string): void;
  failed(problem: string): void;
}

export function PartCard({ part, mayEdit, picked, pick, open, narrow, failed }: Props) {
  const queries = useQueryClient();
  const [writing, setWriting] = useState<"name" | "number" | "labels" | null>(null),
    next = useRef<typeof writing>(null); // what is written once the menu has closed and gives the focus back
  const figures = part.figures as { bounds?: number[]; bodies?: number; mass_g?: number | null; material?: string };
  const stands = part.stands as Pick<Gauge, "state" | "figure" | "words"> | null;

  async function put(change: PartDescribed | "copy" | "next issue") {
    try {
      if (typeof change === "object") await api.describe(part.id, change);
      else await api.copyPart(part.id, change === "next issue");
      await queries.invalidateQueries({ queryKey: ["shelf"] });
    } catch (error) {
      failed(sentenceOf(error));
    }
  }

  return (
    <div
      className={`relative cursor-pointer rounded-xl border bg-raised hover:border-faint ${picked ? "border-brick" : "border-rule"}`}
      onClick={(e) => {
        const target = e.target as HTMLElement;
        if (e.currentTarget.contains(target) && !target.closest("button, input, label")) open();
      }}
    >
      <button
        type="button"
        data-part={part.id}
        aria-label={`Open ${part.name}`}
        className="block w-full overflow-hidden rounded-t-xl text-left"
        onClick={open}
        onKeyDown={(e) => {
          if (e.key === "F2" && mayEdit) setWriting("name");
          if (e.key === "x") pick();
        }}
      >
        {part.has_picture ? (
          <img
            src={`/api/parts/${part.id}/picture?${part.changed}`}
            alt={`Picture of ${part.name}`}
            loading="lazy"
            className="h-[170px] w-full bg-[#f5f2ea] object-contain"
          />
        ) : (
          <span className="grid h-[170px] place-items-center bg-paper text-faint">
            {part.stands ? "no picture" : "picture to come"}
          </span>
        )}
      </button>
      <label
        className={`absolute top-2 left-2 flex items-center rounded-md border bg-raised/90 p-1.5 hover:border-faint ${picked ? "border-brick" : "border-rule"}`}
        title="Pick it, to hand it over with others ( X )"
      >
        <input
          type="checkbox"
          className="accent-[var(--brick)]"
          aria-label={`Pick ${part.name}`}
          checked={picked}
          onChange={pick}
        />
      </label>
      {mayEdit ? (
        <DropdownMenu.Root>
          <DropdownMenu.Trigger asChild>
            <button
              type="button"
              aria-label={`What to do with ${part.name}`}
              className="absolute top-2 right-2 rounded-md border border-rule bg-raised/90 px-2 text-[15px] leading-6 hover:border-faint"
            >
              ⋯
            </button>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content
              className={MENU}
              align="end"
              onCloseAutoFocus={(e) => {
                if (!next.current) return;
                e.preventDefault();
                setWriting(next.current);
                next.current = null;
              }}
            >
              {(
                [
                  [
                    "Rename",
                    () => {
                      next.current = "name";
                    },
                  ],
                  [
                    part.number ? "Change its number" : "Give it a number",
                    () => {
                      next.current = "number";
                    },
                  ],
                  [
                    "Labels",
                    () => {
                      next.current = "labels";
                    },
                  ],
                  ["Copy", () => void put("copy")],
                  part.released
                    ? (["Make its next issue", () => void put("next issue")] as const)
                    : ([
                        "Release it",
                        () => {
                          if (window.confirm(`Issue ${part.issue} of ${part.name} then stays as it is, for good.`))
                            void put({ released: true });
                        },
                      ] as const),
                  [
                    part.archived ? "Bring back" : "Remove from the shelf",
                    () => void put({ archived: !part.archived }),
                  ],
                ] as const
              ).map(([words, act]) => (
                <DropdownMenu.Item key={words} className={ITEM} onSelect={act}>
                  {words}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      ) : null}
      <div className="dash-t px-4 py-3">
        {writing ? (
          <Written
            key={writing}
            label={
              { name: "Name of the part", number: "Number of the part", labels: "Labels, parted by commas" }[writing]
            }
            value={writing === "labels" ? part.labels.join(", ") : part[writing]}
            done={(text) => {
              setWriting(null);
              if (text === null) return;
              const labels = text
                .split(",")
                .map((l) => l.trim())
                .filter(Boolean);
              void put(writing === "labels" ? { labels } : { [writing]: text });
            }}
          />
        ) : (
          <span className="flex items-baseline gap-2">
            <span className="truncate text-[16px] font-semibold" title={part.name} translate="no">
              {part.name}
            </span>
            <span className="num shrink-0 text-[12.5px] text-faint">{part.number}</span>
            {part.released || part.issue > 1 ? (
              <span className={`shrink-0 text-[12.5px] ${part.released ? "text-verdigris" : "text-faint"}`}>
                issue {part.issue}
                {part.released ? ", released" : ""}
              </span>
            ) : null}
          </span>
        )}
        <span className="num block text-[12.5px] text-faint">
          {figures.bounds && figures.bodies ? sizesText(figures.bounds) : " "}
          {figures.mass_g ? `   ${massText(figures.mass_g)} ${figures.material ?? ""}` : ""}
        </span>
        <span className="mt-1 flex items-center gap-2 text-[13px]">
          <StateMark state={stands?.state ?? "none"} />
          {stands ? `${stands.figure} ${stands.words}`.trim() : "being computed"}
          <span className="flex-1" />
          <span className="text-faint">
            {part.steps} {part.steps === 1 ? "step" : "steps"}
          </span>
        </span>
        {part.labels.length ? (
          <span className="mt-1.5 flex flex-wrap gap-1">
            {part.labels.map((label) => (
              <button
                key={label}
                type="button"
                title={`All parts labelled ${label}`}
                className="rounded-full border border-rule bg-paper px-2 text-[12px] hover:border-faint"
                onClick={() => {
                  narrow(label);
                }}
              >
                {label}
              </button>
            ))}
          </span>
        ) : null}
      </div>
    </div>
  );
}

/** A text that is changed in place: Enter keeps it, Escape leaves it as it was. */
export function Written({
  label,
  value,
  done,
  className = "w-full text-[15px]",
}: {
  label: string;
  value: string;
  done(text: string | null): void;
  className?: string;
}) {
  const [text, setText] = useState(value);
  return (
    <input
      autoFocus
      aria-label={label}
      value={text}
      spellCheck={false}
      className={`rounded-md border border-brick bg-paper px-2 py-0.5 ${className}`}
      onFocus={(e) => {
        e.target.select();
      }}
      onChange={(e) => {
        setText(e.target.value);
      }}
      onBlur={() => {
        done(text.trim() === value ? null : text.trim());
      }}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") done(text.trim() === value ? null : text.trim());
        if (e.key === "Escape") done(null);
      }}
    />
  );
}
