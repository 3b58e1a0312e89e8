/** The own account, the people of the workshop, and what everybody did. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, type Person } from "../../api/client";
import { hangUp } from "../../api/news";
import { sentenceOf } from "../../state/draft";
import { Button } from "../../ui/Button";
import { ChoiceField } from "../../ui/ChoiceField";
import { HouseMark } from "../../ui/Mark";
import { setTheme, themeNow } from "../../ui/theme";
import { type Language, LANGUAGES, speak, spoken } from "../../words/language";
import { PersonMenu } from "../PersonMenu";
import { type Attempt, Block, Field, Line, type Told, Word } from "./blocks";
import { Leaving, Places, SecondFactor } from "./Safety";
import { Sizes } from "./Sizes";

const ROLES = [
  { value: "owner", label: "owner: also invites and removes people" },
  { value: "editor", label: "editor: makes and changes parts" },
  { value: "viewer", label: "viewer: sees everything, changes nothing" },
];

const WHEN = new Intl.DateTimeFormat(spoken(), {
  day: "numeric",
  month: "short",
  hour: "2-digit",
  minute: "2-digit",
  hour12: false,
});

export function AccountPage({ person, leave, open }: { person: Person; leave(): void; open(part: number): void }) {
  const [told, setTold] = useState<Told>(null);
  const attempt = async (act: () => Promise<unknown>, done = "") => {
    try {
      await act();
      setTold(done ? { good: true, text: done } : null);
      return true;
    } catch (error) {
      setTold({ good: false, text: sentenceOf(error) });
      return false;
    }
  };
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-11 shrink-0 items-center gap-3 border-b border-rule px-4">
        <button type="button" aria-label="Back to the shelf" title="Back to the shelf" onClick={leave}>
          <HouseMark />
        </button>
        <h1 className="text-[17px] font-semibold" translate="no">
          {person.name}
        </h1>
        <span className="text-[13px] text-faint">
          {person.role} at {person.workshop}
        </span>
        <span className="flex-1" />
        <Button className="!py-0.5" onClick={leave}>
          To the shelf
        </Button>
        <PersonMenu person={person} themed={() => undefined} />
      </header>
      <main className="min-h-0 flex-1 overflow-y-auto px-6 py-5">
        {told ? (
          <p
            role={told.good ? "status" : "alert"}
            className={`mb-4 rounded-lg border px-3 py-2 ${told.good ? "border-verdigris text-verdigris" : "border-madder text-madder"}`}
          >
            {told.text}
          </p>
        ) : null}
        <div className="grid gap-6 lg:grid-cols-[minmax(300px,2fr)_minmax(380px,3fr)]">
          <div className="space-y-6">
            <Own person={person} attempt={attempt} />
            <Password attempt={attempt} />
            <SecondFactor person={person} attempt={attempt} />
            <Places attempt={attempt} />
            <Leaving attempt={attempt} />
          </div>
          <div className="space-y-6">
            <People mayInvite={person.role === "owner"} attempt={attempt} />
            {person.role === "owner" ? <Sizes attempt={attempt} /> : null}
            <Deeds open={open} all={person.role === "owner"} />
          </div>
        </div>
      </main>
    </div>
  );
}

function Own({ person, attempt }: { person: Person; attempt: Attempt }) {
  const queries = useQueryClient();
  const [theme, setShownTheme] = useState(themeNow()),
    [mail, setMail] = useState<string | null>(null),
    [password, setPassword] = useState("");
  const put = (change: { name?: string; inches?: boolean; mail?: string; password?: string }) =>
    attempt(async () => {
      queries.setQueryData(["me"], await api.changeMe(change));
    });
  return (
    <Block title="Account">
      <Line label="Signs in as">
        <span translate="no">{person.username}</span>
      </Line>
      <Line label="Name">
        <Word
          label="Your name"
          value={person.name}
          done={(name) => {
            void put({ name });
          }}
        />
      </Line>
      <Line label="Mail">
        <Word
          label="Your mail address"
          value={person.mail ?? ""}
          none="none; press to give one, for a forgotten password"
          done={(mail) => {
            if (mail.trim() !== (person.mail ?? "")) setMail(mail);
          }}
        />
      </Line>
      {mail === null ? null : (
        <form
          className="mb-3 rounded-lg border border-rule bg-paper p-3"
          onSubmit={(e) => {
            e.preventDefault();
            void put({ mail, password }).then((done) => {
              setPassword("");
              if (done) setMail(null);
            });
          }}
        >
          <p className="text-[13.5px]">
            {mail ? `Mail goes to “${mail}” from now on.` : "No mail is sent from now on."} Confirm with your password.
          </p>
          <Field label="Current password" complete="current-password" value={password} put={setPassword} />
          <div className="mt-2 flex gap-2">
            <Button type="submit" tone="main" disabled={!password}>
              Change the mail address
            </Button>
            <Button
              onClick={() => {
                setMail(null);
                setPassword("");
              }}
            >
              Cancel
            </Button>
          </div>
        </form>
      )}
      <Line label="Lengths are shown">
        <ChoiceField
          text={person.inches ? "in inches, with fractions" : "in millimetres"}
          value={person.inches ? "in" : "mm"}
          label="Lengths are shown"
          boxed
          options={[
            { value: "mm", label: "in millimetres" },
            { value: "in", label: "in inches, with fractions" },
          ]}
          onValue={(value) => {
            void put({ inches: value === "in" });
          }}
        />
      </Line>
      <Line label="Language">
        <ChoiceField
          text={LANGUAGES[spoken()]}
          value={spoken()}
          label="Language"
          boxed
          options={Object.entries(LANGUAGES).map(([value, label]) => ({ value, label }))}
          onValue={(value) => {
            speak(value as Language);
          }}
        />
      </Line>
      <Line label="Theme">
        <ChoiceField
          text={theme === "evening" ? "evening" : "day"}
          value={theme}
          label="Theme"
          boxed
          options={[
            { value: "day", label: "day" },
            { value: "evening", label: "evening" },
          ]}
          onValue={(value) => {
            setTheme(value as typeof theme);
            setShownTheme(value as typeof theme);
          }}
        />
      </Line>
      <div className="mt-3">
        <Button
          onClick={() => {
            void attempt(() => api.signOutEverywhere()).then((gone) => {
              if (!gone) return;
              hangUp();
              window.location.href = "/";
            });
          }}
        >
          Sign out everywhere
        </Button>
      </div>
    </Block>
  );
}

function Password({ attempt }: { attempt: Attempt }) {
  const [old, setOld] = useState(""),
    [fresh, setFresh] = useState("");
  return (
    <Block title="Password">
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void attempt(
            () => api.changePassword(old, fresh),
            "The password is changed; everywhere else you are signed out.",
          ).then((done) => {
            if (!done) return;
            setOld("");
            setFresh("");
          });
        }}
      >
        {(
          [
            ["Current password", "current-password", old, setOld],
            ["A new one", "new-password", fresh, setFresh],
          ] as const
        ).map(([label, complete, value, put]) => (
          <Field key={label} label={label} complete={complete} value={value} put={put} />
        ))}
        <Button type="submit" tone="main" className="mt-3" disabled={!old || !fresh}>
          Change the password
        </Button>
      </form>
    </Block>
  );
}

function People({ mayInvite, attempt }: { mayInvite: boolean; attempt: Attempt }) {
  const queries = useQueryClient();
  const workshop = useQuery({ queryKey: ["workshop"], queryFn: api.workshop }).data;
  const [link, setLink] = useState(""),
    [role, setRole] = useState("editor");
  const again = () => queries.invalidateQueries({ queryKey: ["workshop"] });
  const act = (what: () => Promise<unknown>) =>
    attempt(async () => {
      await what();
      await again();
    });
  return (
    <Block title="The workshop and its people">
      {mayInvite ? (
        <Line label="K of its bends">
          <Word
            label="K of the workshop’s bends"
            value={workshop?.bend_table ?? ""}
            none="by DIN 6935; press to write a table: radius / thickness: K, …"
            done={(table) => {
              void act(() => api.keepBendTable(table));
            }}
          />
        </Line>
      ) : null}
      <ul>
        {workshop?.members.map((m) => (
          <li key={m.id} className="dash-b flex items-center gap-3 py-1.5">
            <span className="min-w-0 flex-1 truncate">
              <span translate="no">{m.name}</span>{" "}
              <span className="text-[13px] text-faint">
                {m.me ? "you" : m.username}
                {m.second_factor ? ", second factor" : ""}
              </span>
            </span>
            {mayInvite && !m.me && m.second_factor ? (
              <Button
                className="!py-1"
                aria-label={`Remove the second factor of ${m.name}`}
                onClick={() => {
                  if (window.confirm(`${m.name} will sign in by the password alone again.`))
                    void act(() => api.withoutSecondFactor(m.id));
                }}
              >
                Without second factor
              </Button>
            ) : null}
            {mayInvite && !m.me ? (
              <>
                <ChoiceField
                  text={m.role}
                  value={m.role}
                  label={`Role of ${m.name}`}
                  boxed
                  options={ROLES}
                  onValue={(value) => {
                    void act(() => api.setRole(m.id, value));
                  }}
                />
                <Button
                  className="!py-1"
                  aria-label={`Remove ${m.name}`}
                  onClick={() => {
                    if (window.confirm(`${m.name} will be signed out and can't come back without an invitation.`))
                      void act(() => api.removeMember(m.id));
                  }}
                >
                  Remove
                </Button>
              </>
            ) : (
              <span className="text-faint">{m.role}</span>
            )}
          </li>
        ))}
      </ul>
      {mayInvite ? (
        <>
          {workshop?.invitations.map((i) => (
            <p key={i.id} className="dash-b flex items-center gap-3 py-1.5 text-[13.5px] text-faint">
              <span className="flex-1">
                An invitation as {i.role}, open until {new Date(i.expires).toLocaleDateString(spoken())}
              </span>
              <Button
                className="!py-1"
                onClick={() => {
                  void act(() => api.takeInvitationBack(i.id));
                }}
              >
                Take back
              </Button>
            </p>
          ))}
          <div className="mt-3 flex flex-wrap items-center gap-2">
            Invite somebody as
            <ChoiceField
              text={role}
              value={role}
              label="Role of the invitation"
              boxed
              options={ROLES}
              onValue={setRole}
            />
            <Button
              tone="main"
              onClick={() => {
                void act(async () => {
                  setLink(`${window.location.origin}/join/${(await api.invite(role)).secret ?? ""}`);
                });
              }}
            >
              Make a link
            </Button>
          </div>
          {link ? (
            <p className="mt-2 text-[13.5px]">
              It works once, for seven days, and is shown only now:
              <input
                readOnly
                aria-label="Link of the invitation"
                className="num mt-1 w-full rounded-lg border border-rule bg-paper px-3 py-1.5 text-[13px]"
                value={link}
                onFocus={(e) => {
                  e.target.select();
                }}
              />
            </p>
          ) : null}
        </>
      ) : null}
    </Block>
  );
}

function Deeds({ open, all }: { open(part: number): void; all: boolean }) {
  const deeds = useQuery({ queryKey: ["deeds"], queryFn: api.deeds, refetchOnMount: "always" }).data;
  return (
    <Block title="What people did">
      {all ? (
        <a className="border-b border-faint text-[13px] hover:border-brick" href="/api/workshop/deeds/file" download>
          Download all of it as CSV
        </a>
      ) : null}
      <ul className="max-h-[420px] overflow-y-auto" aria-label="What people did">
        {deeds?.map((d, n) => (
          <li key={n} className="dash-b grid grid-cols-[108px_1fr] gap-x-3 py-1.5 text-[13.5px]">
            <span className="num text-[12.5px] text-faint">{WHEN.format(new Date(d.at))}</span>
            <span className="min-w-0">
              <b className="font-medium" translate="no">
                {d.who}
              </b>{" "}
              {d.part !== null ? (
                <button
                  type="button"
                  className="border-b border-faint hover:border-brick"
                  onClick={() => {
                    open(d.part!);
                  }}
                >
                  {d.part_name}
                </button>
              ) : null}
              <span className="block text-faint">{d.words}</span>
            </span>
          </li>
        ))}
      </ul>
    </Block>
  );
}
