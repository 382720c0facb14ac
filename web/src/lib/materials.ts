// Materials: taken from the stock, tried on what lies under the pointer, put down.
import { api, type Layer, type MaterialInfo, type Step } from '../api/client';
import type { Op, Session } from './session.svelte';
import type { Covered } from './reach';
import type { Reach } from './stack';
import type { UI } from './ui.svelte';

/** The group of a material, as the server makes it for a project; two parts with one material
 * never show the same pattern at the same place. */
export function groupOf(
  { id, name }: Pick<MaterialInfo, 'id' | 'name'>,
  project: string,
  size: number,
  seed = 1 + Math.floor(Math.random() * 99999),
): Promise<Layer> {
  return id ? api.keptGroup(id, project, seed, size) : api.materialGroup(name, seed, size);
}

/** Makes what the surface is made of larger or smaller; how it weathers stays. */
export function enlarged(session: Session, layer: Layer, times: number): Op {
  const kinds = new Map((session.about.steps ?? []).map((k) => [k.kind, k]));
  const ops: Op[] = [];
  eachStep(layer, (l, s) => {
    const kind = kinds.get(s.kind);
    for (const p of kind?.role === 'agent' ? [] : (kind?.params ?? [])) {
      const length = p.unit === 'mm' && p.scale === 1000 && p.kind === 'number' && !p.name.startsWith('shift');
      if (!length && p.name !== 'frequency') continue;
      const was = Number(s.params?.[p.name] ?? p.default);
      const value = Math.min(Math.max(length ? was * times : was / times, p.min), p.max);
      if (value !== was) ops.push({ kind: 'step.set', target: l.id, step: s.id, path: `params.${p.name}`, value });
    }
  });
  return { kind: 'batch', label: `“${layer.name}” ${times > 1 ? 'larger' : 'smaller'}`, ops };
}

/** Calls f with every step of a layer and of what is in it, and the layer that holds it. */
function eachStep(layer: Layer, f: (l: Layer, s: Step) => void) {
  const into = (list: Step[] | null | undefined) => {
    for (const s of list ?? []) {
      f(layer, s);
      into(s.steps as Step[]);
    }
  };
  into(layer.mask as Step[]);
  for (const c of Object.values(layer.channels ?? {})) into(c.stream as Step[]);
  for (const k of (layer.layers ?? []) as Layer[]) eachStep(k, f);
}

/** Gives every noise of a layer, and of what is in it, another seed. Of a material, noises that
 * are as its seed made them become as the other one makes them, and it tells that seed. */
export async function reseeded(session: Session, layer: Layer, seed: number): Promise<Op> {
  const kinds = new Map((session.about.steps ?? []).map((k) => [k.kind, k.params?.find((p) => p.name === 'seed')]));
  const seedsOf = (g: Layer) => {
    const out: { kind: string; seed: number }[] = [];
    eachStep(g, (_, s) => out.push({ kind: s.kind, seed: Number(s.params?.seed ?? kinds.get(s.kind)?.default ?? 0) }));
    return out;
  };
  const now = seedsOf(layer);
  let as: { kind: string; seed: number }[] = [];
  let then: { kind: string; seed: number }[] = [];
  const { made } = layer;
  if (made) {
    const of = { id: made.item ?? '', name: made.name };
    const both = [made.seed, seed].map((n) => groupOf(of, session.id, 0, n).then(seedsOf));
    [as, then] = await Promise.all(both).catch(() => [[], []]); // it is in the stock no longer
  }
  const ops: Op[] = [];
  let i = 0;
  eachStep(layer, (l, s) => {
    const at = i++;
    const p = kinds.get(s.kind);
    if (!p) return;
    const untouched = as[at]?.kind === s.kind && as[at].seed === now[at].seed;
    const value = untouched ? then[at].seed : (now[at].seed + 131 * seed) % (p.max + 1);
    ops.push({ kind: 'step.set', target: l.id, step: s.id, path: 'params.seed', value });
  });
  if (as.length) ops.push({ kind: 'layer.set', target: layer.id, path: 'made', value: { ...made, seed } });
  return { kind: 'batch', label: `Another seed for “${layer.name}”`, ops };
}

/** Puts a material in the place of a group: where it lies, with its reach and its mask. */
export function inPlaceOf(session: Session, old: Layer, group: Layer): Op {
  const at = session.place(old.id)!;
  const layer = { ...group, reach: old.reach, mask: group.mask?.length ? group.mask : old.mask };
  return {
    kind: 'batch',
    label: `“${group.name}” in place of “${old.name}”`,
    ops: [
      { kind: 'layer.remove', target: old.id },
      { kind: 'layer.add', parent: at.parent, index: at.index, layer: layer as never },
    ],
  };
}

/** Lays a material over the open layer. */
export function overOpen(session: Session, ui: UI, group: Layer, reach: Reach): Op {
  const at = session.place(ui.selected);
  const layer = { ...group, reach };
  return { kind: 'layer.add', parent: at?.parent ?? '', index: at ? at.index + 1 : -1, layer: layer as never };
}

/** A material in the hand: its group for what it lies on, which is there as soon as the server
 * has made it. */
export class Held {
  /** by the size of what it is made for, roughly */
  private readonly groups = new Map<number, Promise<Layer>>();
  private readonly seed = 1 + Math.floor(Math.random() * 99999);
  /** what it is tried on, by its key; '': nothing */
  private on = '';

  constructor(
    readonly material: Pick<MaterialInfo, 'id' | 'name'>,
    private readonly session: Session,
    private readonly ui: UI,
  ) {
    void this.group({}).catch(() => {}); // it will be asked for soon
  }

  private group(reach: Reach): Promise<Layer> {
    const size = Number(this.ui.extentOf(reach).toPrecision(2));
    let g = this.groups.get(size);
    if (!g) this.groups.set(size, (g = groupOf(this.material, this.session.id, size, this.seed)));
    return g;
  }

  /** Shows it there, without keeping it; null takes it off again. */
  async try(there: Covered | null) {
    const key = there?.key ?? '';
    if (key === this.on) return;
    this.on = key;
    const op = there && overOpen(this.session, this.ui, await this.group(there.reach), there.reach);
    if (key === this.on) this.session.preview(op);
  }

  /** Keeps it where it falls in the stack: in a group, at a place. */
  async putAt(parent: string, index: number) {
    this.keep({ kind: 'layer.add', parent, index, layer: (await this.group({})) as never }, await this.group({}));
  }

  /** Keeps it, over the open layer. */
  async put(reach: Reach) {
    const g = await this.group(reach);
    this.keep(overOpen(this.session, this.ui, g, reach), g);
  }

  private keep(op: Op, group: Layer) {
    this.on = '';
    this.session.op(op);
    this.session.preview(null);
    this.ui.choose(group.id, true);
  }
}
