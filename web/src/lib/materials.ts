// Materials: taken from the stock, tried on what lies under the pointer, put down.
import { api, type Layer, type MaterialInfo, type Step } from '../api/client';
import type { Op, Session } from './session.svelte';
import type { Reach } from './stack';
import type { UI } from './ui.svelte';

/** The group of a material, as the server makes it for a project; two parts with one material
 * never show the same pattern at the same place. */
export function groupOf({ id, name }: Pick<MaterialInfo, 'id' | 'name'>, project: string): Promise<Layer> {
  const seed = 1 + Math.floor(Math.random() * 99999);
  return id ? api.keptGroup(id, project, seed) : api.materialGroup(name, seed);
}

/** Gives every noise of a layer, and of what is in it, another seed. */
export function reseeded(session: Session, layer: Layer, seed: number): Op {
  const seeds = new Map((session.about.steps ?? []).map((k) => [k.kind, k.params?.find((p) => p.name === 'seed')]));
  const ops: Op[] = [];
  const streams = (l: Layer) =>
    [l.mask, ...Object.values(l.channels ?? {}).map((c) => c.stream)] as (Step[] | undefined)[];
  const into = (l: Layer, list: Step[] | null | undefined) => {
    for (const s of list ?? []) {
      const p = seeds.get(s.kind);
      const was = Number(s.params?.seed ?? p?.default ?? 0);
      if (p) {
        const value = (was + 131 * seed) % (p.max + 1);
        ops.push({ kind: 'step.set', target: l.id, step: s.id, path: 'params.seed', value });
      }
      into(l, s.steps as Step[]);
    }
  };
  const walk = (l: Layer) => {
    for (const list of streams(l)) into(l, list);
    for (const k of (l.layers ?? []) as Layer[]) walk(k);
  };
  walk(layer);
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

/** A material in the hand: its group, which is there as soon as the server has made it. */
export class Held {
  private group: Layer | null = null;
  private readonly coming: Promise<void>;
  /** the part it is tried on; '': none yet */
  private on = '';

  constructor(
    readonly material: Pick<MaterialInfo, 'id' | 'name'>,
    private readonly session: Session,
    private readonly ui: UI,
  ) {
    this.coming = groupOf(material, session.id).then((g) => void (this.group = g));
  }

  /** Shows it on a part, without keeping it; '' takes it off again. */
  async try(part: string) {
    if (part === this.on) return;
    this.on = part;
    await this.coming;
    if (part === this.on) this.session.preview(part ? this.op({ parts: [part] }) : null);
  }

  /** Keeps it, over the open layer. */
  async put(reach: Reach) {
    await this.coming;
    this.on = '';
    this.session.op(this.op(reach));
    this.session.preview(null);
    if (this.group) this.ui.choose(this.group.id, true);
  }

  private op(reach: Reach): Op {
    return overOpen(this.session, this.ui, this.group!, reach);
  }
}
