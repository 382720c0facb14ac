// The document as it will be once the server has kept what was changed here: a change is made of
// what the hand last meant, not of what the server last told, or of two quick clicks the second
// would take the first back.
import type { Coat, Doc, Layer, Step } from '../api/client';
import type { Op } from './session.svelte';

/** The list with one entry changed, wherever it is in the tree; the same list when it is not there. */
function within<T extends { id: string }>(
  list: T[] | null | undefined,
  id: string,
  inner: (e: T) => T,
  f: (e: T) => T,
): T[] {
  let changed = false;
  const out = (list ?? []).map((e) => {
    const now = e.id === id ? f(e) : inner(e);
    changed ||= now !== e;
    return now;
  });
  return changed ? out : (list ?? []);
}

function inSteps(list: Step[] | null | undefined, id: string, f: (s: Step) => Step): Step[] {
  const inner = (s: Step): Step => {
    const steps = inSteps(s.steps as Step[], id, f);
    return steps === s.steps || !steps.length ? s : ({ ...s, steps } as Step);
  };
  return within(list, id, inner, f);
}

function inStreams(l: Layer, id: string, f: (s: Step) => Step): Layer {
  const mask = inSteps(l.mask as Step[], id, f);
  if (mask.length && mask !== l.mask) return { ...l, mask } as Layer;
  for (const [channel, coat] of Object.entries((l.channels ?? {}) as Record<string, Coat>)) {
    const stream = inSteps(coat.stream as Step[], id, f);
    if (stream.length && stream !== coat.stream)
      return { ...l, channels: { ...l.channels, [channel]: { ...coat, stream } } } as Layer;
  }
  return l;
}

function inLayers(list: Layer[] | null | undefined, id: string, f: (l: Layer) => Layer): Layer[] {
  const inner = (l: Layer): Layer => {
    const layers = inLayers(l.layers as Layer[], id, f);
    return layers === l.layers || !layers.length ? l : ({ ...l, layers } as Layer);
  };
  return within(list, id, inner, f);
}

/** An object with one field set; null or undefined takes it off. */
function withField<T extends object>(o: T | null | undefined, name: string, value: unknown): T {
  const out = { ...o } as Record<string, unknown>;
  if (value === null || value === undefined) delete out[name];
  else out[name] = value;
  return out as T;
}

/** What follows a beginning; null when it does not begin so. */
const after = (path: string, begin: string) => (path.startsWith(begin) ? path.slice(begin.length) : null);

/**
 * The document after a change that sets something; null when what the change does is for the
 * server to say, as when layers are added or moved, or when what it sets is not there.
 */
export function meant(doc: Doc, op: Op): Doc | null {
  const layer = (id: string, f: (l: Layer) => Layer): Doc | null => {
    const layers = inLayers(doc.layers as Layer[], id, f);
    return layers === doc.layers ? null : ({ ...doc, layers } as Doc);
  };
  switch (op.kind) {
    case 'layer.set': {
      const channel = after(op.path, 'channels.');
      return layer(op.target, (l) =>
        channel === null
          ? withField(l, op.path, op.value)
          : ({ ...l, channels: withField(l.channels, channel, op.value) } as Layer),
      );
    }
    case 'step.set': {
      const param = after(op.path, 'params.');
      const set = (s: Step): Step =>
        param === null ? withField(s, op.path, op.value) : { ...s, params: withField(s.params, param, op.value) };
      return layer(op.target, (l) => inStreams(l, op.step, set));
    }
    case 'decal.set':
      return layer(op.target, (l) => {
        const decals = within(
          l.decals,
          op.value.id,
          (d) => d,
          () => op.value,
        );
        return decals === l.decals ? l : ({ ...l, decals } as Layer);
      });
    case 'slide.set':
      return layer(op.target, (l) => {
        const slides = within(
          l.slides,
          op.value.id,
          (s) => s,
          () => op.value,
        );
        return slides === l.slides || !slides.length ? l : ({ ...l, slides } as Layer);
      });
    case 'palette.set':
      return withField(doc, 'palette', op.value?.length ? op.value : null);
    case 'conditions.set':
      return withField(doc, 'conditions', op.value);
    case 'prepare.set':
      return withField(op.value.sheets ? { ...doc, sheets: op.value.sheets } : doc, 'prepared', op.value.prepared);
    case 'batch': {
      let out: Doc | null = doc;
      for (const o of op.ops ?? []) out = out && meant(out, o);
      return out;
    }
  }
  return null;
}
