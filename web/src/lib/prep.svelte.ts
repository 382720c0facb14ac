// What the Prepare station looks at and is about to do.
import {
  api,
  type Shared,
  type Job,
  type BakeOrder,
  type BakeSettings,
  type Report,
  type UnwrapOptions,
} from '../api/client';
import type { Session } from './session.svelte';
import type { Overlay } from '../view/overlay';
import { fetchTinted, type Edges } from '../view/overlay';
import type { Stage } from '../view/stage';

/** What a click on the model does. */
export type Hand = 'look' | 'edge' | 'loop' | 'path' | 'island';

export class Prep {
  report = $state.raw<Report | null>(null);
  /** what lies over the model: '', checker, density, angle, area, islands, parts, sheets, finding.N, shell, baked.NAME, plain */
  look = $state('');
  hand = $state<Hand>('look');
  /** clicks take seams away instead of marking them */
  away = $state(false);
  /** the corner where the next path begins */
  corner = $state(-1);
  islands = $state.raw<number[]>([]);
  pinned = $state.raw<number[]>([]);
  dense = $state.raw<string[]>([]);
  maps = $state.raw<string[]>(['ao', 'curvature', 'thickness', 'sky']);
  sheets = $state.raw<string[]>([]);
  /** baked maps are also kept as floating point */
  floats = $state(false);
  settings: BakeSettings = $state()!;
  unwrap: UnwrapOptions = $state()!;
  /** texels a millimetre that are wanted; 0: what the model has on the whole */
  target = $state(0);
  /** the report before the last change, to compare with */
  before = $state.raw<Report | null>(null);
  error = $state('');
  private overlay: Overlay | null = null;
  private stage: Stage | null = null;
  private lines: Edges[] = [];

  constructor(
    readonly session: Session,
    readonly id: string,
  ) {
    const last = session.doc?.prepared?.settings as BakeOrder | undefined;
    this.settings = { ...session.about.bake, ...(last?.settings ?? {}) };
    this.unwrap = { ...session.about.unwrap };
    const there = (session.doc?.prepared?.dense ?? []).map((d) => d.name);
    this.dense = (last?.dense ?? []).filter((d) => there.includes(d));
    this.floats = !!last?.floats;
    if (last?.maps?.length) this.maps = last.maps.filter((m) => m !== 'misses');
  }

  get seams(): number[] {
    return (this.session.doc?.prepared?.seams ?? []) as number[];
  }

  order(): BakeOrder {
    return { settings: this.settings, maps: this.maps, sheets: this.sheets, dense: this.dense, floats: this.floats };
  }

  async load() {
    try {
      this.report = await api.report(this.id);
      this.error = '';
    } catch (e) {
      this.error = (e as Error).message;
    }
  }

  /** Takes the view over; undefined gives it back. */
  async attach(stage: Stage | null, overlay: Overlay | null) {
    this.stage = stage;
    this.overlay = overlay;
    await this.show();
    await this.drawLines();
  }

  async show() {
    const o = this.overlay;
    if (!o || !this.stage) return;
    try {
      const look = this.look;
      if (look === 'checker')
        await o.cover(
          this.stage.worn.list.map(() => 'checker'),
          true,
        );
      else if (look === 'plain')
        await o.cover(
          this.stage.worn.list.map(() => ''),
          true,
        );
      else if (look.startsWith('baked.')) {
        const name = look.slice(6);
        const baked = this.session.doc?.prepared?.baked ?? {};
        const url = (s: string) =>
          `/api/projects/${this.id}/baked/${encodeURIComponent(s)}/${name}?edge=1024&v=${baked[s]?.[name]?.picture.slice(0, 12)}`;
        await o.cover(
          this.stage.worn.list.map((s) => (baked[s.name]?.[name] ? url(s.name) : '')),
          false,
        );
      } else if (look === 'shell') {
        o.clear();
        const q = new URLSearchParams({ front: String(this.settings.front), back: String(this.settings.back) });
        for (const [part, [f, b]] of Object.entries(this.settings.cage ?? {}) as [string, number[]][])
          q.append('part', `${part}|${f}|${b}`);
        o.tint(await fetchTinted(`/api/projects/${this.id}/overlay/shell?${q}`), [], true);
      } else if (look)
        o.tint(
          await fetchTinted(`/api/projects/${this.id}/overlay/${look}?target=${this.target * 1000}`),
          look === 'islands' ? this.islands : [],
        );
      else o.clear();
      this.error = '';
    } catch (e) {
      this.error = (e as Error).message;
    }
  }

