/** What was dropped onto the page: its files, and the name of the folder where one folder was dropped. */
export interface Dropped {
  readonly files: File[];
  readonly folder: string | null;
}

/** Files of folders that are looked at, at most. */
const MOST_FILES = 5000;

/**
 * Reads what was dropped, with all that dropped folders hold, but hidden files. To be called while the event is handled:
 * a browser forgets what was dropped afterwards.
 */
export async function droppedOf(transfer: DataTransfer): Promise<Dropped> {
  const entries = [...transfer.items].flatMap((item) => item.webkitGetAsEntry() ?? []);
  if (entries.length === 0) return { files: [...transfer.files], folder: null };
  const files: File[] = [];
  for (const entry of entries) await collect(entry, files);
  const [only] = entries;
  return { files, folder: entries.length === 1 && only!.isDirectory ? only!.name : null };
}

async function collect(entry: FileSystemEntry, files: File[]): Promise<void> {
  if (entry.name.startsWith('.') || files.length >= MOST_FILES) return;
  if (isFile(entry)) {
    files.push(await new Promise<File>((resolve, reject) => entry.file(resolve, reject)));
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const all: FileSystemEntry[] = [];
  // A reader hands out a part of the entries at a time, and none at the end.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) =>
      reader.readEntries(resolve, reject),
    );
    if (some.length === 0) break;
    all.push(...some);
  }
  all.sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }));
  for (const each of all) await collect(each, files);
}

const isFile = (entry: FileSystemEntry): entry is FileSystemFileEntry => entry.isFile;
