// What the server said about the open project, and the line to it.
import { actor, newID } from './id';
import type { About, ChannelInfo, Doc, Job, Layer, Step } from '../api/client';

export interface LedgerLine {
  seq: number;
  label: string;
  kind: string;
  mine: boolean;
  at: string;
  mark?: string;
  /** part of what led to the state now shown */
  on: boolean;
  after: number;
  /** takes the stroke of this line out, whatever came after it */
  out?: Op;
}
export interface Op {
  kind: string;
  target?: string;
  parent?: string;
  label?: string;
  step?: string;
  path?: string;
  index?: number;
  value?: unknown;
  layer?: Layer;
  newStep?: Step;
  ops?: Op[];
}
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
export interface Picked {
  kind: string;
  triangle: number;
  island: number;
  part: string;
  sheet: string;
  /** of the ID map there; null where there is none */
  idColor: number[] | null;
  values: Record<string, number[]>;
}
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
export interface TileFrame {
  sheet: number;
  map: number;
  draft: boolean;
  even: boolean;
  size: number;
  x: number;
  y: number;
  data: Uint8Array;
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

interface StrokeMessage {
  t: string;
  stroke?: Record<string, unknown>;
}

export class Session {
  doc = $state.raw<Doc | null>(null);
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
  /** pictures of masks by layer id or layer/step id; a new object each time one arrives */
  pictures = $state.raw<Record<string, ImageData>>({});
  /** jobs as the server last told of them, by id */
  jobs = $state.raw<Record<string, Job>>({});
  /** another one: the model or its UVs changed, and must be loaded again */
  model = $state('');
  onTile: (t: TileFrame) => void = () => {};
  /** there is something to show everywhere, be it coarse */
  onDrafted: () => void = () => {};
  onSettled: () => void = () => {};

  private socket: WebSocket | null = null;
  private closed = false;
  /** the stroke that was begun and not ended, and what was painted while the line was cut */
  private begun: StrokeMessage | null = null;
  private waiting: StrokeMessage[] = [];
  private lastView = '';
  private lastSizes = '';
  private lastAlone = '';
  private lastFocus = '';
  private cutting: ((e: Edges) => void) | null = null;
  private picking: ((p: Picked) => void) | null = null;

  constructor(
    readonly id: string,
    readonly about: About,
  ) {}

  connect() {
    const url = new URL(`/api/projects/${this.id}/live?wait=1&actor=${actor()}`, location.href);
    url.protocol = url.protocol.replace('http', 'ws');
    const s = new WebSocket(url);
    s.binaryType = 'arraybuffer';
    s.onopen = () => {
      this.online = true;
      this.asked = 0; // the server counts anew
      if (this.lastView) s.send(this.lastView);
      if (this.lastAlone) s.send(this.lastAlone);
      if (this.lastFocus) s.send(this.lastFocus);
      this.catchUp();
    };
    s.onmessage = (e) => (typeof e.data === 'string' ? this.text(JSON.parse(e.data)) : this.binary(e.data));
    s.onclose = () => {
      this.online = false;
      if (!this.closed) setTimeout(() => this.connect(), 800);
    };
    this.socket = s;
  }

  close() {
    this.closed = true;
    this.socket?.close();
  }

  /** how many messages were sent that change what is to be seen: what the server says to
   * be drawn in full is only what it had been told by then */
  private asked = 0;

  send(m: object) {
    const { t } = m as { t: string };
    const stroke = t.startsWith('stroke.') ? (m as StrokeMessage) : null;
    const moves = stroke || ['op', 'undo', 'redo', 'jump', 'paste'].includes(t);
    if (moves) this.settled = false;
    if (this.socket?.readyState === WebSocket.OPEN) {
      this.socket.send(JSON.stringify(moves ? { ...m, n: ++this.asked } : m));
      if (stroke?.t === 'stroke.begin') this.begun = stroke;
      else if (stroke && stroke.t !== 'stroke.add') this.begun = null;
    } else if (stroke && this.waiting.length < 20_000) this.waiting.push(stroke);
  }

  /** Sends what was painted while the line was cut. The server kept what a stroke had
   * when it was cut; the rest goes on as a stroke of its own. */
  private catchUp() {
    const list = this.waiting;
    this.waiting = [];
    if (list.length && list[0].t !== 'stroke.begin' && this.begun)
      this.send({ ...this.begun, stroke: { ...this.begun.stroke, id: newID() } });
    for (const m of list) this.send(m);
  }

