// Changes of the stack that several parts of the page make, and ways to look
// into it.
import type { About, ChannelInfo, Coat, Layer, Param, Step, StepKind } from '../api/client';
import { newID } from './id';
import type { Op, Row, Session } from './session.svelte';
import type { UI } from './ui.svelte';

/** The operation that sets something of a layer. */
export const setLayer = (target: string, path: string, value: unknown): Op => ({
  kind: 'layer.set',
  target,
  path,
  value,
});

/** The stream that is open on the worktop: the mask, a channel, or inside a step. */
export function streamOf(l: Layer | undefined, name: string): Step[] {
  if (!l) return [];
  if (name === 'mask') return (l.mask ?? []) as Step[];
  if (name.startsWith('step:')) return (findStep(l, name.slice(5))?.steps ?? []) as Step[];
  return (l.channels?.[name]?.stream ?? []) as Step[];
}

export function eachStep(l: Layer | undefined): Step[] {
  const out: Step[] = [];
  const into = (list: Step[]) =>
    list.forEach((s) => {
      out.push(s);
      into((s.steps ?? []) as Step[]);
    });
  into((l?.mask ?? []) as Step[]);
  for (const c of Object.values(l?.channels ?? {})) into((c.stream ?? []) as Step[]);
  return out;
}

export const findStep = (l: Layer | undefined, id: string) => eachStep(l).find((s) => s.id === id);

/** How many times as large an object is as that for which lengths are suggested; 1: about as large. */
export function times(about: About, extent: number): number {
  const n = extent / about.extent;
  return n > 0.5 && n < 2 ? 1 : Math.min(Math.max(n, 1 / 50), 50);
}

/** What a default is on an object so large, in metres: lengths that go with the object are set for it. */
export function fitted(about: About, p: Param, extent: number): unknown {
  const n = times(about, extent);
  if (!p.goes || typeof p.default !== 'number' || n === 1) return p.default;
  const v = Number((p.goes === 'with' ? p.default * n : p.default / n).toPrecision(2));
  return Math.min(Math.max(v, p.min), p.max);
}

export function addStep(s: Session, ui: UI, kind: string) {
  const l = s.layer(ui.selected);
  const d = s.about.steps!.find((k) => k.kind === kind);
  if (!l || !d) return;
  const id = newID();
  const list = streamOf(l, ui.stream);
  const source = d.role !== 'shaper' && kind !== 'hand';
  const blend = source ? (list.length && ui.stream === 'mask' ? 'multiply' : 'normal') : '';
  const params: Record<string, unknown> = (d.params ?? []).some((p) => p.name === 'seed')
    ? { seed: Math.floor(Math.random() * 1000) }
    : {};
  const extent = ui.extentOf(l.reach);
  for (const p of d.params ?? []) if (p.goes) params[p.name] = fitted(s.about, p, extent);
  Object.assign(params, ui.suggest(d));
  if (kind === 'follow') params.layer = 'below';
  if (kind === 'follow') params.what = 'height';
  const noise = s.about.steps!.find((k) => k.kind === 'noise')!.params!.filter((p) => p.goes);
  const sizes = Object.fromEntries(noise.map((p) => [p.name, fitted(s.about, p, extent)]));
  const steps =
    d.inner && kind !== 'bundle'
      ? [{ id: newID(), kind: 'noise', on: true, amount: 1, blend: 'normal', params: sizes }]
      : [];
  const at = list.findIndex((x) => x.id === ui.step);
  const index = at < 0 || kind === 'hand' ? -1 : at + 1;
  const newStep = { id, kind, on: true, amount: 1, blend, params, steps } as Step;
  s.op({ kind: 'step.add', target: l.id, path: ui.stream, index, newStep });
  ui.step = id;
}

export function newCoat(c: ChannelInfo): Coat {
  return { on: true, value: c.suggested, blend: c.blend, amount: 1 } as Coat;
}

export type Reach = Layer['reach'];

/** Adds a layer over the selected one; what else it is to hold is in more. */
export function addLayer(
  s: Session,
  ui: UI,
  kind: 'fill' | 'paint' | 'group' | 'decals',
  reach: Reach,
  more: Partial<Layer> = {},
) {
  const id = newID();
  const words = { fill: 'Coat', paint: 'Paint', group: 'Group', decals: 'Decals' };
  const n = s.rows.filter((r) => r.layer.kind === kind).length + 1;
  const channels: Record<string, Coat> = {};
  for (const c of s.about.channels!) {
    const both = kind === 'fill' || kind === 'decals';
    if (kind !== 'group' && (c.channel === 'baseColor' || (both && c.channel === 'roughness')))
      channels[c.channel] = newCoat(c);
  }
  const at = s.place(ui.selected);
  const inside = at?.layer.kind === 'group' && ui.opened.has(at.layer.id) && kind !== 'group';
  const layer = { id, name: `${words[kind]} ${n}`, kind, visible: true, amount: 1, reach, channels, mask: [], ...more };
  const parent = inside ? at!.layer.id : (at?.parent ?? '');
  s.op({ kind: 'layer.add', parent, index: inside || !at ? -1 : at.index + 1, layer: layer as never });
  ui.choose(id, true);
  if (kind === 'paint') ui.tool = 'brush';
}

