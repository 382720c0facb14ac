// What remains of a press: it shifts the flat sheets, takes a core sample, or turns the view.
import type { Bench, Claim, Press, Tool } from './tool';

/** Shifts the flat sheets. */
export class Pan implements Tool {
  private from: { x: number; y: number } | null = null;

  constructor(private readonly b: Bench) {}

  down(p: Press): Claim {
    const { ui, stage } = this.b;
    const flat = stage.overFlat(p.x);
    if (!ui.painting && !(flat && ui.tool !== 'drill')) return 'no';
    if (!flat) return 'turn';
    this.from = { x: p.x, y: p.y };
    return 'mine';
  }

  move(p: Press) {
    if (!this.from) return;
    this.b.stage.panFlat(p.x - this.from.x, p.y - this.from.y);
    this.from = { x: p.x, y: p.y };
  }

  up() {
    this.from = null;
  }
}

/** Takes a core sample where one clicks. */
export class Drill implements Tool {
  at = $state({ x: 0, y: 0 });

  constructor(private readonly b: Bench) {}

  down(p: Press): Claim {
    const { ui, session, stage } = this.b;
    if (ui.tool !== 'drill' || p.e.button !== 0) return 'no';
    session.drill = null;
    const h = stage.pick(p.x, p.y);
    if (h) {
      this.at = { x: p.x, y: p.y };
      session.sample(h.pos.toArray(), h.nrm.toArray());
    }
    return stage.overFlat(p.x) ? 'spent' : 'turn';
  }
}
