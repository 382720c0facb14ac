// The stencil in the hand: while its key is held a drag moves it over the view, or turns it about
// its middle.
import { moved, setSlide, slideOf } from '../../lib/slides';
import { Vector3 } from 'three';
import type { UI } from '../../lib/ui.svelte';
import { layAt, type Laid } from '../laid';
import type { Bench, Claim, Press, Tool } from './tool';

export class StencilHand implements Tool {
  private from: { x: number; y: number } | null = null;
  private turning = 0;

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
    if (s.laid) return this.slip(p, s, s.laid);
    const { aspect, height } = stage.lens();
    if (p.e.shiftKey) {
      const [cx, cy] = stage.onCanvas(s.at[0] / aspect, s.at[1]);
      const angle = (q: { x: number; y: number }) => Math.atan2(cy - q.y, q.x - cx);
      const turn = s.turn + ((angle(p) - angle(this.from)) * 180) / Math.PI;
      this.set({ ...s, turn: ((((turn + 180) % 360) + 360) % 360) - 180 });
    } else {
      const k = 2 / height;
      this.set({ ...s, at: [s.at[0] + (p.x - this.from.x) * k, s.at[1] - (p.y - this.from.y) * k] });
    }
    this.from = { x: p.x, y: p.y };
  }

  /** Moves what lies on the surface over it with the pointer, or turns it about its middle. */
  private slip(p: Press, s: NonNullable<UI['stencil']>, laid: Laid) {
    const { stage } = this.b;
    if (p.e.shiftKey) {
      const mid = stage.overFlat(p.x) ? { x: this.from!.x - 60, y: p.y } : stage.project(new Vector3(...laid.at));
      const angle = (q: { x: number; y: number }) => Math.atan2(mid.y - q.y, q.x - mid.x);
      const turn = s.turn + ((angle(p) - angle(this.from!)) * 180) / Math.PI;
      this.set({ ...s, turn: ((((turn + 180) % 360) + 360) % 360) - 180 });
    } else {
      const [was, now] = [stage.pick(this.from!.x, this.from!.y), stage.pick(p.x, p.y)];
      if (!was || !now) return;
      const at = new Vector3(...laid.at).add(now.pos).sub(was.pos);
      this.set({ ...s, laid: layAt(at, now.nrm, new Vector3(...laid.up), laid.half) });
    }
    this.from = { x: p.x, y: p.y };
  }

  /** Gives the stencil another place; what was painted through it, if it is a slide, is shown there. */
  private set(to: NonNullable<UI['stencil']>) {
    const { ui, session } = this.b;
    ui.stencil = to;
    const slide = this.slide();
    if (slide) session.preview(setSlide(ui.selected, moved(slide, ui)));
  }

  private slide = () => slideOf(this.b.session.layer(this.b.ui.selected), this.b.ui);

  private keep() {
    const slide = this.slide();
    if (slide) this.b.session.op(setSlide(this.b.ui.selected, moved(slide, this.b.ui), `Move ${slide.name}`));
  }

  up() {
    if (this.from) this.keep();
    this.from = null;
  }

  /** Sizes it, by what the wheel turns. */
  size(by: number) {
    const s = this.b.ui.stencil;
    if (!s) return;
    this.set({ ...s, wide: Math.min(Math.max(s.wide * Math.exp(-by * 0.001), 0.02), 50) });
    clearTimeout(this.turning);
    this.turning = window.setTimeout(() => this.keep(), 400); // one entry for all that the wheel turns
  }
}