/** The selected layers, innermost first, without those that lie in a selected group. */
export function chosen(s: Session, ui: UI): Row[] {
  const all = new Set([ui.selected, ...ui.many]);
  const inside = (r: Row): boolean => {
    if (!r.parent) return false;
    return all.has(r.parent) || inside(s.place(r.parent)!);
  };
  return s.rows.filter((r) => all.has(r.layer.id) && !inside(r));
}

const batch = (label: string, ops: Op[]): Op => (ops.length === 1 ? ops[0] : { kind: 'batch', label, ops });

const count = (n: number, word: string) => (n === 1 ? word : `${n} ${word}s`);

export function removeLayers(s: Session, ui: UI) {
  const list = chosen(s, ui);
  if (!list.length) return;
  s.op(
    batch(
      `Delete ${count(list.length, 'layer')}`,
      list.map((r) => ({ kind: 'layer.remove', target: r.layer.id })),
    ),
  );
  ui.many = [];
}

export function doubleLayers(s: Session, ui: UI) {
  const list = chosen(s, ui);
  const ids = list.map(() => newID());
  const ops = list
    .map((r, i): Op => {
      const layer = { id: ids[i], name: `${r.layer.name} copy` } as Layer;
      return { kind: 'layer.copy', target: r.layer.id, parent: r.parent, index: r.index + 1, layer };
    })
    .reverse(); // outermost first, so that the places of the others stay as they are
  if (!ops.length) return;
  s.op(batch(`Double ${count(ops.length, 'layer')}`, ops));
  ui.choose(ids.at(-1)!, true);
  ui.many = ids.slice(0, -1);
}

/** Puts the selected layers into a new group at the place of the outermost. */
export function groupLayers(s: Session, ui: UI) {
  const list = chosen(s, ui);
  if (!list.length) return;
  const id = newID();
  const top = list.at(-1)!;
  const n = s.rows.filter((r) => r.layer.kind === 'group').length + 1;
  const layer = { id, name: `Group ${n}`, kind: 'group', visible: true, amount: 1, reach: {}, channels: {}, mask: [] };
  s.op({
    kind: 'batch',
    label: `Group ${count(list.length, 'layer')}`,
    ops: [
      { kind: 'layer.add', parent: top.parent, index: top.index + 1, layer: layer as never },
      ...list.map((r): Op => ({ kind: 'layer.move', target: r.layer.id, parent: id, index: -1 })),
    ],
  });
  ui.opened.add(id);
  ui.choose(id, true);
}

/** Moves layers so that they lie in a group from an index on, in their order. */
export function moveLayers(s: Session, list: Row[], parent: string, index: number) {
  const ahead = (rows: Row[]) => rows.filter((r) => r.parent === parent && r.index < index).length;
  // an index counts without the layer itself; those that are yet to move still lie there
  const ops = list.map((r, i): Op => {
    const at = index - ahead(list) + i + ahead(list.slice(i + 1));
    return { kind: 'layer.move', target: r.layer.id, parent, index: at };
  });
  if (ops.length) s.op(batch(`Move ${list.length} layers`, ops));
}

export const heightRange = (c: ChannelInfo) => (c.channel === 'height' ? [-0.002, 0.002] : [c.min, c.max]);

/** Joins runs of faces (first, count, …) with one more face, or takes it out. */
export function toggleFace(runs: number[], face: number): number[] {
  const all = new Set<number>();
  for (let i = 0; i + 1 < runs.length; i += 2) for (let k = 0; k < runs[i + 1]; k++) all.add(runs[i] + k);
  if (!all.delete(face)) all.add(face);
  const out: number[] = [];
  for (const f of [...all].sort((a, b) => a - b)) {
    if (out.length && out[out.length - 2] + out[out.length - 1] === f) out[out.length - 1]++;
    else out.push(f, 1);
  }
  return out;
}

export const faceCount = (runs: number[] | null | undefined) =>
  (runs ?? []).reduce((n, v, i) => (i % 2 ? n + v : n), 0);

export const title = (kinds: StepKind[], s: Step) => s.name || kinds.find((k) => k.kind === s.kind)?.label || s.kind;

/** How a blend mode is called in a channel: heights are replaced, not blended. */
export function modeName(channel: string, mode: string): string {
  if (channel === 'height') return { normal: 'replace', lighten: 'higher', darken: 'lower' }[mode] ?? mode;
  if (channel === 'normal') return { normal: 'replace', detail: 'keep detail' }[mode] ?? mode;
  return mode;
}

/** Whether a reach covers something of a sheet, on which some parts lie. Islands, faces and ID
 * colours may lie on any. */
export function reachesSheet(r: Reach, sheet: string, parts: string[]): boolean {
  const some = (l: unknown[] | null | undefined) => !!l?.length;
  if (![r.sheets, r.parts, r.islands, r.faces, r.ids].some(some)) return true;
  if (some(r.islands) || some(r.faces) || some(r.ids)) return true;
  return !!r.sheets?.includes(sheet) || !!r.parts?.some((p) => parts.includes(p));
}

/** Whether layers let something of a sheet be seen through, or have another channel of it. */
export function clearOn(layers: Layer[], sheet: string, parts: string[], channel = 'opacity'): boolean {
  return layers.some(
    (l) =>
      l.visible &&
      reachesSheet(l.reach ?? {}, sheet, parts) &&
      (!!l.channels?.[channel]?.on || clearOn((l.layers ?? []) as Layer[], sheet, parts, channel)),
  );
}
