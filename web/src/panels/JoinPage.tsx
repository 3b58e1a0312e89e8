/** Where an invitation's link leads: a name, a password, and one is in. */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, type Person } from "../api/client";
import { sentenceOf } from "../state/draft";
import { Button } from "../ui/Button";
import { HouseMark } from "../ui/Mark";

const FIELDS = [
  ["name", "Your name, as others see it", "name", "text"],
  ["username", "Name to sign in with", "username", "text"],
  ["password", "Password, of 8 characters or more", "new-password", "password"],
] as const;

export function JoinPage({ secret, entered }: { secret: string; entered(person: Person): void }) {
  const invitation = useQuery({ queryKey: ["join", secret], queryFn: () => api.invitation(secret), retry: false });
  const [given, setGiven] = useState({ name: "", username: "", password: "" }),
    [problem, setProblem] = useState<string | null>(null);
  if (invitation.isPending) return null;
  return (
    <main className="grid h-full place-items-center">
      <form
        className="w-[360px] rounded-xl border border-rule bg-raised p-7"
        onSubmit={(e) => {
          e.preventDefault();
          api.join(secret, given).then(entered, (error: unknown) => {
            setProblem(sentenceOf(error));
          });
        }}
      >
        <div className="flex items-center gap-3">
          <HouseMark />
          <h1 className="text-[22px] font-semibold">Tectogon</h1>
        </div>
        {invitation.data ? (
          <>
            <p className="mt-1 text-[14px] text-faint">
              You are invited to {invitation.data.workshop}, as {invitation.data.role}.
            </p>
            {FIELDS.map(([field, label, complete, type], n) => (
              <label key={field} className="mt-4 block text-[13px]">
                {label}
                <input
                  autoFocus={n === 0}
                  type={type}
                  autoComplete={complete}
                  className="mt-1 w-full rounded-lg border border-rule bg-paper px-3 py-2 text-[15px]"
                  value={given[field]}
                  onChange={(e) => {
                    setGiven({ ...given, [field]: e.target.value });
                  }}
                />
              </label>
            ))}
            {problem ? (
              <p className="mt-3 text-[13.5px] text-madder" role="alert">
                {problem}
              </p>
            ) : null}
            <Button tone="main" type="submit" className="mt-5 w-full justify-center !py-2">
              Join
            </Button>
          </>
        ) : (
          <p className="mt-4 text-madder" role="alert">
            {sentenceOf(invitation.error)}
          </p>
        )}
      </form>
    </main>
  );
}
