/** A name that nothing else has. */
export const newID = () => crypto.randomUUID().replaceAll('-', '').slice(0, 16);

/** A name for this browser that survives reloads: undo takes back one's own changes. */
export function actor(): string {
  let a = localStorage.getItem('actor');
  if (!a) localStorage.setItem('actor', (a = newID()));
  return a;
}
