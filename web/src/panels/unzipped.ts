/** The drawings in archives that were brought in, beside what came alone. */

import { unzipSync } from "fflate";

const MOST_FILES = 500,
  MOST_BYTES = 512 * 1024 * 1024;

/** The files, those in zip archives in their place. Throws a sentence for an archive that can’t be read. */
export async function unzipped(files: File[]): Promise<File[]> {
  const out: File[] = [];
  for (const file of files) {
    if (!/\.zip$/i.test(file.name)) out.push(file);
    else out.push(...filesIn(file.name, new Uint8Array(await file.arrayBuffer())));
  }
  return out.slice(0, MOST_FILES);
}

function filesIn(archive: string, bytes: Uint8Array): File[] {
  let held = 0;
  let found: Record<string, Uint8Array>;
  try {
    found = unzipSync(bytes, {
      filter: ({ name, originalSize }) => {
        const wanted = isDrawing(name);
        if (wanted) held += originalSize;
        if (held > MOST_BYTES) throw new RangeError();
        return wanted;
      },
    });
  } catch (fault) {
    throw new Error(
      fault instanceof RangeError
        ? `“${archive}” holds more than 512 MB; bring its drawings in by some at a time.`
        : `“${archive}” can't be unpacked: it is damaged, or locked by a password.`,
    );
  }
  return Object.entries(found).map(
    ([name, data]) => new File([data as Uint8Array<ArrayBuffer>], name.replace(/^.*\//, "")),
  );
}

/** Folders, and what systems put beside files, are none. */
const isDrawing = (name: string): boolean => !/(^|\/)(\.|__MACOSX\/|Thumbs\.db$)|\/$/.test(name);
