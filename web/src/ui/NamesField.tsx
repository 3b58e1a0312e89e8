import { DropdownMenu } from "radix-ui";

import { ITEM, MENU } from "./ChoiceField";

interface Props {
  text: string;
  label: string;
  value: string[];
  options: string[];
  boxed: boolean;
  onValue(value: string[]): void;
}

/** Several of a list of names, each on or off. */
export function NamesField({ text, label, value, options, boxed, onValue }: Props) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          type="button"
          aria-label={`${label}: ${text}`}
          className={
            boxed
              ? "rounded-lg border border-rule bg-paper px-2.5 py-1 font-medium hover:border-faint"
              : "border-b border-faint text-left font-semibold hover:border-brick"
          }
        >
          {text}
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className={MENU} sideOffset={6} align="start">
          {options.map((name) => (
            <DropdownMenu.CheckboxItem
              key={name}
              className={`${ITEM} flex gap-2`}
              checked={value.includes(name)}
              onCheckedChange={(on) => {
                onValue(on ? [...value, name] : value.filter((v) => v !== name));
              }}
              onSelect={(e) => {
                e.preventDefault();
              }}
            >
              <span className="num w-4">{value.includes(name) ? "×" : ""}</span>
              {name}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
