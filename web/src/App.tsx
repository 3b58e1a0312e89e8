import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useState } from "react";

import { api, type Person, Refused } from "./api/client";
import { WithFirstSteps } from "./help/FirstSteps";
import { AccountPage } from "./panels/account/AccountPage";
import { JoinPage } from "./panels/JoinPage";
import { LibraryPage } from "./panels/library/LibraryPage";
import { Shelf } from "./panels/Shelf";
import { NewPassword, SignIn } from "./panels/SignIn";
import { showInches } from "./scene/shownUnits";

/** The drawing table brings all that draws with it; the shelf need not wait for that. */
const loadTable = () => import("./panels/Table");
const Table = lazy(async () => ({ default: (await loadTable()).Table }));

const Help = lazy(async () => ({ default: (await import("./help/HelpPage")).HelpPage }));

type Page =
  | { at: "shelf" | "account" | "library" }
  | { at: "part"; id: number }
  | { at: "help"; job: string }
  | { at: "join"; secret: string }
  | { at: "reset"; user: string; token: string };

function pageInAddress(): Page {
  const path = window.location.pathname,
    part = /^\/parts\/(\d+)$/.exec(path),
    join = /^\/join\/([\w-]+)$/.exec(path),
    help = /^\/help(?:\/([\w-]+))?$/.exec(path),
    reset = /^\/reset\/([\w-]+)\/([\w-]+)$/.exec(path);
  if (part) return { at: "part", id: Number(part[1]) };
  if (join) return { at: "join", secret: join[1]! };
  if (help) return { at: "help", job: help[1] ?? "" };
  if (reset) return { at: "reset", user: reset[1]!, token: reset[2]! };
  return { at: path === "/account" ? "account" : path === "/library" ? "library" : "shelf" };
}

const addressOf = (page: Page): string =>
  page.at === "part" ? `/parts/${page.id}` : page.at === "account" || page.at === "library" ? `/${page.at}` : "/";

export function App() {
  const queries = useQueryClient();
  const me = useQuery({
    queryKey: ["me"],
    queryFn: api.me,
    retry: (n, error) => n < 3 && !(error instanceof Refused && error.status === 401),
  });
  const [page, setPage] = useState(pageInAddress);
  useEffect(() => {
    const back = () => {
      setPage(pageInAddress());
    };
    window.addEventListener("popstate", back);
    return () => {
      window.removeEventListener("popstate", back);
    };
  }, []);
  useEffect(() => {
    const soon = setTimeout(() => void loadTable(), 1500); // while the shelf is looked at
    return () => {
      clearTimeout(soon);
    };
  }, []);
  const go = (to: Page) => {
    window.history.pushState(null, "", addressOf(to));
    setPage(to);
    if (to.at === "shelf") void queries.invalidateQueries({ queryKey: ["shelf"] });
  };
  const entered = (person: Person) => {
    queries.setQueryData(["me"], person);
    if (page.at === "join") go({ at: "shelf" });
  };
  if (page.at === "join") return <JoinPage secret={page.secret} entered={entered} />;
  if (page.at === "reset")
    return (
      <NewPassword
        user={page.user}
        token={page.token}
        done={() => {
          void queries.resetQueries({ queryKey: ["me"] });
          go({ at: "shelf" });
        }}
      />
    );
  if (me.isPending) return null;
  if (!me.data) {
    if (me.error instanceof Refused && me.error.status !== 401)
      return (
        <p className="grid h-full place-items-center text-madder" role="alert">
          {me.error.message}
        </p>
      );
    return <SignIn entered={entered} />;
  }
  showInches(me.data.inches ?? false);
  const open = (id: number) => {
      go({ at: "part", id });
    },
    leave = () => {
      go({ at: "shelf" });
    };
  if (page.at === "help")
    return (
      <Suspense fallback={null}>
        <Help
          key={page.job}
          at={page.job}
          leave={() => {
            window.history.back();
          }}
        />
      </Suspense>
    );
  if (page.at === "library") return <LibraryPage person={me.data} leave={leave} open={open} />;
  if (page.at === "account") return <AccountPage person={me.data} leave={leave} open={open} />;
  return page.at === "part" ? (
    <Suspense fallback={null}>
      <WithFirstSteps>
        <Table key={page.id} id={page.id} person={me.data} leave={leave} />
      </WithFirstSteps>
    </Suspense>
  ) : (
    <WithFirstSteps>
      <Shelf
        person={me.data}
        open={open}
        toLibrary={() => {
          go({ at: "library" });
        }}
      />
    </WithFirstSteps>
  );
}
