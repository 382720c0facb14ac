// The stencil in the hand: while its key is held a drag moves it over the view, or turns it about
// its middle.
import type { Bench, Claim, Press, Tool } from './tool';

export class StencilHand implements Tool {
  private from: { x: number; y: number } | null = null;

  constructor(
    private readonly b: Bench,
    private readonly held: () => boolean,
  ) {}

  down(p: Press): Claim {
    if (!this.held() || !this.b.ui.stencil || p.e.button !== 0) return 'no';
    this.from = { x: p.x, y: p.y };
    return 'mine';
  }

  move(p: Press) {
    const { ui, stage } = this.b;
    const s = ui.stencil;
    if (!this.from || !s) return;
    const { aspect, height } = stage.lens();
    if (p.e.shiftKey) {
      const [cx, cy] = stage.onCanvas(s.at[0] / aspect, s.at[1]);
      const angle = (q: { x: number; y: number }) => Math.atan2(cy - q.y, q.x - cx);
      const turn = s.turn + ((angle(p) - angle(this.from)) * 180) / Math.PI;
      ui.stencil = { ...s, turn: ((((turn + 180) % 360) + 360) % 360) - 180 };
    } else {
      const k = 2 / height;
      ui.stencil = { ...s, at: [s.at[0] + (p.x - this.from.x) * k, s.at[1] - (p.y - this.from.y) * k] };
    }
    this.from = { x: p.x, y: p.y };
  }

  up() {
    this.from = null;
  }

  /** Sizes it, by what the wheel turns. */
  size(by: number) {
    const s = this.b.ui.stencil;
    if (s) this.b.ui.stencil = { ...s, wide: Math.min(Math.max(s.wide * Math.exp(-by * 0.001), 0.02), 50) };
  }
}
