// Changes of a stroke that was taken up again: each is drawn anew at once, and one entry of the ledger.
import { newID } from './id';
import type { Op, Session, Taken } from './session.svelte';
import { closing, joined, type Onto } from './taken';
import type { UI } from './ui.svelte';

type Stroke = Taken['stroke'];

/** The same stroke with other points or values. It keeps its chance, so that grain and jitter stay as they are. */
export const anew = (t: Taken, over: Partial<Stroke>): Stroke => ({
  ...t.stroke,
  ...over,
  id: newID(),
  seed: t.stroke.seed || t.stroke.id,
});

const where = (t: Taken) => ({ target: t.layer, step: t.step || undefined });

export const setOp = (t: Taken, value: Stroke, label: string): Op => ({
  kind: 'stroke.set',
  ...where(t),
  stroke: t.stroke.id,
  value,
  label,
});

/** Changes the stroke in the hand, and keeps it there. */
export function setStroke(session: Session, ui: UI, over: Partial<Stroke>, label: string) {
  const t = ui.stroke;
  if (!t) return;
  const value = anew(t, over);
  session.op(setOp(t, value, label));
  ui.stroke = { ...t, stroke: value };
}

export function showStroke(session: Session, ui: UI, over: Partial<Stroke>) {
  if (ui.stroke) session.preview(setOp(ui.stroke, anew(ui.stroke, over), ''));
}

/** Lays it farther up, or down, among the others. */
export function moveStroke(session: Session, ui: UI, by: number) {
  const t = ui.stroke;
  if (!t) return;
  const index = Math.min(Math.max(t.index + by, 0), t.count - 1);
  if (index === t.index) return;
  session.op({ kind: 'stroke.move', ...where(t), stroke: t.stroke.id, index });
  ui.stroke = { ...t, index };
}

export function removeStroke(session: Session, ui: UI) {
  const t = ui.stroke;
  if (!t) return;
  session.op({ kind: 'stroke.remove', ...where(t), stroke: t.stroke.id });
  ui.stroke = null;
}

/** rows of the pen, one number a point, where there are any */
const pen = (s: Stroke, n: number) => {
  const row = (r?: number[] | null) =>
    r?.length ? [...r, ...Array(Math.max(n - r.length, 0)).fill(r.at(-1))].slice(0, n) : undefined;
  return { tilt: row(s.tilt), lean: row(s.lean), twist: row(s.twist) };
};

/** Goes on over the surface until it ends where it begins. */
export function closeStroke(session: Session, ui: UI, onto: Onto) {
  const s = ui.stroke?.stroke;
  if (!s?.points) return;
  const points = [...s.points, ...closing(s.points, s.radius / 2, onto)];
  setStroke(session, ui, { points, ...pen(s, points.length / 7) }, 'close stroke');
}

/** Another stroke of the same layer becomes its end, or its beginning, and is there no more by itself. */
export function joinStroke(session: Session, ui: UI, other: Taken) {
  const t = ui.stroke;
  if (!t?.stroke.points || !other.stroke.points || other.stroke.id === t.stroke.id) return;
  const points = joined(t.stroke.points, other.stroke.points);
  const value = anew(t, { points, tilt: undefined, lean: undefined, twist: undefined });
  const ops: Op[] = [{ kind: 'stroke.remove', ...where(t), stroke: other.stroke.id }, setOp(t, value, 'join strokes')];
  const layer = session.layer(t.layer);
  session.op({ kind: 'batch', label: `${layer?.name}: join strokes`, ops });
  ui.stroke = { ...t, stroke: value, count: t.count - 1, index: t.index - (other.index < t.index ? 1 : 0) };
}
