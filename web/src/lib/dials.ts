// Whether what a dial moves still stands where the dial does; as the service has it
// (core/stack/dial.go).
import type { Dial, Layer } from '../api/client';
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
