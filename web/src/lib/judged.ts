// Looks and views that a project keeps, taken up again.
import type { KeptView } from '../api/client';
import type { Session } from './session.svelte';
import type { UI } from './ui.svelte';

/** Goes to a view: its camera, and what it shows. */
export function takeView(ui: UI, session: Session, v: KeptView) {
  if (ui.part !== (v.part ?? '')) ui.part = v.part ?? '';
  if (ui.alone !== (v.alone ?? '')) {
    ui.alone = v.alone ?? '';
    session.alone(ui.alone === 'height' ? 'height' : '');
  }
  // after the view has shown what is shown alone, which frames it
  queueMicrotask(() => setTimeout(() => ui.goTo(v.eye as number[], v.at as number[], v.view as number[])));
}

/** What a digit does in Judge: a view, with Shift a look; false: there is none. */
export function pressed(ui: UI, session: Session, n: number, look: boolean): boolean {
  const kept = (session.doc?.judged ?? []).filter((j) => (look ? j.look : j.view))[n - 1];
  if (!kept) return false;
  if (kept.look) ui.look.take(kept.look);
  else takeView(ui, session, kept.view!);
  return true;
}
