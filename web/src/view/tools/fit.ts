// Fits the picture of the slide in the hand: a drag pushes its pixels, lets them back, pins them,
// or bends it by the points of a coarse grid.
import { slideOf } from '../../lib/slides';
import { Warp, type Does, type Going, type Place } from '../../lib/warp';
import type { Op } from '../../lib/session.svelte';
import type { Bench, Claim, Press, Tool } from './tool';

/** points of the coarse grid along each edge, and how far each bends, in shares of the width */
export const GRID = 5;
const BENDS = 0.34;
/** how near in pixels a point is taken */
const NEAR = 16;

export class FitHand implements Tool {
  private path: number[] = [];
  private field: Warp | null = null;
  private going: Going = { does: 'push', radius: 0.1, strength: 1 };
  private told = 0;

  constructor(private readonly b: Bench) {}

  private slide = () => slideOf(this.b.session.layer(this.b.ui.selected), this.b.ui);

  /** A place on the canvas in the picture: shares of its width and height from its upper left. */
  private place(p: { x: number; y: number }): Place {
    const s = this.b.ui.stencil!;
    const { aspect } = this.b.stage.lens();
    const [a, y] = this.b.stage.inPicture(p.x, p.y);
    const [x0, y0] = [a * aspect - s.at[0], y - s.at[1]];
    const t = (s.turn * Math.PI) / 180;
    const [x1, y1] = [Math.cos(t) * x0 + Math.sin(t) * y0, Math.cos(t) * y0 - Math.sin(t) * x0];
    return [x1 / s.wide + 0.5, 0.5 - (y1 / s.wide) * s.form];
  }

  down(p: Press): Claim {
    const { ui } = this.b;
    const slide = this.slide();
    if (!ui.fit || !ui.painting || !ui.stencil || !slide || p.e.button !== 0 || p.e.altKey) return 'no';
    if (ui.stencil.tiled) return 'spent';
    const warp = new Warp(slide.stencil.warp);
    let at = this.place(p);
    this.going = { does: ui.fit === 'grid' ? 'push' : ui.fit, radius: ui.fitSize, strength: ui.fitStrength };
    if (ui.fit === 'grid') {
      const on = this.taken(warp, at);
      if (!on) return 'spent';
      this.going = { does: 'push', radius: BENDS, strength: 1 };
      at = on;
    }
    this.field = warp;
    this.path = [...at];
    warp.go(this.going, ui.stencil.form, null, at);
    this.show();
    return 'mine';
  }

  /** Where the point of the grid is seen that is near a place. */
  private taken(warp: Warp, at: Place): Place | null {
    const s = this.b.ui.stencil!;
    const reach = (NEAR * 2) / this.b.stage.lens().height / s.wide;
    let best: Place | null = null;
    let least = reach;
    for (let k = 0; k < GRID * GRID; k++) {
      const on = warp.seen((k % GRID) / (GRID - 1), Math.floor(k / GRID) / (GRID - 1));
      const d = Math.hypot(on[0] - at[0], (on[1] - at[1]) / s.form);
      if (d < least) [best, least] = [on, d];
    }
    return best;
  }

  move(p: Press) {
    const { ui } = this.b;
    if (!this.field || !ui.stencil) return;
    const n = this.path.length;
    const from: Place = [this.path[n - 2], this.path[n - 1]];
    const to = this.place(p);
    if (Math.hypot(to[0] - from[0], to[1] - from[1]) < 1e-4 || n >= 8000) return;
    this.field.go(this.going, ui.stencil.form, from, to);
    this.path.push(...to);
    this.show();
  }

  hover(p: Press) {
    const { ui } = this.b;
    if (ui.fit) ui.fitAt = { x: p.x, y: p.y };
  }

  leave() {
    this.b.ui.fitAt = null;
  }

  private op = (does: Does): Op => ({
    kind: 'slide.warp',
    target: this.b.ui.selected,
    slide: this.b.ui.slide,
    value: {
      does,
      path: this.path.map((v) => Math.round(v * 1e5) / 1e5),
      radius: this.going.radius,
      strength: this.going.strength,
    },
  });

  /** Shows what the picture is now; the server is told once a frame. */
  private show() {
    this.b.ui.fitted = this.field!.copy();
    if (this.told) return;
    this.told = requestAnimationFrame(() => {
      this.told = 0;
      if (this.field) this.b.session.preview(this.op(this.going.does));
    });
  }

  up() {
    if (!this.field) return;
    this.field = null;
    if (this.path.length > 2 || this.going.does !== 'push') this.keep();
    else this.drop();
  }

  /** What the server does not take is not shown either. */
  private keep() {
    const { session, ui } = this.b;
    session.change({ t: 'op', op: this.op(this.going.does) }, undefined, (why) => {
      ui.fitted = null;
      session.message = why;
    });
  }

  private drop() {
    this.field = null;
    this.b.ui.fitted = null;
    this.b.session.preview(null);
  }

  key(k: string): boolean {
    if (k !== 'escape') return false;
    if (this.field) this.drop();
    else if (this.b.ui.fit) this.b.ui.fit = '';
    else return false;
    return true;
  }
}
