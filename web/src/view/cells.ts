// The pictures of a line-up: each has a line of its own to the server and wears sheets of its
// own; the model, the camera and the light are everybody's.
import { MeshStandardMaterial, type Material, type WebGLRenderer } from 'three';
import { api, type DeliveryNote } from '../api/client';
import { Opening, type Alternative } from '../lib/lineup.svelte';
import type { Opened } from './delivered';
import { Session } from '../lib/session.svelte';
import type { Sheet } from './sheets';
import { Sheets, type More } from './sheets';
import type { Tile } from './pages';

export interface Rect {
  x: number;
  /** from the canvas's lower edge, as the card counts */
  y: number;
  w: number;
  h: number;
}

/** pixels over the pictures of a line-up for its title */
export const TITLE = 37;

/** So many pictures of one size on a canvas, in rows from the upper left, each as large as can be. */
export function grid(n: number, width: number, height: number): Rect[] {
  let best = 1;
  const least = (columns: number) => Math.min(width / columns, height / Math.ceil(n / columns));
  for (let columns = 2; columns <= n; columns++) if (least(columns) > least(best)) best = columns;
  const rows = Math.ceil(n / best);
  const [w, h] = [Math.floor(width / best), Math.floor(height / rows)];
  return Array.from({ length: n }, (_, i) => ({
    x: (i % best) * w,
    y: height - (Math.floor(i / best) + 1) * h,
    w,
    h,
  }));
}

/** One of the pictures that the view shows beside one another. */
export interface Shown {
  readonly alternative: Alternative;
  readonly session: { readonly settled: boolean; readonly message: string };
  /** it has something to show */
  readonly ready: boolean;
  readonly worn: {
    readonly list: readonly { material: Material }[];
    readonly pages?: { readonly room: number };
    update(ms?: number): boolean;
  };
  see(tiles: Tile[]): void;
  dispose(): void;
}

/** What was delivered, opened again: it asks nothing of the session. */
export class DeliveredCell implements Shown {
  readonly session = new Opening();
  readonly worn: { list: { material: Material }[]; pages?: undefined; update: () => boolean };
  private opened: Opened | null = null;
  private gone = false;

  get ready() {
    return this.session.settled;
  }

  constructor(
    readonly alternative: Alternative,
    project: string,
    renderer: WebGLRenderer,
    sheets: Sheet[],
    changed: () => void,
  ) {
    // what was not delivered is grey
    const bare = new MeshStandardMaterial({ color: 0x808080, roughness: 0.8 });
    const list = sheets.map(() => ({ material: bare as Material }));
    this.worn = { list, update: () => false };
    const lines = async (n: DeliveryNote) => (await api.plan(project, n.order)).files ?? [];
    void import('./delivered')
      .then((d) =>
        d.openDelivered(
          renderer,
          alternative.delivered!,
          sheets.map((s) => s.name),
          lines,
        ),
      )
      .then((o) => {
        if (this.gone) return closeLater(o);
        this.opened = o;
        sheets.forEach((s, i) => (list[i].material = o.materials.get(s.name) ?? bare));
        this.session.settled = true;
        changed();
      })
      .catch((e) => (this.session.message = (e as Error).message));
  }

  see() {}

  dispose() {
    this.gone = true;
    if (this.opened) closeLater(this.opened);
  }
}

const closeLater = (o: Opened) => void import('./delivered').then((d) => d.close(o));

export class Cell implements Shown {
  readonly session: Session;
  readonly worn: Sheets;
  ready = false;

  constructor(
    readonly alternative: Alternative,
    of: Session,
    renderer: WebGLRenderer,
    sheets: Sheet[],
    clear: (sheet: number) => boolean,
    bytes: number,
    more: More,
    changed: (what: 'tile' | 'draft' | 'all') => void,
  ) {
    const names = sheets.map((s) => s.name);
    this.worn = new Sheets(renderer, names, [], bytes, () => changed('tile'));
    this.worn.setMore(more);
    sheets.forEach((s, i) => {
      if (s.size) this.worn.setSize(i, s.size);
      this.worn.setTransparent(i, s.transparent || clear(i));
      this.worn.setPane(i, s.pane);
    });
    this.session = new Session(of.id, of.about, { aside: true });
    this.session.onTile = (t) => this.worn.write(t);
    this.session.onComing = (c) => this.worn.coming(c);
    this.session.onLine = () => this.worn.reconnected();
    this.session.onDrafted = () => {
      this.ready = true;
      changed('draft');
    };
    this.session.onSettled = () => {
      this.ready = true;
      this.worn.settle();
      changed('all');
    };
    this.session.alternative(alternative);
    this.session.connect();
  }

  /** Tells the server what is seen. */
  see(tiles: Tile[]) {
    this.worn.see(tiles);
    this.session.view([], this.worn.pages.told(tiles), this.worn.pages.heard);
  }

  dispose() {
    this.session.close();
    this.worn.dispose();
  }
}
