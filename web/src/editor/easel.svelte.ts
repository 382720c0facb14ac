// The picture editor's state: a layered picture, what is done to it, and how it is taken back.
import { around, compose, part, within, type Rect } from './compose';
import { context, surface, type Node, type Picture } from './ora';
import { push } from './push';

export type Tool = 'brush' | 'erase' | 'push' | 'lasso' | 'pick' | 'shift';

/** A place under the pointer, texels of the whole, with the pen's pressure. */
export interface Touch {
  x: number;
  y: number;
  pressure: number;
}

interface Deed {
  label: string;
  undo: () => void;
  redo: () => void;
  bytes: number;
}

/** how many bytes of what was done are kept */
const KEPT = 400 << 20;

export class Easel {
  picture = $state.raw<Picture | null>(null);
  /** counts changes of layers, for who lists them */
  changes = $state(0);
  /** counts what is not saved */
  unsaved = $state(0);
  chosen = $state.raw<Node | null>(null);
  tool = $state<Tool>('brush');
  color = $state('#8c4a2f');
  size = $state(40);
  hardness = $state(0.6);
  flow = $state(0.8);
  opacity = $state(1);
  pressesSize = $state(true);
  pressesFlow = $state(false);
  /** strength of a push */
  strength = $state(1);
  feather = $state(6);
  /** corners of what was drawn round, texels; several when some were added */
  outlines = $state.raw<Touch[][]>([]);
  done = $state.raw<Deed[]>([]);
  undone = $state.raw<Deed[]>([]);
  /** names of layers that show the view, and are not taken back */
  own = $state.raw<string[]>([]);
  message = $state('');

  /** shows the picture; the page hands it in */
  private screen: CanvasRenderingContext2D | null = null;
  private selection: HTMLCanvasElement | null = null;
  /** what the stroke under way covers */
  private stroke: HTMLCanvasElement | null = null;
  private dirty: Rect | null = null;
  private last: Touch | null = null;
  private left = 0;
  private before: ImageData | null = null;

  open(p: Picture) {
    this.picture = p;
    const note = p.rest['velvetgrime/view.json'];
    try {
      const said = note ? (JSON.parse(new TextDecoder().decode(note)) as { own: { name: string }[] }) : null;
      this.own = (said?.own ?? []).map((o) => o.name).filter((n) => !n.startsWith('Taken back'));
    } catch {
      this.own = [];
    }
    this.chosen = p.nodes.find((n) => !n.layers && !this.own.includes(n.name)) ?? null;
    [this.done, this.undone, this.unsaved] = [[], [], 0];
    this.redraw();
  }

  show(canvas: HTMLCanvasElement) {
    this.screen = canvas.getContext('2d', { willReadFrequently: true });
    this.redraw();
  }

  /** The whole, or a place of it, drawn anew. */
  redraw(r?: Rect) {
    const p = this.picture;
    if (!p || !this.screen) return;
    const of = within(r ?? { x: 0, y: 0, w: p.w, h: p.h }, p.w, p.h);
    if (!of) return;
    this.screen.clearRect(of.x, of.y, of.w, of.h);
    compose(this.screen, p.nodes, of, (n, place) => this.underWay(n, place));
  }

  /** How all of it looks. */
  merged(): HTMLCanvasElement {
    const p = this.picture!;
    const c = surface(p.w, p.h);
    compose(context(c), p.nodes, { x: 0, y: 0, w: p.w, h: p.h });
    return c;
  }

  private underWay(n: Node, r: Rect) {
    if (!this.stroke || n !== this.chosen) return null;
    const canvas = surface(r.w, r.h);
    const g = context(canvas);
    g.translate(-r.x, -r.y);
    if (n.canvas) part(g, n.canvas, n, r);
    g.globalAlpha = this.opacity;
    g.globalCompositeOperation = this.tool === 'erase' ? 'destination-out' : 'source-over';
    g.drawImage(this.covered(r), r.x, r.y);
    return { canvas, x: r.x, y: r.y };
  }

  /** What the stroke covers within a place, as far as it is selected. */
  private covered(r: Rect): HTMLCanvasElement {
    const c = surface(r.w, r.h);
    const g = context(c);
    g.drawImage(this.stroke!, -r.x, -r.y);
    if (this.selection) {
      g.globalCompositeOperation = 'destination-in';
      g.drawImage(this.selection, -r.x, -r.y);
    }
    return c;
  }

