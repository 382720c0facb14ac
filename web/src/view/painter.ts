// Pointer events to strokes: samples are found on the surface and sent as they come.
import type { Session } from '../lib/session.svelte';
import { newID } from '../lib/session.svelte';
import { target, type UI } from '../lib/ui.svelte';
import type { Hit, Stage } from './stage';

const EACH = 2000; // samples after which a long stroke goes on as a new one

export class Painter {
  private drawing = '';
  private count = 0;
  private last: { x: number; y: number; pressure: number; hit: Hit } | null = null;
  private queue: number[] = [];
  private timer = 0;

  constructor(
    private readonly stage: Stage,
    private readonly session: Session,
    private readonly ui: UI,
  ) {}

  get active() {
    return this.drawing !== '';
  }

  /** Begins a stroke; returns why it cannot, or ''. */
  down(e: PointerEvent, x: number, y: number): string {
    const t = target(this.session, this.ui);
    if (!t.ok) return t.text;
    const hit = this.stage.pick(x, y);
    if (!hit) return '';
    this.begin();
    this.sample(hit, pressure(e), x, y);
    this.flush();
    return '';
  }

  move(e: PointerEvent, left: number, top: number) {
    if (!this.drawing) return;
    this.stage.hurry();
    const events = e.getCoalescedEvents?.() ?? [];
    for (const c of events.length ? events : [e]) this.to(c.clientX - left, c.clientY - top, pressure(c));
    this.timer ||= window.setTimeout(() => this.flush(), 12);
  }

  up() {
    if (!this.drawing) return;
    this.flush();
    this.session.send({ t: 'stroke.end', id: 2 });
    this.drawing = '';
    this.last = null;
  }

  private begin() {
    const t = target(this.session, this.ui);
    const b = this.ui.brush;
    const values: Record<string, number[]> = {};
    for (const c of t.channels) {
      if (c === 'mask') values.mask = [b.mask];
      else if (c === 'baseColor') values[c] = [...b.color];
      else if (c === 'emissive') values[c] = [...b.emissive];
      else if (c === 'normal') values[c] = [0, 0, 1];
      else if (this.session.channels.find((x) => x.channel === c)?.components === 3) values[c] = [...b.color];
      else values[c] = [b.values[c] ?? 0];
    }
    this.drawing = newID();
    this.count = 0;
    this.session.settled = false;
    this.session.send({
      t: 'stroke.begin',
      layer: t.layer,
      step: t.step,
      stroke: {
        id: this.drawing,
        radius: b.size,
        strength: b.strength,
        hardness: b.hardness,
        erase: this.ui.tool === 'erase',
        penSize: b.penSize,
        penFlow: b.penFlow,
        values,
        points: [],
      },
    });
  }

  /** Follows the hand; long gaps are filled with samples found on the surface. */
  private to(x: number, y: number, p: number) {
    const from = this.last;
    if (!from) {
      const hit = this.stage.pick(x, y);
      if (hit) this.sample(hit, p, x, y);
      return;
    }
    const step = Math.max((this.ui.brush.size * 0.5) / this.stage.pixel(from.hit.pos), 2);
    const n = Math.max(1, Math.ceil(Math.hypot(x - from.x, y - from.y) / step));
    for (let i = 1; i <= n; i++) {
      const [px, py] = [from.x + ((x - from.x) * i) / n, from.y + ((y - from.y) * i) / n];
      const hit = this.stage.pick(px, py);
      if (!hit || (this.last && hit.pos.distanceTo(this.last.hit.pos) > this.ui.brush.size * 6)) {
        // left the surface or jumped to something behind it: the stroke must not bridge the gap
        if (this.last) this.split();
        if (!hit) continue;
      }
      this.sample(hit, from.pressure + ((p - from.pressure) * i) / n, px, py);
    }
  }

  private split() {
    this.flush();
    this.session.send({ t: 'stroke.end', id: 2 });
    this.last = null;
    this.begin();
  }

  private sample(h: Hit, p: number, x: number, y: number) {
    if (this.count >= EACH) this.split();
    this.count++;
    this.queue.push(h.pos.x, h.pos.y, h.pos.z, h.nrm.x, h.nrm.y, h.nrm.z, p);
    this.last = { x, y, pressure: p, hit: h };
  }

  private flush() {
    this.timer = 0;
    if (!this.queue.length) return;
    this.session.send({ t: 'stroke.add', points: this.queue });
    this.queue = [];
  }
}

/** A mouse has no pressure: it paints in full. */
function pressure(e: PointerEvent): number {
  return e.pointerType === 'pen' ? e.pressure : 1;
}
