// What is asked of the server beside the line must not be answered from before what was done last:
// it waits until that is kept.

const LONG = 20_000; // milliseconds after which it is not waited any more

const lines = new Map<string, Set<{ kept(): Promise<void> }>>();

/** A line on which a project is changed; what is returned ends that. */
export function changesOver(project: string, line: { kept(): Promise<void> }): () => void {
  const all = lines.get(project) ?? new Set();
  lines.set(project, all.add(line));
  return () => {
    all.delete(line);
    if (!all.size && lines.get(project) === all) lines.delete(project);
  };
}

/** Ends when all that was done to a project until now is kept.
 * @throws when that takes too long: the line is cut, or the server cannot keep anything */
export async function kept(project: string, long = LONG): Promise<void> {
  const all = [...(lines.get(project) ?? [])].map((l) => l.kept());
  if (!all.length) return;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const late = new Promise<never>((_, refuse) => {
    const why = 'What you did last is not kept yet, and this needs it: try again when the line is back.';
    timer = setTimeout(() => refuse(new Error(why)), long);
  });
  try {
    await Promise.race([Promise.all(all), late]);
  } finally {
    clearTimeout(timer);
  }
}