  /** Why the chosen layer cannot be worked on; empty: it can. */
  get barred() {
    void this.changes;
    const n = this.chosen;
    if (!n || n.layers) return 'Choose a layer to paint on, or add one.';
    if (this.own.includes(n.name))
      return `“${n.name}” shows the view and is not taken back: paint on a layer above it.`;
    if (n.hidden) return `“${n.name}” is hidden: show it first.`;
    return '';
  }

  /** The chosen layer with room for the whole, to be changed. */
  private roomy(): Node {
    const [p, n] = [this.picture!, this.chosen!];
    if (n.canvas && n.canvas.width === p.w && n.canvas.height === p.h && !n.x && !n.y) return n;
    const c = surface(p.w, p.h);
    if (n.canvas) context(c).drawImage(n.canvas, n.x, n.y);
    [n.canvas, n.x, n.y] = [c, 0, 0];
    return n;
  }

  down(t: Touch) {
    const p = this.picture;
    if (!p) return;
    this.message = this.barred;
    if (this.message) return;
    const n = this.roomy();
    this.last = t;
    this.dirty = null;
    this.left = 0;
    this.before = context(n.canvas!).getImageData(0, 0, p.w, p.h);
    if (this.tool === 'push') return;
    this.stroke = surface(p.w, p.h);
    this.redraw(this.dab(t));
  }

  move(list: Touch[]) {
    if (!this.last || !this.before) return;
    let fresh: Rect | null = null;
    for (const t of list) {
      if (this.tool === 'push') fresh = around(fresh, this.pushTo(t));
      else fresh = around(fresh, this.lineTo(t));
    }
    if (fresh) this.redraw(fresh);
  }

  up() {
    const p = this.picture;
    if (!p || !this.before || !this.chosen) return;
    const n = this.chosen;
    const r = this.dirty && within(this.dirty, p.w, p.h);
    const [was, label] = [this.before, { erase: 'Erase', push: 'Push' }[this.tool as string] ?? 'Paint'];
    if (r && this.stroke) {
      const g = context(n.canvas!);
      g.save();
      g.globalAlpha = this.opacity;
      g.globalCompositeOperation = this.tool === 'erase' ? 'destination-out' : 'source-over';
      g.drawImage(this.covered(r), r.x, r.y);
      g.restore();
    }
    this.stroke = this.before = this.last = null;
    if (!r) return;
    n.png = undefined;
    const cut = context(surface(r.w, r.h));
    cut.putImageData(was, -r.x, -r.y);
    const old = cut.getImageData(0, 0, r.w, r.h);
    const now = context(n.canvas!).getImageData(r.x, r.y, r.w, r.h);
    const put = (d: ImageData) => () => {
      context(n.canvas!).putImageData(d, r.x, r.y);
      n.png = undefined;
      this.redraw(r);
    };
    this.did({ label, undo: put(old), redo: put(now), bytes: 8 * r.w * r.h });
    this.redraw(r);
  }

  /** What the stroke under way did is dropped. */
  cancel() {
    if (!this.before || !this.chosen?.canvas) return;
    if (this.tool === 'push') context(this.chosen.canvas).putImageData(this.before, 0, 0);
    this.stroke = this.before = this.last = null;
    this.redraw();
  }

  private did(d: Deed) {
    const list = [...this.done, d];
    while (list.length > 1 && list.reduce((n, x) => n + x.bytes, 0) > KEPT) list.shift();
    [this.done, this.undone] = [list, []];
    this.changes++;
    this.unsaved++;
  }

  undo() {
    const d = this.done.at(-1);
    if (!d) return;
    d.undo();
    [this.done, this.undone] = [this.done.slice(0, -1), [...this.undone, d]];
    this.changes++;
    this.unsaved++;
  }

  redo() {
    const d = this.undone.at(-1);
    if (!d) return;
    d.redo();
    [this.undone, this.done] = [this.undone.slice(0, -1), [...this.done, d]];
    this.changes++;
    this.unsaved++;
  }

