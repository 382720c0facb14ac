// Kinds of model files, as the service tells them.
import type { About } from '../api/client';

type Form = NonNullable<About['forms']>[number];

/** What a file chooser accepts: models, and with pictures what may belong to them. */
export function accepts(forms: Form[] | null, beside = true): string {
  const all = new Set((forms ?? []).map((f) => f.ext));
  for (const f of forms ?? []) for (const b of f.beside ?? []) if (beside || b === '.bin') all.add(b);
  return [...all].join();
}
