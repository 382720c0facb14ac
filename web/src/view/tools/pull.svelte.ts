// Pulls what is drawn over the model: the conditions while they are open, else the places of
// the open step.
import { conditionsOf, conditionsOp } from '../../lib/conditions';
import type { Op } from '../../lib/session.svelte';
import { findStep, title } from '../../lib/stack';
import { setDecal, tallOf } from '../../lib/decals.svelte';
import { anew, setOp } from '../../lib/strokes';
import { conditionGrips, decalOnSheet, decalShown, frameOf, reachOf, stepGrips } from '../grips';
import { Handles, type Shown } from '../handles';
import { Struck } from '../struck';
import type { Line } from './line.svelte';
import type { Bench, Claim, Press, Tool } from './tool';

/** What can be pulled: how it shows with other values, and the operation that sets them. */
interface Pullable {
  /** on the sheets laid flat */
  flat?: boolean;
  show(over: Record<string, unknown>): Shown;
  op(over: Record<string, unknown>, label: string): Op;
  /** called with what was kept of a pull */
  kept?(op: Op): void;
}

export class Pull implements Tool {
  /** the grip under the pointer, in pixels */
  near = $state<{ x: number; y: number; label: string } | null>(null);
  /** over the model, and over the sheets laid flat */
  private solid: Handles | null = null;
  private sheets: Handles | null = null;
  private struck: Struck | null = null;
  private pulled = -1;
  private change: Record<string, unknown> | null = null;

  constructor(
    private readonly b: Bench,
    private readonly line: Line,
  ) {}

  readonly pullable: Pullable | null = $derived.by(() => {
    const { ui, session, stage } = this.b;
    if (ui.station !== 'Layer' || ui.painting) return null;
    const flat = ui.mode === 'flat';
    if (ui.conditions && !flat) {
      const facts = conditionsOf(session);
      return {
        show: (over) => conditionGrips({ ...facts, ...over }, stage.bounds),
        op: (over, label) => conditionsOp(session, over, `Pull ${label}`),
      };
    }
    const { stroke } = ui;
    if (ui.tool === 'line') {
      if (!stroke || flat) return null;
      return {
        show: (over) => this.line.handles(over),
        op: (over) => setOp(stroke, anew(stroke, over), 'pull stroke'),
        kept: (op) => (ui.stroke = { ...stroke, stroke: (op as { value: typeof stroke.stroke }).value }),
      };
    }
    const layer = session.layer(ui.selected);
    const decal = layer?.decals?.find((d) => d!.id === ui.decal);
    if (layer && decal && !decal.locked && !ui.step)
      return {
        flat,
        show: (over) => {
          const d = { ...decal, ...over };
          const tall = tallOf(session.id, d);
          if (!flat) return decalShown(d, tall, ui.extent * 0.03, stage.bounds, ui.corners);
          const { at, right, up, out } = frameOf(d);
          const laid = stage.flat.laid(at, out, right, up);
          return laid
            ? decalOnSheet(d, tall, stage.flatSpace.size() * 0.03, laid, ui.corners)
            : { grips: [], traces: [], blobs: [] };
        },
        op: (over, label) => setDecal(layer, { ...decal, ...over }, `${label} ${decal.name}`),
      };
    if (flat) return null;
    const step = ui.step ? findStep(layer, ui.step) : undefined;
    const kind = step && session.about.steps!.find((k) => k.kind === step.kind);
    if (!layer || !step || !kind) return null;
    return {
      show: (over) => stepGrips(kind, step, over, stage.bounds),
      op: (over, label) => {
        const [[name, value]] = Object.entries(over);
        const text = `Pull ${label} of ${title(session.about.steps!, step)}`;
        return { kind: 'step.set', target: layer.id, step: step.id, path: `params.${name}`, value, label: text };
      },
    };
  });

  /** the chosen decal, when it is cast flat: what turns away from it gets nothing */
  private readonly cast = $derived.by(() => {
    const { ui, session } = this.b;
    if (!this.pullable || ui.conditions) return null;
    const d = session.layer(ui.selected)?.decals?.find((d) => d!.id === ui.decal);
    return d && !d.wrapped && !ui.step ? d : null;
  });

  private strike() {
    const d = this.cast;
    if (!d && !this.struck) return;
    this.struck ??= new Struck(this.b.stage);
    if (!d) return this.struck.show(null);
    const { at, right, up, out } = frameOf(d);
    const lying = { at: at.toArray(), right: right.toArray(), up: up.toArray(), out: out.toArray() };
    const [x, y] = reachOf(d.corners ?? []);
    const tall = tallOf(this.b.session.id, d) * y;
    this.struck.show({ ...lying, wide: d.wide * x, tall, depth: d.depth, facing: d.facing });
  }

  /** Shows what can be pulled, or else what is given, or nothing. */
  show(other: Shown | null) {
    const { pullable } = this;
    const { stage } = this.b;
    this.strike();
    if (!pullable && !other && !this.solid && !this.sheets) return;
    stage.gripsOnScreen = () => this.handles?.onScreen() ?? [];
    if (this.pulled >= 0) return;
    const shown = pullable ? pullable.show({}) : other;
    if (pullable?.flat) this.sheets ??= new Handles(stage, stage.flatSpace);
    else this.solid ??= new Handles(stage, stage.space);
    for (const h of [this.solid, this.sheets])
      if (h === this.handles && shown) h?.show(shown);
      else h?.clear();
  }

  private get handles(): Handles | null {
    return this.pullable?.flat ? this.sheets : this.solid;
  }

  private say(grip: number) {
    const g = grip >= 0 ? this.handles!.grip(grip) : undefined;
    if (!g) return void (this.near = null);
    const q = this.handles!.onScreen()[grip];
    this.near = { x: q.x, y: q.y, label: g.label };
  }

  down(p: Press): Claim {
    if (!this.pullable || p.e.button !== 0 || this.b.ui.taking) return 'no';
    const grip = this.handles?.hit(p.x, p.y) ?? -1;
    if (grip < 0) return 'no';
    this.pulled = grip;
    return 'mine';
  }

  move(p: Press) {
    const { pullable, handles } = this;
    if (this.pulled < 0 || !pullable || !handles) return;
    const grip = handles.grip(this.pulled)!;
    const to = handles.drag(this.pulled, p.x, p.y, p.e.ctrlKey || p.e.metaKey);
    this.change = grip.change(to, handles.facing, p.e.ctrlKey || p.e.metaKey);
    this.b.session.preview(pullable.op(this.change, grip.label));
    handles.show(pullable.show(this.change));
    this.say(this.pulled);
  }

  hover(p: Press) {
    if (this.pulled >= 0) return;
    this.say(this.pullable && !p.e.buttons ? (this.handles?.hit(p.x, p.y) ?? -1) : -1);
  }

  up() {
    const { change, pullable } = this;
    if (this.pulled >= 0 && change && pullable) {
      const op = pullable.op(change, this.handles!.grip(this.pulled)!.label);
      this.b.session.op(op);
      this.pulled = -1;
      pullable.kept?.(op);
    }
    this.pulled = -1;
    this.change = this.near = null;
  }
}
