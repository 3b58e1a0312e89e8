import { useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";

import { api, type Person } from "../api/client";
import { hangUp } from "../api/news";
import { toHelp } from "../help/go";
import { setTheme, themeNow } from "../ui/theme";
import { ITEM, MENU } from "../ui/ChoiceField";

/** Who is signed in; the evening theme; sign out. */
export function PersonMenu({ person, themed }: { person: Person; themed(): void }) {
  const queries = useQueryClient();
  const initials = person.name
    .split(/\s+/)
    .map((w) => w.charAt(0))
    .join("")
    .slice(0, 2)
    .toUpperCase();
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          type="button"
          aria-label={`${initials}, signed in as ${person.name}`}
          className="grid h-7 w-7 place-items-center rounded-full bg-[color-mix(in_srgb,var(--verdigris)_18%,var(--paper))] text-[12px] font-semibold text-ink"
        >
          {initials}
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className={MENU} align="end" sideOffset={6}>
          <DropdownMenu.Label className="px-3 py-1.5 text-[13px] text-faint">
            {person.name}, {person.role} at {person.workshop}
          </DropdownMenu.Label>
          <DropdownMenu.Item
            className={ITEM}
            onSelect={() => {
              window.history.pushState(null, "", "/account");
              window.dispatchEvent(new PopStateEvent("popstate"));
            }}
          >
            Account and people
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className={ITEM}
            onSelect={() => {
              toHelp();
            }}
          >
            Help and what is new
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className={ITEM}
            onSelect={() => {
              setTheme(themeNow() === "evening" ? "day" : "evening");
              themed();
            }}
          >
            {themeNow() === "evening" ? "Day theme" : "Evening theme"}
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className={ITEM}
            onSelect={() => {
              hangUp();
              void api.signOut().then(() => {
                queries.clear();
                window.location.href = "/";
              });
            }}
          >
            Sign out
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
