// How finely the sheets are shown: what can be seen of each from where the camera is, and what
// the server is told of it.
import { api } from '../api/client';
import type { Session } from '../lib/session.svelte';
import type { Stage } from './stage';

/** width of a card over its height */
const CARD = 132 / 72;

export class Detail {
  /** sheet edges a metre, by the sheet's number; empty until they are known */
  densities = $state<number[]>([]);
  /** texels a side that were ever wanted of each sheet, so that going away costs nothing */
  private wanted: number[] = [];

  constructor(
    private readonly stage: Stage,
    private readonly session: Session,
  ) {}

  /** Asks how densely the sheets cover the model. */
  async load(project: string) {
    const facts = await api.facts(project).catch(() => null);
    if (!facts) return;
    this.densities = (facts.sheets ?? []).map((s) => s.density / 1024);
    this.see();
  }

  /** The camera is elsewhere. */
  see() {
    if (!this.densities.length) return;
    this.wanted = this.stage.worn.list.map((_, i) =>
      Math.max(this.wanted[i] ?? 0, this.stage.wanted(this.densities[i])),
    );
    this.apply();
    this.tell();
  }

  /** Tells the camera, and what the page holds: after it was made, so that nothing is sent for what is no more. */
  tell() {
    if (!this.densities.length) return;
    const gens = this.stage.worn.list.map((s) => s.gen);
    this.session.view(this.stage.cardsCamera(CARD), this.wanted, gens);
  }

  /** Gives the sheets textures as large as the document and the view ask for. */
  apply() {
    const { session, stage } = this;
    if (!session.doc) return;
    stage.worn.list.forEach((sheet, i) => {
      const size = session.doc!.sheets?.[sheet.name]?.size;
      if (size && this.densities[i] > 0) stage.worn.setSize(i, Math.min(size, this.wanted[i] ?? 512));
      const clear = session.rows.some(
        ({ layer: l }) =>
          l.visible && l.channels?.opacity?.on && (!l.reach.sheets?.length || l.reach.sheets.includes(sheet.name)),
      );
      stage.worn.setTransparent(i, clear);
    });
  }
}
