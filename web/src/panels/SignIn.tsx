import { useState } from "react";

import { api, type Person } from "../api/client";
import { sentenceOf } from "../state/draft";
import { Button } from "../ui/Button";
import { HouseMark } from "../ui/Mark";

export function SignIn({ entered }: { entered(person: Person): void }) {
  const [username, setUsername] = useState(""),
    [password, setPassword] = useState(""),
    [problem, setProblem] = useState<string | null>(null);
  const field = "mt-1 w-full rounded-lg border border-rule bg-paper px-3 py-2 text-[15px]";
  return (
    <main className="grid h-full place-items-center">
      <form
        className="w-[340px] rounded-xl border border-rule bg-raised p-7"
        onSubmit={(e) => {
          e.preventDefault();
          api.signIn(username, password).then(entered, (error: unknown) => {
            setProblem(sentenceOf(error));
          });
        }}
      >
        <div className="flex items-center gap-3">
          <HouseMark />
          <h1 className="text-[22px] font-semibold">Tectogon</h1>
        </div>
        <p className="mt-1 text-[14px] text-faint">Flat linework becomes dimensioned solid parts.</p>
        <label className="mt-5 block text-[13px]">
          Name
          <input
            autoFocus
            className={field}
            name="username"
            autoComplete="username"
            value={username}
            onChange={(e) => {
              setUsername(e.target.value);
            }}
          />
        </label>
        <label className="mt-3 block text-[13px]">
          Password
          <input
            className={field}
            name="password"
            type="password"
            autoComplete="current-password"
            value={password}
            onChange={(e) => {
              setPassword(e.target.value);
            }}
          />
        </label>
        {problem ? (
          <p className="mt-3 text-[13.5px] text-madder" role="alert">
            {problem}
          </p>
        ) : null}
        <Button tone="main" type="submit" className="mt-5 w-full justify-center !py-2">
          Sign in
        </Button>
      </form>
    </main>
  );
}
