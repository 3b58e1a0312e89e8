/** Where an invitation's link leads: a name, a password, and one is in. */

import { useQuery } from "@tanstack/react-query";

import { api, type Person } from "../api/client";
import { sentenceOf } from "../state/draft";
import { EntryForm } from "./EntryForm";

const FIELDS = [
  { name: "name", label: "Your name, as others see it", complete: "name", type: "text" },
  { name: "username", label: "Name to sign in with", complete: "username", type: "text" },
  { name: "password", label: "Password", complete: "new-password", type: "password" },
] as const;

export function JoinPage({ secret, entered }: { secret: string; entered(person: Person): void }) {
  const invitation = useQuery({ queryKey: ["join", secret], queryFn: () => api.invitation(secret), retry: false });
  if (invitation.isPending) return null;
  const found = invitation.data;
  return (
    <EntryForm
      intro={found ? `You are invited to ${found.workshop}, as ${found.role}.` : "An invitation"}
      fields={found ? FIELDS : []}
      {...(found ? { words: "Join" } : { problem: sentenceOf(invitation.error) })}
      submit={async ({ name = "", username = "", password = "" }) => {
        entered(await api.join(secret, { name, username, password }));
      }}
    />
  );
}
