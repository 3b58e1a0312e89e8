/** Files for the part that is open, one after the other; those in zip archives in their place. */

import type { Piece } from "../scene/partData";
import { sentenceOf } from "../state/draft";
import { useTable } from "../state/table";
import { addSource } from "../state/work";
import { unzipped } from "./unzipped";

export async function addFiles(files: File[], where?: "beside" | "own" | "sheet" | Piece): Promise<void> {
  try {
    for (const file of await unzipped(files)) {
      await addSource(file, where);
      if (useTable.getState().trouble) return; // what is told of one stays to be read
    }
  } catch (error) {
    useTable.setState({ trouble: error instanceof Error ? error.message : sentenceOf(error) });
  }
}
