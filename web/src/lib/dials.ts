// Whether what a dial moves still stands where the dial does; as the service has it
// (core/stack/dial.go).
import type { Dial, Layer, Move, Step } from '../api/client';
import { findStep } from './stack';

function find(l: Layer, id: string): Layer | undefined {
  if (l.id === id) return l;
  for (const k of (l.layers ?? []) as Layer[]) {
    const f = find(k, id);
    if (f) return f;
  }
}

/** The setting that a move moves, as numbers; undefined when it is not there any more. */
function now(l: Layer, step: string | undefined, path: string): number[] | undefined {
  const numbers = (v: unknown) => (typeof v === 'number' ? [v] : Array.isArray(v) ? (v as number[]) : undefined);
  if (step) {
    const s = findStep(l, step);
    if (!s) return undefined;
    return numbers(path === 'amount' ? s.amount : s.params?.[path.replace(/^params\./, '')]);
  }
  if (path === 'amount') return [l.amount];
  const [, channel, part] = path.split('.');
  const coat = l.channels?.[channel];
  return coat && numbers(part === 'amount' ? coat.amount : coat.value);
}

/** Whether something that the dial moves was set by hand since. */
export function byHand(group: Layer, d: Dial): boolean {
  return (d.moves ?? []).some((m) => {
    const l = find(group, m.layer);
    const is = l && now(l, m.step, m.path);
    if (!is) return false;
    const t = m.bend ? d.value ** m.bend : d.value;
    return (m.from ?? []).some((a, i) => Math.abs(a + t * (m.to![i] - a) - is[i]) > 1e-4);
  });
}

/** Every setting of a layer and of what is in it that a dial can move, by where it stands. */
function settings(l: Layer, out = new Map<string, { move: Omit<Move, 'from' | 'to'>; is: number[] }>()) {
  const note = (step: string | undefined, path: string, v: unknown) => {
    const is = typeof v === 'number' ? [v] : v;
    if (!Array.isArray(is) || !is.length || is.length > 4 || !is.every((x) => typeof x === 'number')) return;
    out.set(`${l.id} ${step ?? ''} ${path}`, { move: { layer: l.id, path, ...(step ? { step } : {}) }, is: [...is] });
  };
  note(undefined, 'amount', l.amount);
  for (const [name, coat] of Object.entries(l.channels ?? {})) {
    note(undefined, `channels.${name}.amount`, coat.amount);
    if (!coat.stream?.length) note(undefined, `channels.${name}.value`, coat.value);
  }
  const into = (list: Step[] | null | undefined) => {
    for (const s of list ?? []) {
      note(s.id, 'amount', s.amount);
      for (const [name, v] of Object.entries(s.params ?? {})) if (name !== 'seed') note(s.id, `params.${name}`, v);
      into(s.steps as Step[]);
    }
  };
  into(l.mask as Step[]);
  for (const coat of Object.values(l.channels ?? {})) into(coat.stream as Step[]);
  for (const k of (l.layers ?? []) as Layer[]) settings(k, out);
  return out;
}

/** What a dial moves that goes from one state of a group to another: all that differs. */
export function movesBetween(from: Layer, to: Layer): Move[] {
  const [a, b] = [settings(from), settings(to)];
  const out: Move[] = [];
  for (const [key, { move, is }] of b) {
    const was = a.get(key)?.is;
    if (was?.length === is.length && was.some((v, i) => v !== is[i])) out.push({ ...move, from: was, to: is });
  }
  return out;
}
