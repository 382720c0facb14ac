// Lays strokes: which pointer draws, what the brush touches, what it says.
import { target } from '../../lib/target';
import { Painter } from '../painter';
import { Owner } from '../pointers';
import { mirrorOf, twins } from '../twins';
import type { Bench, Claim, Press, Tool } from './tool';

/** What the brush touches: its outline over the view, its size, and how many places share its texels. */
export interface Cursor {
  x: number;
  y: number;
  path: string;
  texels: number;
  mm: number;
  twins: number;
}

export class Strokes implements Tool {
  cursor = $state<Cursor | null>(null);
  /** the sheet that was under the brush last, when it has no UVs */
  bare = $state('');
  readonly painter: Painter;
  private readonly owner: Owner;

  /** @param density sheet edges a metre, by the sheet's number; bareOf the name of one without UVs */
  constructor(
    private readonly b: Bench,
    private readonly density: (sheet: number) => number,
    private readonly bareOf: (sheet: number) => string,
  ) {
    this.painter = new Painter(b.stage, b.session, b.ui);
    this.owner = new Owner(() => this.painter.cancel());
  }

  /** where strokes are repeated while one paints */
  readonly symmetry = $derived.by(() => {
    const { ui, stage } = this.b;
    return ui.painting && ui.tool !== 'fill' && !ui.opposite ? mirrorOf(ui.mirror, stage.bounds) : undefined;
  });

  down(p: Press): Claim {
    const { ui, session } = this.b;
    const erasing = p.e.pointerType === 'pen' && p.e.button === 5;
    if (!ui.painting || !(p.e.button === 0 || erasing) || p.e.altKey) return 'no';
    const verdict = this.owner.down(p.e);
    if (verdict === 'view') return 'turn';
    if (verdict === 'nothing') return 'spent';
    const under = this.b.stage.pick(p.x, p.y);
    this.bare = under ? this.bareOf(under.sheet) : '';
    const why = this.bare ? `“${this.bare}” has no UVs` : this.painter.down(p.e, p.x, p.y);
    if (why) session.message = `A stroke can hit nothing: ${why}.`;
    else if (!this.painter.took) {
      this.owner.up(p.e);
      return 'turn';
    }
    return 'mine';
  }

  move(p: Press) {
    if (this.owner.owns(p.e)) this.painter.move(p.e, p.left, p.top);
  }

  up(p: Press) {
    if (this.owner.up(p.e)) this.painter.up(p.x, p.y);
  }

  lost(p: Press) {
    const what = this.owner.lost(p.e);
    if (what === 'keep') this.painter.up(p.x, p.y);
    if (what === 'drop') this.painter.cancel();
  }

  leave() {
    this.cursor = null;
  }

  key(k: string) {
    return k === 'escape' && this.owner.escape();
  }

  /** The brush grows and weakens while its key is held. */
  resize(e: PointerEvent) {
    const { brush } = this.b.ui;
    const grow = Math.exp(e.movementX / 120);
    if (brush.onScreen) brush.pixels = Math.min(Math.max(brush.pixels * grow, 1), 400);
    else brush.size = Math.min(Math.max(brush.size * grow, 1e-5), brush.largest);
    brush.strength = Math.min(Math.max(brush.strength - e.movementY / 250, 0), 1);
  }

  hover(p: Press) {
    const { ui, session, stage } = this.b;
    if (!ui.painting || (this.owner.active && !this.owner.owns(p.e))) return;
    const h = stage.pick(p.x, p.y);
    if (h) this.bare = this.bareOf(h.sheet);
    const radius = h ? this.painter.radius(h.pos) : ui.brush.size;
    const t = target(session, ui);
    if (h && t.ok && !this.painter.active) session.near(t.layer, h.pos.toArray(), radius);
    const flat = stage.overFlat(p.x);
    let path = !h ? '' : flat ? stage.footprintFlat(h, radius) : stage.footprint(h, radius);
    if (path && h && this.symmetry)
      for (const w of twins(this.symmetry)) {
        const there = { pos: h.pos.clone().applyMatrix4(w), nrm: h.nrm.clone().transformDirection(w) };
        path += flat ? stage.footprintFlat(there, radius) : stage.footprint(there, radius, true);
      }
    const sheet = h && stage.worn.list[h.sheet];
    const size = sheet ? (session.doc?.sheets?.[sheet.name]?.size ?? 0) : 0;
    this.cursor = {
      x: p.x,
      y: p.y,
      path,
      texels: h ? Math.round(radius * 2 * this.density(h.sheet) * size) : 0,
      mm: radius * 2000,
      twins: h ? stage.sharers(h) : 0,
    };
  }
}
