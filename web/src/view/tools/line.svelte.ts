// Lines: a click on a stroke takes it up again, elsewhere places are clicked that a line goes through.
import { Vector3 } from 'three';
import { joinStroke } from '../../lib/strokes';
import { target } from '../../lib/target';
import { closed, knots, pulled, through, type Onto, type Spot, type Three } from '../../lib/taken';
import type { Shown } from '../handles';
import { onto } from '../onto';
import { main, type Bench, type Claim, type Press, type Tool } from './tool';

const PLUM = 0xc28ab2;
const LIVE = 0x63b8a2;
const WHITE = 0xf2f2f2;
const v3 = (a: Three | number[]) => new Vector3(a[0], a[1], a[2]);

export class Line implements Tool {
  /** what was clicked so far */
  spots = $state.raw<Spot[]>([]);
  /** where the pointer is over the surface meanwhile */
  private over = $state.raw<Spot | null>(null);
  private wanted = '';
  private seen = 0;
  private clicked = { x: 0, y: 0, at: 0 };

  /** @param lay lays a stroke of the brush in hand along six numbers a point; its id, or why it cannot */
  constructor(
    private readonly b: Bench,
    private readonly lay: (rail: number[]) => { id: string; why: string },
  ) {}

  get onto(): Onto {
    return onto(this.b.stage.surface);
  }

  private get on() {
    const { ui } = this.b;
    return ui.tool === 'line' && ui.station === 'Layer' && ui.mode !== 'flat';
  }

  down(p: Press): Claim {
    const { ui, session, stage } = this.b;
    if (!this.on || !main(p) || ui.taking) return 'no';
    const h = stage.pick(p.x, p.y);
    if (!h) return 'turn';
    const t = target(session, ui);
    if (!t.ok) {
      session.message = `A line can hit nothing: ${t.text}.`;
      return 'spent';
    }
    const spot: Spot = { pos: h.pos.toArray(), nrm: h.nrm.toArray() };
    if (this.spots.length) {
      const first = stage.project(v3(this.spots[0].pos));
      const again =
        performance.now() - this.clicked.at < 400 && Math.hypot(p.x - this.clicked.x, p.y - this.clicked.y) < 5;
      if (this.spots.length > 2 && Math.hypot(first.x - p.x, first.y - p.y) < 10) this.finish(true);
      else if (again) this.finish();
      else this.spots = [...this.spots, spot];
    } else if (p.e.shiftKey) this.spots = [spot];
    else {
      const slack = stage.pixel(h.pos) * 4;
      void session.takeUp({ layer: t.layer, step: t.step ?? '', ...spot, slack }).then((found) => {
        if (ui.tool !== 'line') return;
        if (ui.joining && ui.stroke) {
          ui.joining = false;
          if (found) joinStroke(session, ui, found);
          else session.message = 'There is no stroke at that place to join it with.';
        } else if (found) ui.stroke = found;
        else if (ui.stroke) ui.stroke = null;
        else this.spots = [spot];
      });
    }
    this.clicked = { x: p.x, y: p.y, at: performance.now() };
    return 'spent';
  }

  hover(p: Press) {
    if (!this.spots.length || !this.on) return;
    const h = this.b.stage.pick(p.x, p.y);
    this.over = h && { pos: h.pos.toArray(), nrm: h.nrm.toArray() };
  }

  key(k: string): boolean {
    const { ui } = this.b;
    if (!this.on) return false;
    if (this.spots.length) {
      if (k === 'enter') this.finish();
      else if (k === 'escape') this.spots = [];
      else if (k === 'backspace') this.spots = this.spots.slice(0, -1);
      else return false;
      return true;
    }
    if (k !== 'escape' || !ui.stroke) return false;
    if (ui.joining) ui.joining = false;
    else ui.stroke = null;
    return true;
  }

  private rail(spots: Spot[], ring = false) {
    const { ui, stage } = this.b;
    const step = Math.max(ui.brush.onScreen ? stage.pixel(v3(spots[0].pos)) * 4 : ui.brush.size / 2, ui.extent / 2000);
    return through(spots, step, this.onto, ring, ui.straight);
  }

  /** Lays the line that was clicked, and has it in the hand. */
  finish(ring = false) {
    const { spots } = this;
    this.spots = [];
    this.over = null;
    if (spots.length < 2) return;
    const { id, why } = this.lay(this.rail(spots, ring));
    if (why) this.b.session.message = `A line can hit nothing: ${why}.`;
    this.wanted = id;
  }

  /** Keeps the stroke in the hand as the document has it. */
  follow() {
    const { ui, session } = this.b;
    const { changes, unkept } = session;
    const t = target(session, ui);
    if (ui.tool !== 'line' || ui.station !== 'Layer') {
      this.spots = [];
      ui.stroke = null;
      ui.joining = false;
      return;
    }
    const had = ui.stroke;
    if (had && (had.layer !== t.layer || had.step !== (t.step ?? ''))) return void (ui.stroke = null);
    if (unkept || !t.ok || (!this.wanted && (!had || this.seen === changes))) return;
    this.seen = changes;
    const stroke = this.wanted || had!.stroke.id;
    const root = this.wanted ? '' : had!.stroke.seed;
    this.wanted = '';
    const ask = (id: string) => session.takeUp({ layer: t.layer, step: t.step ?? '', stroke: id });
    void ask(stroke).then(async (found) => {
      found ??= root ? await ask(root) : null; // it was taken back: what it was drawn anew from
      if (ui.tool === 'line' && ui.stroke === had) ui.stroke = found;
    });
  }

  /** What is clicked so far, as it would be laid. */
  shown(): Shown | null {
    if (!this.spots.length) return null;
    const spots = this.over ? [...this.spots, this.over] : this.spots;
    const rail = this.rail(spots);
    const points = Array.from({ length: rail.length / 6 }, (_, i) => new Vector3().fromArray(rail, 6 * i));
    return {
      grips: this.spots.map((s, i) => ({
        label: i ? `Place ${i + 1}` : 'A click closes the line here',
        at: v3(s.pos),
        color: i ? WHITE : LIVE,
        small: true,
        change: () => ({}),
      })),
      traces: points.length > 1 ? [{ points, color: LIVE, before: true }] : [],
      blobs: [],
    };
  }

  /** The stroke in the hand, with what it is pulled by. */
  handles(over: Record<string, unknown>): Shown {
    const s = this.b.ui.stroke!.stroke;
    const points = (over.points ?? s.points ?? []) as number[];
    const own = s.points ?? [];
    const list = knots(own, Math.max(s.radius / 3, this.b.ui.extent / 300), 12);
    const ring = closed(own, s.radius);
    const line = Array.from({ length: points.length / 7 }, (_, i) => new Vector3().fromArray(points, 7 * i));
    const grips = (ring ? list.slice(0, -1) : list).map((at, k) => ({
      label: ring || (k && k < list.length - 1) ? 'Pull the line' : k ? 'Pull its end' : 'Pull its beginning',
      at: line[at],
      color: k ? WHITE : PLUM,
      small: true,
      surface: true,
      change: (to: Vector3, nrm?: Vector3) => ({
        points: pulled(own, list, k, to.toArray(), nrm?.toArray(), this.onto, ring),
      }),
    }));
    return { grips, traces: line.length > 1 ? [{ points: line, color: PLUM, before: true }] : [], blobs: [] };
  }
}
