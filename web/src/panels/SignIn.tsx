import { api, type Person } from "../api/client";
import { EntryForm } from "./EntryForm";

const FIELDS = [
  { name: "username", label: "Name", complete: "username", type: "text" },
  { name: "password", label: "Password", complete: "current-password", type: "password" },
] as const;

export function SignIn({ entered }: { entered(person: Person): void }) {
  return (
    <EntryForm
      intro="Flat linework becomes dimensioned solid parts."
      fields={FIELDS}
      words="Sign in"
      submit={async ({ username = "", password = "" }) => {
        entered(await api.signIn(username, password));
      }}
    />
  );
}
