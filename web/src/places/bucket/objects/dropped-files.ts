export type PathAndFile = { path: string; file: File };

/** Files that were picked; those of a folder keep their place in it. */
export const pickedFiles = (files: FileList): PathAndFile[] =>
  [...files].map((file) => ({ path: file.webkitRelativePath || file.name, file }));

/** Files that were dropped, those in folders with their path from the folder on. */
export async function droppedFiles(items: DataTransferItemList): Promise<PathAndFile[]> {
  // Entries must be taken before the first wait: the list is emptied when the event is over.
  const entries = [...items].map((item) => item.webkitGetAsEntry() ?? item.getAsFile());
  return (
    await Promise.all(entries.map((e) => (e === null ? [] : e instanceof File ? [{ path: e.name, file: e }] : within(e))))
  ).flat();
}

async function within(entry: FileSystemEntry): Promise<PathAndFile[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    return [{ path: entry.fullPath.replace(/^\//, ""), file }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const children: FileSystemEntry[] = [];
  // A reader hands out a folder in parts, until an empty one.
  for (;;) {
    const part = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (part.length === 0) break;
    children.push(...part);
  }
  return (await Promise.all(children.map(within))).flat();
}