  private radius = (t: Touch) => (this.size / 2) * (this.pressesSize ? 0.15 + 0.85 * t.pressure : 1);

  private dab(t: Touch): Rect {
    const r = Math.max(this.radius(t), 0.5);
    const g = context(this.stroke!);
    const grad = g.createRadialGradient(t.x, t.y, 0, t.x, t.y, r);
    const hard = Math.min(this.hardness, 0.99);
    // towards the border it falls off smoothly
    for (const [at, cover] of [
      [0, 1],
      [hard, 1],
      [hard + (1 - hard) * 0.25, 0.85],
      [hard + (1 - hard) * 0.5, 0.5],
      [hard + (1 - hard) * 0.75, 0.15],
      [1, 0],
    ])
      grad.addColorStop(
        at,
        `${this.color}${Math.round(cover * 255)
          .toString(16)
          .padStart(2, '0')}`,
      );
    g.globalAlpha = this.flow * (this.pressesFlow ? t.pressure : 1);
    g.fillStyle = grad;
    const box = { x: t.x - r - 1, y: t.y - r - 1, w: 2 * r + 2, h: 2 * r + 2 };
    g.fillRect(box.x, box.y, box.w, box.h);
    this.dirty = around(this.dirty, box);
    return box;
  }

  /** Dabs along the way, evenly; what is left over goes on with the next piece. */
  private lineTo(t: Touch): Rect | null {
    const from = this.last!;
    const length = Math.hypot(t.x - from.x, t.y - from.y);
    let fresh: Rect | null = null;
    let at = this.left;
    for (;;) {
      const k = length > 0 ? at / length : 2;
      if (k > 1) break;
      const mix = (a: number, b: number) => a + (b - a) * k;
      const here = { x: mix(from.x, t.x), y: mix(from.y, t.y), pressure: mix(from.pressure, t.pressure) };
      if (at > 0 || length > 0) fresh = around(fresh, this.dab(here));
      at += Math.max(this.radius(here) * 0.2, 0.5);
    }
    this.left = length > 0 ? at - length : this.left;
    this.last = t;
    return fresh;
  }

  private pushTo(t: Touch): Rect | null {
    const [from, p] = [this.last!, this.picture!];
    const [dx, dy] = [t.x - from.x, t.y - from.y];
    const length = Math.hypot(dx, dy);
    if (length < 0.25) return null;
    const radius = this.size / 2;
    // in steps, so that nothing folds
    const steps = Math.max(Math.ceil(length / (radius / 4)), 1);
    const box = within(
      {
        x: Math.min(from.x, t.x) - radius - 1,
        y: Math.min(from.y, t.y) - radius - 1,
        w: Math.abs(dx) + 2 * radius + 2,
        h: Math.abs(dy) + 2 * radius + 2,
      },
      p.w,
      p.h,
    );
    this.last = t;
    if (!box || box.w < 2 || box.h < 2) return null;
    const g = context(this.chosen!.canvas!);
    const area = g.getImageData(box.x, box.y, box.w, box.h);
    const share = this.selection ? context(this.selection).getImageData(box.x, box.y, box.w, box.h) : undefined;
    const k = (this.strength * (this.pressesFlow ? t.pressure : 1)) / steps;
    for (let i = 0; i < steps; i++) {
      const [x, y] = [from.x + (dx * (i + 0.5)) / steps - box.x, from.y + (dy * (i + 0.5)) / steps - box.y];
      push(area, x, y, dx * k, dy * k, radius, share);
    }
    g.putImageData(area, box.x, box.y);
    this.dirty = around(this.dirty, box);
    return box;
  }

  /** What is drawn round is what can be worked on; with more it is added to what was. */
  select(outline: Touch[], more: boolean) {
    const was = this.outlines;
    const list = more ? [...was, outline] : outline.length > 2 ? [outline] : [];
    const set = (l: Touch[][]) => () => {
      this.outlines = l;
      this.soften();
    };
    set(list)();
    if (was.length || list.length)
      this.did({ label: list.length ? 'Draw round' : 'Everything', undo: set(was), redo: set(list), bytes: 0 });
    this.unsaved--; // nothing of the picture
  }

