// What the server said about the open project, and what is asked of it.
import { applyPatch, type Operation } from 'fast-json-patch';
import { actor, newID } from './id';
import { changesOver } from './kept';
import { Line, type Message, type Wire } from './line';
import { meant } from './meant';
import { parting } from './parting.svelte';
import type { About, ChannelInfo, Doc, Failure, Job, Layer, Live, Stroke } from '../api/client';

export type LedgerLine = Live['LedgerLine'];
/** A change of the document: one of the registered kinds. */
export type Op = Live['Op'];
/** What the page says over the line. */
export type Said = Live['Said'];
export interface DrillLayer {
  layer: string;
  mask: number;
  amount: number;
  shown: boolean;
  steps: Record<string, number[]>;
  own: Record<string, number[]>;
  cover: Record<string, number>;
  result: Record<string, number[]>;
}
export interface Drill {
  pos: [number, number, number];
  nrm: [number, number, number];
  part: string;
  sheet: string;
  layers: DrillLayer[];
}
/** What lies at a point: what it belongs to, and the value of every channel there. */
export type Picked = Omit<Live['Picked'], 'values'> & { values: Record<string, number[]> };
/** Edges that a click means: their numbers, their ends in space, and the nearest corner. */
export interface Edges {
  edges: number[];
  lines: number[];
  flat: number[];
  corner: number;
  /** the same as one line: place and normal, six numbers a point */
  rail: number[] | null;
}
export interface Work {
  id: number;
  label: string;
  share: number;
}
/** One map of one tile as the server sends it; `even` holds one RGBA value. */
export interface TileFrame extends Place {
  /** up to which of this page's requests it goes */
  upTo: number;
  even: boolean;
  data: Uint8Array;
}
/** Where a tile lies, and of which map it is. */
interface Place {
  sheet: number;
  map: number;
  size: number;
  x: number;
  y: number;
}
/** Tiles that are to come, coarser ones of which come first; or that are out of date and do not come. */
export interface ComingFrame {
  coarser: boolean;
  dropped: boolean;
  tiles: Place[];
}

/** A layer with its place: the group it lies in, and its index there. */
export interface Row {
  layer: Layer;
  parent: string;
  index: number;
  depth: number;
  count: number;
}

export { newID };

/** A stroke as it was asked for, with its place in the order of all on the layer or in the step. */
export type Taken = {
  layer: string;
  step: string;
  stroke: Stroke;
  index: number;
  count: number;
};
type Spot = { pos: number[]; nrm: number[] };

export class Session {
  /** the document as the server told it last */
  private known = $state.raw<Doc | null>(null);
  /** changes that it does not hold yet, in order; seq: of the ledger's entry that does, once it is known */
  private meant = $state.raw<{ op: Op; seq: number }[]>([]);
  /** the document with all that was changed here */
  doc = $derived(this.meant.reduce((d, m) => d && (meant(d, m.op) ?? d), this.known));
  strokes = $state.raw<Record<string, number>>({});
  ledger = $state.raw<LedgerLine[]>([]);
  undoLabel = $state('');
  redoLabel = $state('');
  kept = $state('');
  viewers = $state(1);
  online = $state(false);
  settled = $state(false);
  message = $state('');
  drill = $state.raw<Drill | null>(null);
  works = $state.raw<Work[]>([]);
  /** what the document cannot give at its sheets' sizes, by layer or layer/step id */
  notes = $state.raw<Record<string, string>>({});
  /** names of the layers that were copied and can be pasted */
  clip = $state.raw<string[]>([]);
  /** why a step cannot be evaluated, by layer/step id */
  stepErrors = $state.raw<Record<string, string>>({});
  /** steps and layers that could not be carried out in what is shown */
  failures = $state.raw<Failure[]>([]);
  /** changes and strokes that are not kept yet */
  unkept = $state(0);
  /** why the project is not there any more; '' while it is */
  gone = $state('');
  /** pictures of masks by layer id or layer/step id; a new object each time one arrives */
  pictures = $state.raw<Record<string, ImageData>>({});
  /** jobs as the server last told of them, by id */
  jobs = $state.raw<Record<string, Job>>({});
  /** another one: the model or its UVs changed, and must be loaded again */
  model = $state('');
  onTile: (t: TileFrame) => void = () => {};
  onComing: (c: ComingFrame) => void = () => {};
  /** the line is a new one: the server sends everything anew */
  onLine: () => void = () => {};
  /** there is something to show everywhere, be it coarse */
  onDrafted: () => void = () => {};
  /** all that is seen goes up to a request */
  onShows: (upTo: number) => void = () => {};
  private upTo = 0;
  onSettled: () => void = () => {};

