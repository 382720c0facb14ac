// Materials: taken from the stock, tried on what lies under the pointer, put down.
import { api, type Layer, type MaterialInfo } from '../api/client';
import type { Op, Session } from './session.svelte';
import type { Reach } from './stack';
import type { UI } from './ui.svelte';

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
    // two parts with one material never show the same pattern at the same place
    const seed = 1 + Math.floor(Math.random() * 99999);
    const { id, name } = material;
    const group = id ? api.keptGroup(id, session.id, seed) : api.materialGroup(name, seed);
    this.coming = group.then((g) => void (this.group = g));
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
    const at = this.session.place(this.ui.selected);
    const layer = { ...this.group!, reach };
    return { kind: 'layer.add', parent: at?.parent ?? '', index: at ? at.index + 1 : -1, layer: layer as never };
  }
}
