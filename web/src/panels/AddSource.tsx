/** Bring another file into the part, or begin an empty sheet. */

import { DropdownMenu } from "radix-ui";
import { useRef } from "react";

import type { Kind } from "../api/client";
import { beginSheet } from "../state/work";
import { Button } from "../ui/Button";
import { ITEM, MENU } from "../ui/ChoiceField";
import { addFiles } from "./addFiles";

const WHERE = {
  beside: "A file beside what is there; layers of one board lie on each other",
  own: "A file over what is there, at its own coordinates",
  sheet: "A file on a sheet of its own",
} as const;

/** `drawing`: the operation that an empty sheet begins with. */
export function AddSource({ drawing }: { drawing: Kind | undefined }) {
  const chooser = useRef<HTMLInputElement>(null),
    where = useRef<keyof typeof WHERE>("beside");
  return (
    <>
      <input
        ref={chooser}
        type="file"
        multiple
        className="sr-only"
        tabIndex={-1}
        aria-label="Another drawing file"
        onChange={(e) => {
          void addFiles([...(e.target.files ?? [])], where.current);
          e.target.value = "";
        }}
      />
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button className="!px-2 !py-0.5 text-[12.5px]">Add a source</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className={MENU} align="end">
            {(Object.keys(WHERE) as (keyof typeof WHERE)[]).map((choice) => (
              <DropdownMenu.Item
                key={choice}
                className={ITEM}
                onSelect={() => {
                  where.current = choice;
                  chooser.current?.click();
                }}
              >
                {WHERE[choice]}
              </DropdownMenu.Item>
            ))}
            {drawing ? (
              <DropdownMenu.Item
                className={ITEM}
                onSelect={() => {
                  beginSheet(drawing);
                }}
              >
                An empty sheet to draw on
              </DropdownMenu.Item>
            ) : null}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </>
  );
}