  /** the ledger's entry up to which the document is known */
  private seq = 0;
  /** counts what the document went through */
  changes = $state(0);
  private lastView = '';
  private lastPages = '';
  /** what the page sees, as it was told last */
  private seen: Message | null = null;
  private lastAlone = '';
  private lastFocus = '';
  private told = '';
  private readonly line: Line;
  private unfollow: () => void = () => {};
  private lines = new Map<number, LedgerLine>();

  /** @param wire makes a line to the server; without it one over a socket. aside: one more line
   * of a page that is there, for an alternative of a line-up */
  constructor(
    readonly id: string,
    readonly about: About,
    private readonly how: {
      wire?: (ends: { opened(): void; closed(): void; heard(data: string | ArrayBuffer): void }) => Wire;
      aside?: boolean;
    } = {},
  ) {
    const make = how.wire ?? ((ends) => this.socket(ends));
    const heard = (data: string | ArrayBuffer) =>
      typeof data === 'string' ? this.line.hear(JSON.parse(data)) : this.binary(data);
    this.line = new Line((ends) => make({ ...ends, heard }), newID);
    this.line.onState = () => {
      this.online = this.line.online;
      this.unkept = this.line.unkept;
    };
    this.line.onDoubt = (why) => {
      this.message = `${why[0].toUpperCase()}${why.slice(1)}. It is tried again.`;
    };
    this.line.onMessage = (m) => this.text(m as any);
    this.line.greeting = () => {
      this.asked = 0; // the server counts anew
      this.onLine();
      const looks = [this.instead, this.lastAlone, this.lastFocus].filter(Boolean).map((m) => JSON.parse(m) as Message);
      return this.seen ? [...looks, { ...this.seen, heard: 0 }] : looks;
    };
    this.line.again = () => this.there();
  }

  private socket(ends: { opened(): void; closed(): void; heard(data: string | ArrayBuffer): void }): Wire {
    const url = new URL(
      `/api/projects/${this.id}/live?wait=1&actor=${actor()}${this.how.aside ? '&aside=1' : ''}`,
      location.href,
    );
    url.protocol = url.protocol.replace('http', 'ws');
    const s = new WebSocket(url);
    s.binaryType = 'arraybuffer';
    s.onopen = () => ends.opened();
    s.onmessage = (e) => ends.heard(e.data);
    s.onclose = () => ends.closed();
    return { send: (text) => s.send(text), close: () => s.close() };
  }

  /** Whether the project is still there: a line that does not open does not say why. */
  private async there(): Promise<boolean> {
    try {
      const a = await fetch(`/api/projects/${this.id}`);
      if (a.status === 404) {
        this.gone = this.told || 'There is no such project: it was deleted, or the address is wrong.';
        return false;
      }
      if (a.ok && this.told) this.told = '';
    } catch {
      // the server does not answer: it is tried again
    }
    return true;
  }

  connect() {
    this.unfollow = changesOver(this.id, this.line);
    this.line.open();
  }

  /** Ends the session; its line goes on until what was changed is kept. */
  close() {
    if (this.how.aside) {
      this.unfollow();
      return this.line.close();
    }
    this.onTile = this.onComing = this.onLine = this.onDrafted = this.onShows = this.onSettled = () => {};
    const looks = this.seen;
    this.line.greeting = () => (looks ? [{ ...looks, pages: [], seen: 0, heard: 0 }] : []); // nothing is looked at
    this.line.leave((n, lost) => {
      parting.note(this, n);
      if (!n) this.unfollow();
      if (lost) parting.lost = lost;
    });
  }