  async drawLines(hover: Edges | null = null) {
    if (!this.overlay) return;
    if (!hover) {
      const b = await (await fetch(`/api/projects/${this.id}/lines`)).arrayBuffer();
      let at = 0;
      const take = (numbers: number) => {
        const n = new DataView(b).getUint32(at, true);
        const out = new Float32Array(b, at + 4, numbers * n);
        at += 4 + 4 * numbers * n;
        return out;
      };
      this.lines = [0, 1].map(() => ({ space: take(6), flat: take(5) }));
    }
    const cutting = this.hand === 'edge' || this.hand === 'loop' || this.hand === 'path';
    const wanted = cutting || ['islands', 'checker', 'density', 'angle', 'area'].includes(this.look);
    this.overlay.edges([
      { edges: wanted ? this.lines[0] : null, color: 0x24302c, width: 1.5 },
      { edges: cutting || this.look === 'islands' ? this.lines[1] : null, color: 0xff86cf, width: 3.5 },
      { edges: hover, color: 0xe0a030, width: 4 },
    ]);
  }

  /** A click at a place of the surface. */
  click(pos: number[], nrm: number[]) {
    if (this.hand === 'island') {
      this.session.pick(pos, nrm, (p) => {
        this.islands = this.islands.includes(p.island)
          ? this.islands.filter((i) => i !== p.island)
          : [...this.islands, p.island];
        if (this.look !== 'islands') this.look = 'islands';
        this.show();
      });
      return;
    }
    if (this.hand === 'path' && this.corner < 0) {
      this.session.edge(pos, nrm, 'edge', 0, (e) => {
        this.corner = e.corner;
        this.drawLines({ space: new Float32Array(e.lines), flat: new Float32Array(e.flat) });
      });
      return;
    }
    this.session.edge(pos, nrm, this.hand, this.corner, (e) => {
      this.corner = this.hand === 'path' ? e.corner : -1;
      this.mark(e.edges);
    });
  }

  /** Marks edges as seams, or takes them away. */
  mark(edges: number[]) {
    const now = new Set(this.seams);
    for (const e of edges) {
      if (this.away) now.delete(e);
      else now.add(e);
    }
    this.setSeams(
      [...now],
      `${this.away ? 'Take away' : 'Mark'} ${edges.length === 1 ? 'a seam' : `${edges.length} seams`}`,
    );
  }

  setSeams(list: number[], label: string) {
    const prepared = { ...(this.session.doc?.prepared ?? {}), seams: list.sort((a, b) => a - b) };
    this.session.op({ kind: 'prepare.set', label, value: { prepared } });
  }

  /** Exchanges which of two islands owns the texels that both have. */
  setOwner(p: Shared) {
    const had = (this.session.doc?.prepared?.owners ?? []) as number[][];
    const others = had.filter(([a, b]) => !(a === p.owner && b === p.other) && !(a === p.other && b === p.owner));
    const prepared = { ...(this.session.doc?.prepared ?? {}), owners: [...others, [p.other, p.owner]] };
    const label = `${p.otherPart} owns the texels that it shares with ${p.ownerPart}`;
    this.session.op({ kind: 'prepare.set', label, value: { prepared } });
  }

  async run(what: () => Promise<unknown>) {
    try {
      this.before = this.report;
      const made = (await what()) as Partial<Job> | undefined;
      // known at once: a quick job may have ended before the server tells of it
      if (made?.id && made.state) this.session.jobs = { ...this.session.jobs, [made.id]: made as Job };
      this.error = '';
    } catch (e) {
      this.error = (e as Error).message;
    }
  }
}