  /** Makes the selection of its outlines and its feather. */
  soften() {
    const p = this.picture;
    if (!p || !this.outlines.length) return void (this.selection = null);
    const hard = surface(p.w, p.h);
    const g = context(hard);
    for (const o of this.outlines) {
      g.beginPath();
      o.forEach((t) => g.lineTo(t.x, t.y));
      g.fill();
    }
    this.selection = hard;
    if (this.feather <= 0) return;
    const soft = context(surface(p.w, p.h));
    soft.filter = `blur(${this.feather / 2}px)`;
    soft.drawImage(hard, 0, 0);
    this.selection = soft.canvas;
  }

  /** The colour that is seen at a place. */
  pick(t: Touch) {
    const d = this.screen?.getImageData(Math.floor(t.x), Math.floor(t.y), 1, 1).data;
    if (d?.[3]) this.color = '#' + [...d.slice(0, 3)].map((v) => v.toString(16).padStart(2, '0')).join('');
  }

  // layers

  /** Changes the tree of layers as one deed. */
  private arrange(label: string, change: (list: Node[]) => void) {
    const p = this.picture!;
    const [was, chosen] = [tree(p.nodes), this.chosen];
    change(p.nodes);
    const [now, after] = [tree(p.nodes), this.chosen];
    const set = (t: Tree[], c: Node | null) => () => {
      restore(p.nodes, t);
      this.chosen = c;
      this.redraw();
    };
    this.did({ label, undo: set(was, chosen), redo: set(now, after), bytes: 0 });
    this.redraw();
  }

  /** The list that a layer lies in. */
  private home(n: Node, list = this.picture!.nodes): Node[] | null {
    if (list.includes(n)) return list;
    for (const g of list) {
      const found = g.layers && this.home(n, g.layers);
      if (found) return found;
    }
    return null;
  }

  add() {
    const all: string[] = [];
    const walk = (l: Node[]) => l.forEach((n) => (all.push(n.name), n.layers && walk(n.layers)));
    walk(this.picture!.nodes);
    let n = 1;
    while (all.includes(`Layer ${n}`)) n++;
    const fresh: Node = { name: `Layer ${n}`, opacity: 1, mode: 'svg:src-over', hidden: false, x: 0, y: 0 };
    this.arrange('Add a layer', (list) => {
      const home = (this.chosen && !this.own.includes(this.chosen.name) && this.home(this.chosen)) || list;
      home.splice(Math.max(this.chosen ? home.indexOf(this.chosen) : 0, 0), 0, fresh);
      this.chosen = fresh;
    });
  }

  remove(n: Node) {
    this.arrange(`Delete ${n.name}`, () => {
      const home = this.home(n)!;
      const i = home.indexOf(n);
      home.splice(i, 1);
      if (this.chosen === n) this.chosen = home[Math.min(i, home.length - 1)] ?? null;
    });
  }

  /** Up is −1. */
  step(n: Node, by: number) {
    const home = this.home(n);
    const i = home?.indexOf(n) ?? -1;
    if (!home || i + by < 0 || i + by >= home.length) return;
    this.arrange(`Move ${n.name}`, () => void home.splice(i + by, 0, ...home.splice(i, 1)));
  }

  set(n: Node, values: Partial<Pick<Node, 'name' | 'opacity' | 'mode' | 'hidden'>>, label: string) {
    this.arrange(label, () => void Object.assign(n, values));
  }

  /** Shows a value while it is dragged. */
  preview(n: Node, values: Partial<Pick<Node, 'opacity'>>) {
    const was = n.opacity;
    Object.assign(n, values);
    this.redraw();
    n.opacity = was;
  }
}

interface Tree {
  node: Node;
  values: Pick<Node, 'name' | 'opacity' | 'mode' | 'hidden'>;
  layers?: Tree[];
}

const tree = (list: Node[]): Tree[] =>
  list.map((node) => {
    const { name, opacity, mode, hidden } = node;
    return { node, values: { name, opacity, mode, hidden }, layers: node.layers && tree(node.layers) };
  });

function restore(list: Node[], t: Tree[]) {
  list.splice(
    0,
    list.length,
    ...t.map(({ node, values, layers }) => {
      if (layers && node.layers) restore(node.layers, layers);
      return Object.assign(node, values);
    }),
  );
}