  /** how many messages were sent that change what is to be seen: what the server says to
   * be drawn in full is only what it had been told by then */
  private asked = 0;

  private counted<T extends Said>(m: T): T {
    this.settled = false;
    return { ...m, n: ++this.asked };
  }

  /** Says something that is of no account when the line is cut. */
  tell(m: Said) {
    this.line.tell(m);
  }

  /** Makes a change of any kind; it is kept here until the server has kept it. */
  change(m: Said, kept?: (m: Message) => void, refused?: (why: string) => void) {
    this.line.change(this.counted(m), kept as () => void, refused);
  }

  /** Makes a change; the server answers with what became of the document. */
  op(op: Op) {
    if (this.trial) return void this.trial.push(op);
    const own = { op, seq: Infinity };
    const drop = () => (this.meant = this.meant.filter((m) => m !== own));
    this.meant = [...this.meant, own];
    const kept = (m: Message) => {
      own.seq = Number(m.seq ?? 0); // left out: nothing was ever kept, and nothing is to come
      if (this.seq >= own.seq) drop();
    };
    this.change({ t: 'op', op }, kept, drop);
  }

  /** Shows a change while a control is dragged, without keeping it. */
  preview(op: Op | null) {
    if (this.trial) return;
    this.tell({ t: 'preview', op: op ?? undefined });
  }

  undo() {
    this.change({ t: 'undo' });
  }

  redo() {
    this.change({ t: 'redo' });
  }

  /** Begins a stroke and returns the number under which it grows. */
  beginStroke(m: Said, id: string): number {
    return this.line.begin(this.counted(m), id);
  }

  /** @param numbered is called with the number under which it is sent */
  growStroke(stroke: number, m: Said, numbered: (n: number) => void = () => {}) {
    this.line.grow(stroke, () => {
      const counted = this.counted(m);
      numbered(this.asked);
      return counted;
    });
  }

  endStroke(stroke: number) {
    this.line.end(stroke);
  }

  cancelStroke(stroke: number) {
    this.line.cancel(stroke);
  }

  /** Tells the camera, and which tiles the page sees and holds: five numbers each, the seen ones
   * first, and how many had come when that was so. */
  view(vp: number[], { pages, seen }: { pages: number[]; seen: number }, heard: number) {
    const key = `${seen} ${pages.join()}`;
    const look = `${key} ${vp.join()}`;
    if (look === this.lastView) return;
    const other = key !== this.lastPages;
    this.lastPages = key;
    this.lastView = look;
    const message: Said = { t: 'view', vp, pages, seen, heard };
    this.seen = message;
    this.tell(other ? this.counted(message) : message);
  }

  /** What the page held is lost: what it tells next counts, be it what it told before. */
  lost() {
    this.lastPages = this.lastView = '';
  }

  /** Asks for one thing alone: a mask, one layer, or a channel that no map holds. */
  alone(kind: string, layer = '') {
    const m = JSON.stringify({ t: 'alone', kind, layer });
    if (m === this.lastAlone) return;
    this.lastAlone = m;
    this.tell(JSON.parse(m));
  }

  private instead = '';

  /** Has this line show another state than the document's. */
  alternative({ op, seq }: { op?: Op; seq?: number }) {
    const m: Said = { t: 'alternative', op, seq };
    this.instead = JSON.stringify(m);
    this.tell(m);
  }

  /** what was to be changed while it is but asked what would be */
  private trial: Op[] | null = null;

  /** What a deed would change, without doing it; null when that is not one change. */
  wouldBe(deed: () => void): Op | null {
    this.trial = [];
    deed();
    const ops = this.trial;
    this.trial = null;
    return ops.length === 1 ? ops[0] : null;
  }

  /** Says which layer is open: its steps get pictures. */
  focus(layer: string) {
    const m = JSON.stringify({ t: 'focus', layer });
    if (m === this.lastFocus) return;
    this.lastFocus = m;
    this.tell(JSON.parse(m));
  }

  private hover = { at: 0, layer: '', pos: [0, 0, 0] };

