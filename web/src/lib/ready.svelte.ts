// What a model still lacks before its surface is made, and the jobs that give it.
import { api } from '../api/client';
import type { Session } from './session.svelte';

export class Readiness {
  /** no sheet has UVs: nothing can lie on the model */
  bare = $state(false);
  /** a job is being asked for */
  asked = $state(false);

  constructor(private readonly session: Session) {}

  /** To be called in an effect: looks again when the model is another. */
  look() {
    if (!this.session.model) return;
    api.facts(this.session.id).then(
      (f) => (this.bare = !(f.sheets ?? []).some((s) => s.hasUV)),
      () => {},
    );
  }

  /** Which of some maps are baked nowhere, or not on all sheets. */
  lacking(maps: string[]): string[] {
    const baked = Object.values(this.session.doc?.prepared?.baked ?? {});
    return maps.filter((m) => !baked.length || baked.some((b) => !b[m]));
  }

  private runs(kind: string) {
    return Object.values(this.session.jobs).some(
      (j) => j.kind === kind && ['waiting', 'running', 'ready'].includes(j.state),
    );
  }
  get baking() {
    return this.runs('bake');
  }
  get unwrapping() {
    return this.runs('unwrap');
  }

  private async ask(what: Promise<unknown>) {
    this.asked = true;
    try {
      await what;
    } catch (e) {
      this.session.message = (e as Error).message;
    }
    this.asked = false;
  }
  bake(maps: string[]) {
    const { session } = this;
    const dense = (session.doc?.prepared?.dense ?? []).map((d) => d.name);
    return this.ask(api.bake(session.id, { settings: session.about.bake, maps, sheets: [], dense, floats: false }));
  }
  unwrap() {
    return this.ask(api.unwrap(this.session.id, this.session.about.unwrap));
  }
}
