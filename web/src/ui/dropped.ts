import type { Dropped } from './useSending';

function fileOf(entry: FileSystemFileEntry): Promise<File> {
  return new Promise((resolve, reject) => entry.file(resolve, reject));
}

/** A folder is told in pieces, until there is none. */
async function entriesOf(folder: FileSystemDirectoryEntry): Promise<FileSystemEntry[]> {
  const reader = folder.createReader();
  const all: FileSystemEntry[] = [];
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) =>
      reader.readEntries(resolve, reject),
    );
    if (some.length === 0) return all;
    all.push(...some);
  }
}

async function below(entry: FileSystemEntry, folders: string): Promise<Dropped[]> {
  const name = `${folders}${entry.name}`;
  if (entry.isFile) return [{ file: await fileOf(entry as FileSystemFileEntry), name }];
  const entries = await entriesOf(entry as FileSystemDirectoryEntry);
  const inside = await Promise.all(entries.map((one) => below(one, `${name}/`)));
  return inside.flat();
}

/** What was dropped: files, and all files below folders, with the folders in their names. */
export async function dropped(from: DataTransfer): Promise<Dropped[]> {
  const entries = [...from.items]
    .map((item) => item.webkitGetAsEntry())
    .filter((entry) => entry !== null);
  if (entries.length === 0) {
    return [...from.files].map((file) => ({ file, name: file.name }));
  }
  const all = await Promise.all(entries.map((entry) => below(entry, '')));
  return all.flat().sort((one, other) => one.name.localeCompare(other.name));
}