  /** Tells over which place the pen is, so that the first dab finds what it needs. */
  near(layer: string, pos: number[], radius: number) {
    const { at, layer: l, pos: p } = this.hover;
    const far = Math.hypot(pos[0] - p[0], pos[1] - p[1], pos[2] - p[2]);
    if (performance.now() - at < 120 || (l === layer && far < radius / 2)) return;
    this.hover = { at: performance.now(), layer, pos };
    this.tell({ t: 'near', layer, pos, radius });
  }

  /** Asks what lies at a point on the surface. */
  pick(pos: number[], nrm: number[], then: (p: Picked) => void) {
    this.line.ask({ t: 'pick', pos, nrm }, (m) => then(m as unknown as Picked));
  }

  /** Asks for a stroke, by its name or by the place that it covers; null: there is none. */
  takeUp(
    what: { layer: string; step: string } & ({ stroke: string } | (Spot & { slack: number })),
  ): Promise<Taken | null> {
    const m = { pos: [0, 0, 0], nrm: [0, 0, 1], ...what, step: what.step || undefined };
    return new Promise((done) =>
      this.line.ask(
        { t: 'stroke.take', ...m },
        (a) => done(a.stroke ? ({ ...a, step: what.step } as unknown as Taken) : null),
        () => done(null),
      ),
    );
  }

  private drilling = 0;

  /** Takes a core sample; the last one that was asked for is shown. */
  sample(pos: number[], nrm: number[], kind = '') {
    const own = ++this.drilling;
    this.line.ask({ t: 'drill', pos, nrm, kind }, (m) => {
      if (own === this.drilling) this.drill = m as unknown as Drill;
    });
  }

  /** what two picked faces correspond to, as it was last told */
  sides = $state.raw<Partial<Live['Sides']> | null>(null);

  /** Asks how far two picked faces correspond, or brings strokes over. */
  correspond(m: Omit<Live['SidesRequest'], 't'>) {
    const answered = (a: Message) => {
      if (a.t === 'sides') this.sides = a as unknown as Live['Sides'];
    };
    if (m.kind === 'show') this.line.ask({ t: 'sides', ...m }, answered);
    else this.change({ t: 'sides', ...m }, answered);
  }

  /** Asks which edges a click on the surface means. */
  edge(pos: number[], nrm: number[], kind: string, from: number, then: (e: Edges) => void) {
    this.line.ask({ t: 'edge', pos, nrm, kind, seq: from }, (m) => then(m as unknown as Edges));
  }

  /** Connects anew: every tile is sent again. */
  reconnect() {
    this.lastView = '';
    this.seen = null;
    this.settled = false;
    this.line.renew();
  }

  get layers(): Layer[] {
    return (this.doc?.layers ?? []) as Layer[];
  }

  /** All channels of the project, those it added at the end. */
  get channels(): ChannelInfo[] {
    const added = (this.doc?.addedChannels ?? []).map((u): ChannelInfo => {
      const n = u.color ? 3 : 1;
      const modes = (u.color ? this.about.modes : this.about.scalarModes) ?? [];
      const plain = { min: 0, max: 1, unit: '', scale: 1, blend: 'normal', range: [0, 1], modes };
      const fill = (v: number) => Array(n).fill(v) as number[];
      return {
        ...plain,
        channel: u.channel,
        label: u.label,
        components: n,
        default: u.default ?? fill(0),
        suggested: fill(1),
      };
    });
    return [...(this.about.channels ?? []), ...added];
  }

  layer(id: string): Layer | undefined {
    return this.rows.find((r) => r.layer.id === id)?.layer;
  }

  place(id: string): Row | undefined {
    return this.rows.find((r) => r.layer.id === id);
  }

  /** Every layer with its place, innermost first, groups before what they hold. */
  rows = $derived.by(() => {
    const out: Row[] = [];
    const into = (list: Layer[], parent: string, depth: number) =>
      list.forEach((layer, index) => {
        out.push({ layer, parent, index, depth, count: list.length });
        into((layer.layers ?? []) as Layer[], layer.id, depth + 1);
      });
    into(this.layers, '', 0);
    return out;
  });

