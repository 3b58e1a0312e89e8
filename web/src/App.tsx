import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { api, type Person, Refused } from "./api/client";
import { Shelf } from "./panels/Shelf";
import { SignIn } from "./panels/SignIn";
import { Table } from "./panels/Table";

function partInAddress(): number | null {
  const match = /^\/parts\/(\d+)$/.exec(window.location.pathname);
  return match ? Number(match[1]) : null;
}

export function App() {
  const queries = useQueryClient();
  const me = useQuery({
    queryKey: ["me"],
    queryFn: api.me,
    retry: (n, error) => n < 3 && !(error instanceof Refused && error.status === 401),
  });
  const [part, setPart] = useState(partInAddress);
  useEffect(() => {
    const back = () => {
      setPart(partInAddress());
    };
    window.addEventListener("popstate", back);
    return () => {
      window.removeEventListener("popstate", back);
    };
  }, []);
  const go = (id: number | null) => {
    window.history.pushState(null, "", id === null ? "/" : `/parts/${id}`);
    setPart(id);
    if (id === null) void queries.invalidateQueries({ queryKey: ["parts"] });
  };
  if (me.isPending) return null;
  if (!me.data) {
    if (me.error instanceof Refused && me.error.status !== 401)
      return (
        <p className="grid h-full place-items-center text-madder" role="alert">
          {me.error.message}
        </p>
      );
    return (
      <SignIn
        entered={(person: Person) => {
          queries.setQueryData(["me"], person);
        }}
      />
    );
  }
  return part === null ? (
    <Shelf person={me.data} open={go} />
  ) : (
    <Table
      key={part}
      id={part}
      person={me.data}
      leave={() => {
        go(null);
      }}
    />
  );
}
