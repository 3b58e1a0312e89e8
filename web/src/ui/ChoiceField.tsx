import { DropdownMenu } from "radix-ui";

interface Option {
  value: string;
  label: string;
}
interface Props {
  text: string;
  value: string;
  label: string;
  options: Option[];
  boxed: boolean;
  onValue(value: string): void;
  onEnter?(): void;
}

export const MENU = "z-50 max-h-80 overflow-auto rounded-lg border border-rule bg-raised p-1 shadow-lg";
export const ITEM = "cursor-pointer rounded-md px-3 py-1.5 outline-none data-[highlighted]:bg-blush";

/** One of several values: press to choose, arrow keys to step through. */
export function ChoiceField({ text, value, label, options, boxed, onValue, onEnter }: Props) {
  const step = (by: number) => {
    const at = options.findIndex((o) => o.value === value);
    const next = options[(at + by + options.length) % options.length];
    if (next) onValue(next.value);
  };
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
          onKeyDown={(e) => {
            if (!boxed) return;
            if (e.key === "ArrowDown" || e.key === "ArrowUp") {
              e.preventDefault();
              step(e.key === "ArrowDown" ? 1 : -1);
            } else if (e.key === "Enter" && onEnter) {
              e.preventDefault();
              onEnter();
            }
          }}
        >
          {text}
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className={MENU} sideOffset={6} align="start">
          {options.map((o) => (
            <DropdownMenu.Item
              key={o.value}
              className={`${ITEM} ${o.value === value ? "font-semibold" : ""}`}
              onSelect={() => {
                onValue(o.value);
              }}
            >
              {o.label}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
