/** The layers of one circuit board among files that were dropped together. */

const HEAD = 2000,
  LAYER = /(^|\n)\s*(G04\b|%FS|%MO|%TF|M48\b)/,
  EDGE = /FileFunction,Profile|edge[_ -]?cuts|outline|profile|\.gko$|\.gm1$/i;

/**
 * Files in the groups that become a part each: those of a board in one group, its edge first; all others alone. The
 * groups stand in the order of their first files.
 */
export async function grouped(files: File[]): Promise<File[][]> {
  const heads = await Promise.all(files.map(async (f) => f.slice(0, HEAD).text())),
    layers = files.filter((_, n) => LAYER.test(heads[n]!));
  if (layers.length < 2) return files.map((f) => [f]);
  const edge = layers.find((f) => EDGE.test(f.name) || EDGE.test(heads[files.indexOf(f)]!)),
    board = edge ? [edge, ...layers.filter((f) => f !== edge)] : layers;
  return files.flatMap((f) => (layers.includes(f) ? (f === layers[0] ? [board] : []) : [[f]]));
}

/** What the names of a board's files begin with; the first name where that is nothing. */
export function commonName(names: string[]): string {
  const [first = "", ...rest] = names;
  let length = first.length;
  for (const name of rest) while (!name.startsWith(first.slice(0, length))) length--;
  return first.slice(0, length).replace(/[-_. ]+$/, "") || first;
}
