/** What the workshop takes on the server, and what of it can be let go. For its owners. */

import { useQuery, useQueryClient } from "@tanstack/react-query";

import { api } from "../../api/client";
import { show } from "../../scene/shownUnits";
import { Button } from "../../ui/Button";
import { type Attempt, Block, Line } from "./blocks";

const megabytes = (bytes: number): string =>
  bytes >= 1e9 ? `${show(bytes / 1e9, 2)} GB` : `${show(bytes / 1e6, bytes < 1e7 ? 2 : 0)} MB`;

export function Sizes({ attempt }: { attempt: Attempt }) {
  const queries = useQueryClient(),
    found = useQuery({ queryKey: ["sizes"], queryFn: api.sizes, refetchOnMount: "always" }).data;
  if (!found) return null;
  return (
    <Block title="What the workshop takes">
      <Line label="Files">
        <span className="num">
          {megabytes(found.files)} of {megabytes(found.most)}
        </span>
        <span aria-hidden className="mt-1 block h-1.5 overflow-hidden rounded bg-paper">
          <span
            className="block h-full bg-verdigris"
            style={{ width: `${Math.min(100, (100 * found.files) / found.most)}%` }}
          />
        </span>
      </Line>
      <Line label="Parts, revisions, sections">
        <span className="num">
          {show(found.parts)}, {show(found.revisions)}, {show(found.sections)}
        </span>
      </Line>
      <Line label="Removed parts">
        <span className="num">
          {show(found.put_away)}, {megabytes(found.put_away_bytes)} of files are theirs alone
        </span>
      </Line>
      <Button
        className="mt-3"
        disabled={!found.put_away}
        onClick={() => {
          if (
            window.confirm(
              `${found.put_away} removed parts are deleted for good, with all their revisions. This can't be undone.`,
            )
          )
            void attempt(async () => {
              queries.setQueryData(["sizes"], await api.letGo());
              await queries.invalidateQueries({ queryKey: ["shelf"] });
            }, "The removed parts are deleted.");
        }}
      >
        Delete removed parts for good
      </Button>
    </Block>
  );
}