  /** Makes a change; the server answers with the new document. */
  op(op: Op) {
    if (!this.online) {
      this.message = 'The server does not answer, so the change was not made. It will be tried to reconnect.';
      return;
    }
    this.send({ t: 'op', id: 1, op });
  }

  /** Shows a change while a control is dragged, without keeping it. */
  preview(op: Op | null) {
    this.send({ t: 'preview', op });
  }

  undo() {
    this.send({ t: 'undo' });
  }

  redo() {
    this.send({ t: 'redo' });
  }

  /** Tells the camera, and how many texels a side of each sheet can be seen from there. */
  view(vp: number[], sizes: number[]) {
    const m = JSON.stringify({ t: 'view', vp, sizes });
    if (m === this.lastView) return;
    const finer = sizes.join() !== this.lastSizes;
    if (finer) this.settled = false;
    this.lastSizes = sizes.join();
    this.lastView = m;
    if (this.online) this.socket?.send(finer ? JSON.stringify({ t: 'view', vp, sizes, n: ++this.asked }) : m);
  }

  /** Asks for one thing alone: a mask, one layer, or a channel that no map holds. */
  alone(kind: string, layer = '') {
    const m = JSON.stringify({ t: 'alone', kind, layer });
    if (m === this.lastAlone) return;
    this.lastAlone = m;
    if (this.online) this.socket?.send(m);
  }

  /** Says which layer is open: its steps get pictures. */
  focus(layer: string) {
    const m = JSON.stringify({ t: 'focus', layer });
    if (m === this.lastFocus) return;
    this.lastFocus = m;
    if (this.online) this.socket?.send(m);
  }

  private hover = { at: 0, layer: '', pos: [0, 0, 0] };

  /** Tells over which place the pen is, so that the first dab finds what it needs. */
  near(layer: string, pos: number[], radius: number) {
    const { at, layer: l, pos: p } = this.hover;
    const far = Math.hypot(pos[0] - p[0], pos[1] - p[1], pos[2] - p[2]);
    if (performance.now() - at < 120 || (l === layer && far < radius / 2)) return;
    this.hover = { at: performance.now(), layer, pos };
    this.send({ t: 'near', layer, pos, radius });
  }

  /** Asks what lies at a point on the surface. */
  pick(pos: number[], nrm: number[], then: (p: Picked) => void) {
    this.picking = then;
    this.send({ t: 'pick', pos, nrm });
  }

  /** what two picked faces correspond to, as it was last told */
  sides = $state.raw<{ count: number; of?: number; missing?: number[]; strokes?: number; left?: number } | null>(null);

  /** Asks which edges a click on the surface means. */
  edge(pos: number[], nrm: number[], kind: string, from: number, then: (e: Edges) => void) {
    this.cutting = then;
    this.send({ t: 'edge', pos, nrm, kind, seq: from });
  }

  /** Connects anew: every tile is sent again. */
  reconnect() {
    this.lastView = '';
    this.settled = false;
    this.socket?.close();
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
        this.doc = m.doc;
        this.model = m.model;
        this.strokes = m.strokes;
        this.notes = m.notes ?? {};
        this.ledger = m.ledger ?? [];
        this.undoLabel = m.undo;
        this.redoLabel = m.redo;
        this.viewers = m.viewers;
        if (m.seq) this.kept = new Date(m.kept).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' });
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
      case 'drill':
        this.drill = m;
        break;
      case 'picked':
        this.picking?.(m);
        this.picking = null;
        break;
      case 'sides':
        this.sides = m;
        break;
      case 'edges':
        this.cutting?.(m);
        this.cutting = null;
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
      case 'step.error':
        this.stepErrors = { ...this.stepErrors, [m.name]: m.message };
        break;
    }
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
    const flags = v.getUint8(3);
    this.onTile({
      sheet: v.getUint8(1),
      map: v.getUint8(2),
      even: (flags & 1) !== 0,
      draft: (flags & 2) !== 0,
      size: v.getUint16(4, true),
      x: v.getUint16(6, true),
      y: v.getUint16(8, true),
      data: new Uint8Array(buffer, 10),
    });
  }
}
