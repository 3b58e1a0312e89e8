/** The files of a drop, those in dropped folders too, at any depth. */

const MOST = 500;

export async function droppedFiles(transfer: DataTransfer): Promise<File[]> {
  const entries = [...transfer.items].flatMap((item) => item.webkitGetAsEntry() ?? []),
    plain = [...transfer.files];
  if (!entries.some((e) => e.isDirectory)) return plain;
  const out: File[] = [];
  for (const entry of entries) await walk(entry, out);
  return out;
}

async function walk(entry: FileSystemEntry, into: File[]): Promise<void> {
  if (into.length >= MOST || entry.name.startsWith(".")) return;
  if (entry.isFile) {
    into.push(
      await new Promise<File>((resolve, reject) => {
        (entry as FileSystemFileEntry).file(resolve, reject);
      }),
    );
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => {
      reader.readEntries(resolve, reject);
    });
    if (!some.length) return;
    for (const inner of some) await walk(inner, into);
  }
}
