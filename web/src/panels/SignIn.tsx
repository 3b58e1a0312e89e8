/** Signing in: by name and password, with a code where somebody has a second factor; and a link for a new password. */

import { useState } from "react";

import { api, type Person, Refused } from "../api/client";
import { EntryForm } from "./EntryForm";

const NAME = { name: "username", label: "Name", complete: "username", type: "text" } as const,
  PASSWORD = { name: "password", label: "Password", complete: "current-password", type: "password" } as const,
  CODE = { name: "code", label: "Code of your application", complete: "one-time-code", type: "text" } as const;

export function SignIn({ entered }: { entered(person: Person): void }) {
  const [wants, setWants] = useState<"password" | "code" | "link" | "sent">("password");
  if (wants === "link" || wants === "sent")
    return (
      <EntryForm
        key={wants}
        intro={
          wants === "sent"
            ? "If somebody of this name or address is here, a mail with a link is on its way. It works for an hour."
            : "Your name or mail address: a link for a new password goes there, if an address is known."
        }
        fields={wants === "sent" ? [] : [{ ...NAME, label: "Name or mail address" }]}
        {...(wants === "sent" ? {} : { words: "Send a link" })}
        aside={{
          words: "Back to signing in",
          go: () => {
            setWants("password");
          },
        }}
        submit={async ({ username = "" }) => {
          await api.askReset(username);
          setWants("sent");
        }}
      />
    );
  return (
    <EntryForm
      intro="Flat linework becomes dimensioned solid parts."
      fields={wants === "code" ? [NAME, PASSWORD, CODE] : [NAME, PASSWORD]}
      words="Sign in"
      aside={{
        words: "Forgot the password?",
        go: () => {
          setWants("link");
        },
      }}
      submit={async ({ username = "", password = "", code = "" }) => {
        try {
          entered(await api.signIn(username, password, code));
        } catch (error) {
          if (error instanceof Refused && error.code === "second_factor") setWants("code");
          throw error;
        }
      }}
    />
  );
}

/** Where the link of a mail leads: a new password, and back to signing in. */
export function NewPassword({ user, token, done }: { user: string; token: string; done(): void }) {
  return (
    <EntryForm
      intro="A new password. You are signed out everywhere with it."
      fields={[{ name: "password", label: "New password", complete: "new-password", type: "password" }]}
      words="Take it"
      aside={{ words: "To signing in, and to another link", go: done }}
      submit={async ({ password = "" }) => {
        await api.resetPassword(user, token, password);
        done();
      }}
    />
  );
}
