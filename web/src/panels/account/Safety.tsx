/** A second factor at signing in, the places where one is signed in, and leaving for good. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, type Person } from "../../api/client";
import { hangUp } from "../../api/news";
import { Button } from "../../ui/Button";
import { type Attempt, Block, Field } from "./blocks";
import { spoken } from "../../words/language";

const WHEN = new Intl.DateTimeFormat(spoken(), { dateStyle: "medium", timeStyle: "short" });

export function SecondFactor({ person, attempt }: { person: Person; attempt: Attempt }) {
  const queries = useQueryClient();
  const [begun, setBegun] = useState<{ secret: string; picture: string } | null>(null),
    [given, setGiven] = useState("");
  const settled = () => {
    setBegun(null);
    setGiven("");
    return queries.invalidateQueries({ queryKey: ["me"] });
  };
  if (person.second_factor)
    return (
      <Block title="Second factor">
        <form
          onSubmit={(e) => {
            e.preventDefault();
            void attempt(() => api.noSecondFactor(given).then(settled), "The password alone is wanted again.");
          }}
        >
          <p className="text-[13.5px] text-faint">At signing in a code of your application is wanted.</p>
          <Field label="Your password, to do without" complete="current-password" value={given} put={setGiven} />
          <Button type="submit" className="mt-3" disabled={!given}>
            Do without
          </Button>
        </form>
      </Block>
    );
  return (
    <Block title="Second factor">
      {begun ? (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            void attempt(
              () => api.confirmSecondFactor(given).then(settled),
              "From now on a code is wanted at signing in.",
            );
          }}
        >
          <div className="flex gap-4">
            <img
              className="h-[132px] w-[132px] shrink-0 rounded bg-white p-1"
              alt="The secret as a picture for the application"
              src={`data:image/svg+xml;utf8,${encodeURIComponent(begun.picture)}`}
            />
            <p className="text-[13.5px]">
              Let the application on your phone read this, or type the secret:
              <span className="num mt-1 block break-all text-[12.5px]">{begun.secret}</span>
            </p>
          </div>
          <Field label="The code that it shows now" type="text" complete="one-time-code" value={given} put={setGiven} />
          <Button type="submit" tone="main" className="mt-3" disabled={given.trim().length < 6}>
            Confirm
          </Button>
        </form>
      ) : (
        <>
          <p className="text-[13.5px] text-faint">
            A code of an application on your phone, beside the password. An owner can take it off if the phone is lost.
          </p>
          <Button
            className="mt-3"
            onClick={() => {
              void attempt(async () => {
                setBegun(await api.beginSecondFactor());
              });
            }}
          >
            Take one
          </Button>
        </>
      )}
    </Block>
  );
}

export function Places({ attempt }: { attempt: Attempt }) {
  const queries = useQueryClient(),
    places = useQuery({ queryKey: ["sessions"], queryFn: api.sessions, refetchOnMount: "always" }).data;
  return (
    <Block title="Where you are signed in">
      <ul aria-label="Where you are signed in">
        {places?.map((s) => (
          <li key={s.key} className="dash-b flex items-center gap-3 py-1.5 text-[13.5px]">
            <span className="min-w-0 flex-1">
              <span className="block truncate" title={s.browser}>
                {browserOf(s.browser)} {s.here ? <b className="font-medium text-verdigris">here</b> : null}
              </span>
              <span className="block text-[12.5px] text-faint">
                {s.at ? `since ${WHEN.format(new Date(s.at))}` : "since before this was kept"}
                {s.address ? `, from ${s.address}` : ""}
              </span>
            </span>
            {s.here ? null : (
              <Button
                className="!py-1"
                onClick={() => {
                  void attempt(async () => {
                    await api.endSession(s.key);
                    await queries.invalidateQueries({ queryKey: ["sessions"] });
                  });
                }}
              >
                Sign out there
              </Button>
            )}
          </li>
        ))}
      </ul>
    </Block>
  );
}

/** A browser's own long name, made short: what it is and on which system. */
function browserOf(agent: string): string {
  const what = /(Firefox|Edg|OPR|Chrome|Safari)\/[\d.]+/.exec(agent)?.[1],
    on = /Windows|Mac OS X|Android|iPhone|iPad|Linux/.exec(agent)?.[0];
  const named = { Edg: "Edge", OPR: "Opera" }[what ?? ""] ?? what;
  return [named ?? "A browser", on ? `on ${on}` : ""].join(" ").trim();
}

export function Leaving({ attempt }: { attempt: Attempt }) {
  const [sure, setSure] = useState(false),
    [password, setPassword] = useState("");
  return (
    <Block title="What is kept of you">
      <div className="flex flex-wrap items-center gap-3 text-[13.5px]">
        <a className="border-b border-faint hover:border-brick" href="/api/me/file" download>
          Download it as a file
        </a>
        {sure ? null : (
          <button
            type="button"
            className="border-b border-faint text-madder hover:border-madder"
            onClick={() => {
              setSure(true);
            }}
          >
            Delete your account
          </button>
        )}
      </div>
      {sure ? (
        <form
          className="mt-3"
          onSubmit={(e) => {
            e.preventDefault();
            void attempt(() => api.leaveForGood(password)).then((gone) => {
              if (!gone) return;
              hangUp();
              window.location.href = "/";
            });
          }}
        >
          <p className="text-[13.5px]">
            Your account goes for good; what you recorded stays with the workshop, as somebody’s who has left.
          </p>
          <Field label="Your password" complete="current-password" value={password} put={setPassword} />
          <div className="mt-3 flex gap-2">
            <Button type="submit" tone="main" disabled={!password}>
              Delete it for good
            </Button>
            <Button
              onClick={() => {
                setSure(false);
              }}
            >
              Keep it
            </Button>
          </div>
        </form>
      ) : null}
    </Block>
  );
}