  private text(m: any) {
    switch (m.t) {
      case 'doc':
        this.state(m);
        break;
      case 'drafted':
        this.onDrafted();
        break;
      case 'settled':
        if (m.n < this.asked) break; // it had not heard the last yet
        this.settled = true;
        this.onSettled();
        break;
      case 'error':
        this.message = m.message;
        break;
      case 'job':
        this.jobs = { ...this.jobs, [m.job.id]: m.job };
        break;
      case 'works':
        this.works = m.works;
        break;
      case 'clip':
        this.clip = m.names ?? [];
        break;
      case 'failures':
        this.failures = m.list ?? [];
        break;
      case 'closed':
        this.told = m.why ? `${m.why[0].toUpperCase()}${m.why.slice(1)}.` : '';
        break;
      case 'step.error':
        this.stepErrors = { ...this.stepErrors, [m.name]: m.message };
        break;
    }
  }

  /** Takes the state, which is told as a difference to what was told last. */
  private state(m: Live['Doc']) {
    if (m.doc) this.known = m.doc as unknown as Doc;
    else if (m.patch && this.known)
      this.known = applyPatch(this.known, m.patch as unknown as Operation[], false, false).newDocument;
    this.seq = m.seq ?? 0;
    this.changes++;
    if (this.meant.length) this.meant = this.meant.filter((own) => own.seq > this.seq);
    if (m.fresh) this.lines.clear();
    if (m.strokes || m.fresh) {
      const all = m.fresh ? {} : { ...this.strokes };
      for (const [id, n] of Object.entries(m.strokes ?? {}) as [string, number][]) {
        if (n) all[id] = n;
        else delete all[id];
      }
      this.strokes = all;
    }
    if (m.ledger?.length || m.fresh) {
      for (const l of m.ledger ?? []) this.lines.set(l.seq, l);
      this.ledger = [...this.lines.values()].sort((a, b) => b.seq - a.seq);
    }
    this.model = m.model;
    this.notes = (m.notes ?? {}) as Record<string, string>;
    this.undoLabel = m.undo;
    this.redoLabel = m.redo;
    this.viewers = m.viewers;
    if (m.seq) this.kept = new Date(m.kept).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' });
  }

  private binary(buffer: ArrayBuffer) {
    const v = new DataView(buffer);
    if (v.getUint8(0) === 2) {
      const n = v.getUint8(1);
      const [w, h] = [v.getUint16(2, true), v.getUint16(4, true)];
      const c = v.getUint8(6);
      const name = new TextDecoder().decode(new Uint8Array(buffer, 7, n));
      const values = new Uint8Array(buffer, 7 + n);
      const img = new ImageData(w, h);
      for (let i = 0; i < w * h; i++) {
        const at = i * c;
        if (values[at]) img.data.set([values[at], values[at + (c > 1 ? 1 : 0)], values[at + c - 1], 255], i * 4);
      }
      this.pictures = { ...this.pictures, [name]: img };
      if (this.stepErrors[name]) {
        const { [name]: _, ...rest } = this.stepErrors;
        this.stepErrors = rest;
      }
      return;
    }
    if (v.getUint8(0) === 4) {
      this.upTo = v.getUint32(2, true);
      if (v.getUint8(1) & 1) this.onShows(this.upTo);
      return;
    }
    const place = (at: number, where: number): Place => ({
      sheet: v.getUint8(at),
      map: v.getUint8(at + 1),
      size: v.getUint16(where, true),
      x: v.getUint16(where + 2, true),
      y: v.getUint16(where + 4, true),
    });
    if (v.getUint8(0) === 3) {
      const tiles = [];
      for (let at = 2; at < buffer.byteLength; at += 8) tiles.push(place(at, at + 2));
      const flags = v.getUint8(1);
      this.onComing({ coarser: (flags & 1) !== 0, dropped: (flags & 2) !== 0, tiles });
      return;
    }
    this.onTile({ ...place(1, 4), upTo: this.upTo, even: (v.getUint8(3) & 1) !== 0, data: new Uint8Array(buffer, 10) });
  }
}
