// Files that are dropped, folders with all that is in them.

const PICTURE = /\.(png|jpe?g|tiff?|webp|exr|hdr|svg|zip)$/i;

/** Whether a file is one picture. */
export const isPicture = (f: File) => PICTURE.test(f.name) && !/\.zip$/i.test(f.name);

async function within(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) return [await new Promise<File>((ok, no) => (entry as FileSystemFileEntry).file(ok, no))];
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const out: File[] = [];
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((ok, no) => reader.readEntries(ok, no));
    if (!some.length) return out;
    for (const e of some) out.push(...(await within(e)));
  }
}

/** The pictures, and zips of pictures, among what was dropped. */
export async function pictures(t: DataTransfer): Promise<File[]> {
  // both are gone as soon as this function waits
  const entries = [...t.items].map((i) => i.webkitGetAsEntry?.()).filter((e) => !!e);
  const files = [...t.files];
  const all = entries.length ? (await Promise.all(entries.map(within))).flat() : files;
  return all.filter((f) => PICTURE.test(f.name));
}

/** What a picture is called that comes from a file, or what else names it. */
export const pictureName = (file = '', other = 'Picture') => file.replace(/\.[^.]+$/, '').slice(0, 80) || other;
