// The lasso: an outline over a view that strokes stay in, a corner a click, or a line while it
// is dragged.
import { strokes, type Tool as Name } from '../../lib/ui.svelte';
import { main, type Bench, type Claim, type Press, type Tool } from './tool';

/** no more corners than a screen can tell apart */
const CORNERS = 160;

export class Lasso implements Tool {
  /** corners of the one that is being drawn, in pixels */
  drawn = $state.raw<[number, number][]>([]);
  /** the one that strokes stay in, as it lies over the view now; empty when the view is another */
  path = $state('');
  private dragged = false;
  private before: Name = 'brush';

  constructor(private readonly b: Bench) {}

  /** Notes which tool is in the hand: after the lasso it is that again. */
  follow() {
    const { tool } = this.b.ui;
    if (tool === 'lasso') return;
    this.before = tool;
    this.drawn = [];
  }

  private close() {
    const { stage, ui } = this.b;
    const { drawn } = this;
    if (drawn.length >= 3) {
      const every = Math.ceil(drawn.length / CORNERS);
      const onFlat = stage.overFlat(drawn[0][0]);
      const { view, aspect, flat } = stage.lens(onFlat);
      const outline = drawn.filter((_, i) => i % every === 0).map(([x, y]) => stage.inPicture(x, y, onFlat));
      ui.lasso = { view, aspect, outline, flat };
      ui.tool = strokes.includes(this.before) ? this.before : 'brush';
    }
    this.drawn = [];
    this.dragged = false;
  }

  /** Finds anew where the outline lies over the view. */
  see() {
    const { stage, ui } = this.b;
    const l = ui.lasso;
    if (!l) return void (this.path = '');
    const { view, aspect } = stage.lens(!!l.flat);
    const same =
      Math.abs(aspect - l.aspect) < 1e-3 && view.every((v, i) => Math.abs(v - l.view[i]) < 1e-4 * (1 + Math.abs(v)));
    const shown = stage.mode === 'both' || (stage.mode === 'flat') === !!l.flat;
    const corner = ([x, y]: number[], i: number) => `${i ? 'L' : 'M'}${stage.onCanvas(x, y, !!l.flat).join(' ')}`;
    this.path = same && shown ? l.outline.map(corner).join('') + 'Z' : '';
  }

  down(p: Press): Claim {
    const { ui, stage } = this.b;
    if (ui.tool !== 'lasso' || ui.station !== 'Layer' || !main(p)) return 'no';
    const [first] = this.drawn;
    if (first && stage.overFlat(p.x) !== stage.overFlat(first[0])) return 'spent'; // an outline lies in one of the two pictures
    if (first && this.drawn.length > 2 && Math.hypot(first[0] - p.x, first[1] - p.y) < 10) {
      this.close();
      return 'spent';
    }
    this.drawn = [...this.drawn, [p.x, p.y]];
    this.dragged = true;
    return 'mine';
  }

  move(p: Press) {
    if (!this.dragged) return;
    const last = this.drawn[this.drawn.length - 1];
    if (this.b.stage.overFlat(p.x) !== this.b.stage.overFlat(last[0])) return;
    if (Math.hypot(last[0] - p.x, last[1] - p.y) > 4) this.drawn = [...this.drawn, [p.x, p.y]];
  }

  up() {
    if (!this.dragged) return;
    this.dragged = false;
    // a line that was dragged closes by itself; single clicks go on
    if (this.drawn.length > 8) this.close();
  }

  key(k: string) {
    if (this.b.ui.tool !== 'lasso') return false;
    if (k === 'enter') this.close();
    if (k === 'escape') this.drawn = [];
    return false; // Escape may mean something to others, too
  }
}
