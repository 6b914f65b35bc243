/** Which files come in, and in which order: by name, numbers as numbers, folders and all, however they were given. */

const AUDIO = /\.(wav|wave|rf64|aiff?|aifc|flac|ogg|oga|opus|mp3|m4a|mp4|aac|wemble\.zip)$/i;

/** Files to import, by name with numbers as numbers, and what a job of them is called: the folder's name, or the one file's. */
export interface Gathered {
  readonly name: string;
  readonly files: File[];
}

const byName = (a: string, b: string): number => a.localeCompare(b, undefined, { numeric: true });

/** Compares paths folder by folder, as a tree is walked. */
export function byPath(a: string, b: string): number {
  const [ours, theirs] = [a.split("/"), b.split("/")];
  const differs = ours.findIndex((part, n) => part !== theirs[n]);
  return differs < 0 ? ours.length - theirs.length : byName(ours[differs] ?? "", theirs[differs] ?? "");
}

const stem = (name: string): string => name.replace(/(\.wemble)?\.[^.]+$/, "");

/** The files of a drop, folders opened. From a folder only audio is taken; a file dropped by itself always is. */
export async function droppedFiles(data: DataTransfer): Promise<Gathered> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (entries.length === 0) return gathered([...data.files].sort((a, b) => byName(a.name, b.name)));
  const found = await Promise.all(entries.sort((a, b) => byName(a.name, b.name)).map((entry) => filesOf(entry, entry.isDirectory)));
  const [only] = entries;
  return gathered(found.flat(), entries.length === 1 && only?.isDirectory ? only.name : undefined);
}

async function filesOf(entry: FileSystemEntry, fromFolder: boolean): Promise<File[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    return !fromFolder || AUDIO.test(file.name) ? [file] : [];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inside: FileSystemEntry[] = [];
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (some.length === 0) break;
    inside.push(...some);
  }
  const files = await Promise.all(inside.sort((a, b) => byName(a.name, b.name)).map((child) => filesOf(child, true)));
  return files.flat();
}

/** Files that a picker gave; of a picked folder only audio. */
export function pickedFiles(list: FileList | null): Gathered {
  const files = [...(list ?? [])].filter((file) => !file.webkitRelativePath || AUDIO.test(file.name));
  const path = (file: File): string => file.webkitRelativePath || file.name;
  return gathered(files.sort((a, b) => byPath(path(a), path(b))), files[0]?.webkitRelativePath.split("/")[0]);
}

function gathered(files: File[], folder?: string): Gathered {
  const [first] = files;
  return { name: folder || (first && files.length === 1 ? stem(first.name) : "New job"), files };
}
