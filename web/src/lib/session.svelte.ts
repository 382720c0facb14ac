// What the server said about the open project, and the line to it.
import type { About, Doc, Layer, Step } from '../api/client';

export interface LedgerLine {
  seq: number;
  label: string;
  kind: string;
  mine: boolean;
  at: string;
}
export interface Op {
  kind: string;
  target?: string;
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
  steps: number[] | null;
  result: Record<string, number[]>;
}
export interface Drill {
  pos: [number, number, number];
  part: string;
  sheet: string;
  layers: DrillLayer[];
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

/** A name for this browser that survives reloads: undo takes back one's own changes. */
function actor(): string {
  let a = localStorage.getItem('actor');
  if (!a) localStorage.setItem('actor', (a = newID()));
  return a;
}

export const newID = () => crypto.randomUUID().replaceAll('-', '').slice(0, 16);

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
  /** pictures of masks by layer id or layer/step id; a new object each time one arrives */
  pictures = $state.raw<Record<string, ImageData>>({});
  onTile: (t: TileFrame) => void = () => {};
  onSettled: () => void = () => {};

  private socket: WebSocket | null = null;
  private closed = false;
  private lastView = '';
  private lastAlone = '';

  constructor(
    readonly id: string,
    readonly about: About,
  ) {}

  connect() {
    const url = new URL(`/api/projects/${this.id}/live?actor=${actor()}`, location.href);
    url.protocol = url.protocol.replace('http', 'ws');
    const s = new WebSocket(url);
    s.binaryType = 'arraybuffer';
    s.onopen = () => {
      this.online = true;
      if (this.lastView) s.send(this.lastView);
      if (this.lastAlone) s.send(this.lastAlone);
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

  send(m: object) {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(m));
  }

  /** Makes a change; the server answers with the new document. */
  op(op: Op) {
    if (!this.online) {
      this.message = 'The server does not answer, so the change was not made. It will be tried to reconnect.';
      return;
    }
    this.settled = false;
    this.send({ t: 'op', id: 1, op });
  }

  /** Shows a change while a control is dragged, without keeping it. */
  preview(op: Op | null) {
    this.send({ t: 'preview', op });
  }

  undo() {
    this.settled = false;
    this.send({ t: 'undo' });
  }

  redo() {
    this.settled = false;
    this.send({ t: 'redo' });
  }

  view(vp: number[]) {
    this.lastView = JSON.stringify({ t: 'view', vp });
    if (this.online) this.socket?.send(this.lastView);
  }

  alone(kind: '' | 'height' | 'mask', layer = '') {
    this.lastAlone = JSON.stringify({ t: 'alone', kind, layer });
    if (this.online) this.socket?.send(this.lastAlone);
  }

  layer(id: string): Layer | undefined {
    return this.doc?.layers?.find((l) => l.id === id);
  }

  private text(m: any) {
    switch (m.t) {
      case 'doc':
        this.doc = m.doc;
        this.strokes = m.strokes;
        this.ledger = m.ledger ?? [];
        this.undoLabel = m.undo;
        this.redoLabel = m.redo;
        this.viewers = m.viewers;
        if (m.seq) this.kept = new Date(m.kept).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' });
        break;
      case 'settled':
        this.settled = true;
        this.onSettled();
        break;
      case 'error':
        this.message = m.message;
        break;
      case 'drill':
        this.drill = m;
        break;
    }
  }

  private binary(buffer: ArrayBuffer) {
    const v = new DataView(buffer);
    if (v.getUint8(0) === 2) {
      const n = v.getUint8(1);
      const [w, h] = [v.getUint16(2, true), v.getUint16(4, true)];
      const name = new TextDecoder().decode(new Uint8Array(buffer, 6, n));
      const grey = new Uint8Array(buffer, 6 + n);
      const img = new ImageData(w, h);
      for (let i = 0; i < w * h; i++) {
        const g = grey[i];
        img.data.set(g ? [g, g, g, 255] : [0, 0, 0, 0], i * 4);
      }
      this.pictures = { ...this.pictures, [name]: img };
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
