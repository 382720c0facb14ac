// .grime files on their way in: looked into first, taken after.

export interface GrimeItem {
  kind: string;
  name: string;
  tags: string[] | null;
  /** a data URL; empty: there is none */
  picture: string;
}
export interface GrimeLook {
  name: string;
  items: GrimeItem[];
  project: boolean;
  bytes: number;
}

/** The file that waits to be looked into, and who wants to know that something of one was taken. */
export const incoming = $state<{ file: File | null; taken: number }>({ file: null, taken: 0 });

export const isGrime = (f: File | undefined) => !!f && /\.grime$/i.test(f.name);

async function send<T>(path: string, f: File, signal?: AbortSignal): Promise<T> {
  const form = new FormData();
  form.append('file', f, f.name);
  const a = await fetch(path, { method: 'POST', body: form, signal });
  const said = await a.json().catch(() => ({}));
  if (!a.ok) throw new Error(said.detail ?? `${f.name}: ${a.status}`);
  return said as T;
}

export const look = (f: File) => send<GrimeLook>('/api/grime/look', f);

/** Takes items by their numbers, and the project; its id is answered. */
export const take = (f: File, items: number[], project: boolean, signal: AbortSignal) =>
  send<{ items: GrimeItem[]; project: string }>(
    `/api/grime/take?items=${items.join()}${project ? '&project=1' : ''}`,
    f,
    signal,
  );

/** Where things of the stock are written from, by their ids, and materials that ship, by name. */
export function writeFrom(name: string, ids: string[], materials: string[] = []): string {
  const q = new URLSearchParams({ name });
  for (const i of ids) q.append('item', i);
  for (const m of materials) q.append('material', m);
  return `/api/grime?${q}`;
}
