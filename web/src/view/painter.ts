// Pointer events to strokes: samples are found on the surface and sent as they come.
import { Quaternion, Vector3, type Matrix4 } from 'three';
import { slideOf } from '../lib/slides';
import type { Said, Session } from '../lib/session.svelte';
import { newID } from '../lib/session.svelte';
import { target, type Target } from '../lib/target';
import type { UI } from '../lib/ui.svelte';
import type { InkLook } from './ink';
import type { Hit, Stage } from './stage';
import { otherEnd } from './pointers';
import { viewOf } from './laid';
import { mirrorOf, twins } from './twins';

const EACH = 2000; // samples after which a long stroke goes on as a new one
const REST = 45; // milliseconds after which a resting pen lays another dab

interface Place {
  x: number;
  y: number;
  pressure: number;
  tilt: number;
  lean: number;
  twist: number;
}

type Last = Place & { hit: Hit };

/** What a stroke is stored as: numbers for each sample, and how the pen is held. */
interface Samples {
  points: number[];
  tilt: number[];
  lean: number[];
  twist: number[];
}

export class Painter {
  private drawing = '';
  /** under which the session has the stroke */
  private stroke = 0;
  private count = 0;
  private last: Last | null = null;
  private filling: Last | null = null;
  private queue: Samples = { points: [], tilt: [], lean: [], twist: [] };
  private timer = 0;
  private resting = 0;
  /** where the hand was, and the middle between its last two places: curves go from
   * middle to middle, so that a fast stroke has no corners */
  private hand: Place | null = null;
  private middle: Place | null = null;
  private steadied: Place | null = null;
  /** the last press of the pointer hit the surface, whether its stroke goes on or has ended */
  took = false;
  /** where the stroke's twins go */
  private others: Matrix4[] = [];
  /** the pen is turned over: it erases */
  private turned = false;
  /** where the last stroke ended: a straight line begins there */
  private end: Hit | null = null;

  constructor(
    private readonly stage: Stage,
    private readonly session: Session,
    private readonly ui: UI,
  ) {}

  get active() {
    return this.drawing !== '';
  }

  /** The radius of a dab at a place, in metres. */
  radius(at: Vector3): number {
    const b = this.ui.brush;
    return b.onScreen ? b.pixels * this.stage.pixel(at) : b.size;
  }

  /** Begins a stroke; returns why it cannot, or ''. */
  down(e: PointerEvent, x: number, y: number): string {
    const t = target(this.session, this.ui);
    this.took = false;
    if (!t.ok) return t.text;
    const hit = this.stage.pick(x, y);
    if (!hit) return '';
    this.took = true;
    this.turned = otherEnd(e);
    const place = { x, y, ...held(e) };
    if (this.ui.tool === 'fill') {
      this.filling = { ...place, hit };
      return '';
    }
    if (e.shiftKey && this.end) {
      this.straight(this.end, hit, place);
      return '';
    }
    this.begin(hit);
    this.sample(hit, place);
    this.flush();
    this.hand = this.middle = this.steadied = place;
    if (this.ui.brush.kit?.build) this.resting = window.setInterval(() => this.rest(), REST);
    return '';
  }

  move(e: PointerEvent, left: number, top: number) {
    if (!this.drawing) return;
    this.stage.hurry();
    const events = e.getCoalescedEvents?.() ?? [];
    for (const c of events.length ? events : [e]) this.follow({ x: c.clientX - left, y: c.clientY - top, ...held(c) });
    const next = this.ui.brush.steady ? undefined : e.getPredictedEvents?.()[0];
    this.lead(next ? { ...this.hand!, x: next.clientX - left, y: next.clientY - top } : this.hand!);
    this.timer ||= window.setTimeout(() => this.flush(), 12);
  }

  up(x: number, y: number) {
    if (this.filling) this.fill(this.filling, x, y);
    this.filling = null;
    if (!this.drawing) return;
    window.clearInterval(this.resting);
    // the curve ends where the hand does
    const { hand, last } = this;
    if (hand && (!last || Math.hypot(hand.x - last.x, hand.y - last.y) > 0.5)) this.to(hand);
    this.stage.worn.ink.lead();
    this.flush();
    this.session.endStroke(this.stroke);
    this.end = this.last?.hit ?? this.end;
    this.drawing = '';
    this.last = this.hand = this.middle = this.steadied = null;
  }

  /** Drops what is being drawn. */
  cancel() {
    this.filling = null;
    if (!this.drawing) return;
    window.clearInterval(this.resting);
    window.clearTimeout(this.timer);
    this.timer = 0;
    this.queue = { points: [], tilt: [], lean: [], twist: [] };
    this.session.cancelStroke(this.stroke);
    this.stage.worn.ink.cancel();
    this.drawing = '';
    this.last = this.hand = this.middle = this.steadied = null;
  }

  /** Fills what lies around the place where the pointer was pressed; dragged further, it
   * fades from there to where it is let go. */
  private fill(from: Last, x: number, y: number) {
    const to = Math.hypot(x - from.x, y - from.y) > 6 ? this.stage.pick(x, y) : null;
    const along = this.ui.brush.around || undefined;
    const ramp = to ? { ramp: true, along, From: row(from.hit.pos), To: row(to.pos) } : {};
    this.begin(from.hit, 0, ramp);
    this.sample(from.hit, { ...from, pressure: 1 });
    this.flush();
    this.session.endStroke(this.stroke);
    this.drawing = '';
    this.last = null;
  }

  /** A straight line from where the last stroke ended, over the surface in between. */
  private straight(from: Hit, to: Hit, end: Place) {
    const a = this.stage.project(from.pos);
    const flat = this.stage.overFlat(end.x);
    const n = Math.max(2, Math.ceil(Math.hypot(end.x - a.x, end.y - a.y) / 3));
    const hits: Hit[] = [from];
    for (let i = 1; i < n && !flat; i++) {
      const h = this.stage.pick(a.x + ((end.x - a.x) * i) / n, a.y + ((end.y - a.y) * i) / n);
      if (h) hits.push(h);
    }
    hits.push(to);
    this.lay(hits, end);
  }

  /** A whole stroke through places on the surface; stamps that are counted are set evenly
   * from end to end, or round a closed line. */
  private lay(hits: Hit[], pen: Place): string {
    let length = 0;
    for (let i = 1; i < hits.length; i++) length += hits[i].pos.distanceTo(hits[i - 1].pos);
    const last = hits[hits.length - 1];
    const closed = hits.length > 2 && hits[0].pos.distanceTo(last.pos) < 1e-6;
    const { row: count, rowApart } = this.ui.brush;
    this.begin(hits[0], count > 1 ? length / (closed ? count : count - 1) : rowApart);
    for (const hit of hits) this.sample(hit, pen);
    this.hand = null;
    this.flush();
    this.session.endStroke(this.stroke);
    this.end = last;
    const id = this.drawing;
    this.drawing = '';
    this.last = null;
    return id;
  }

  /** A stroke along a line on the surface, of six numbers a point: place and normal.
   * Returns why it cannot, or ''. */
  along(rail: number[]): string {
    return this.alongIt(rail).why;
  }

  /** The same; returns the stroke's id, too. */
  alongIt(rail: number[]): { id: string; why: string } {
    const no = (why: string) => ({ id: '', why });
    const t = target(this.session, this.ui);
    if (!t.ok) return no(t.text);
    const hits: Hit[] = [];
    for (let i = 0; i + 5 < rail.length; i += 6)
      hits.push({
        pos: new Vector3(rail[i], rail[i + 1], rail[i + 2]),
        nrm: new Vector3(rail[i + 3], rail[i + 4], rail[i + 5]),
      } as Hit);
    if (hits.length < 2) return no('there is no line at that place');
    if (this.ui.tool === 'clone' && !this.ui.source) return no('no place to clone from is marked yet');
    return { id: this.lay(hits, { x: 0, y: 0, pressure: 1, tilt: 0, lean: 0, twist: 0 }), why: '' };
  }

  private rest() {
    if (!this.last || !this.drawing) return;
    this.sample(this.last.hit, this.last);
    this.flush();
  }

  /** @param apart metres from dab to dab, or 0: as the brush has it; fill: what fills at once */
  private begin(hit: Hit, apart = 0, fill?: object) {
    const t = target(this.session, this.ui);
    const b = this.ui.brush;
    const values: Record<string, number[]> = {};
    const material = t.channels.includes('mask') ? undefined : this.session.layer(b.of);
    for (const c of t.channels) {
      if (material && !material.channels?.[c]?.on) continue; // it has none of that
      if (c === 'mask') values.mask = [t.decal ? 0 : b.mask];
      else if (c === 'baseColor') values[c] = [...b.color];
      else if (c === 'emissive') values[c] = [...b.emissive];
      else if (c === 'normal') values[c] = [0, 0, 1];
      else if (this.session.channels.find((x) => x.channel === c)?.components === 3) values[c] = [...b.color];
      else values[c] = [b.values[c] ?? 0];
    }
    const tool = this.turned ? 'erase' : this.ui.tool;
    const flat = this.ui.mode === 'flat';
    const over = this.ui.opposite && tool === 'brush' ? this.ui.pair : null;
    const radius = this.radius(hit.pos);
    let kit = b.kit ? (JSON.parse(JSON.stringify(b.kit)) as NonNullable<typeof b.kit>) : null;
    if (apart > 0) {
      kit ??= { spacing: 1, flow: 1 } as NonNullable<typeof b.kit>;
      // a hair less, so that the last stamp is not lost to rounding
      kit = { ...kit, spacing: Math.min(Math.max((apart / (2 * radius)) * 0.9999, 0.02), 10), pen: null };
    }
    this.drawing = newID();
    this.count = 0;
    const message: Said = {
      t: 'stroke.begin',
      layer: t.layer,
      step: t.step,
      within: fill ? b.filled : b.within,
      kind: over ? this.ui.opposite : '',
      pos: hit.pos.toArray(),
      nrm: hit.nrm.toArray(),
      stroke: {
        id: this.drawing,
        radius,
        strength: b.strength,
        hardness: b.hardness,
        erase: (tool === 'erase') !== !!t.decal, // what lies over a decal's picture is what takes it off
        penSize: b.penSize,
        penFlow: b.penFlow,
        does: tool === 'erase' ? '' : tool === 'clone' || tool === 'smear' ? tool : over ? 'opposite' : b.does,
        take: tool === 'clone' ? this.take(hit) : over ? opposite(over) : undefined,
        blend: b.blend,
        kit: kit ?? undefined,
        mirror: fill || over ? undefined : this.mirror(),
        fill,
        lasso: this.lasso(),
        ...(over ? {} : this.stencil(t.layer, flat)),
        of: material?.id,
        alike: b.alike ? { channel: b.alike, tolerance: b.tolerance, soft: 0.5 } : undefined,
        eye: (b.seen || (this.ui.stencil && !this.ui.stencil.laid && !over)) && !flat ? row(this.stage.eye) : undefined,
        up: row(new Vector3(0, 1, 0).applyQuaternion(this.stage.camera.quaternion)),
        values,
        points: [],
      },
    };
    this.stroke = this.session.beginStroke(message, this.drawing);
    const mirror = fill || over ? undefined : mirrorOf(this.ui.mirror, this.stage.bounds);
    this.others = mirror ? twins(mirror) : [];
    this.stage.worn.ink.begin(fill ? null : inkOf(this.session, this.ui, t, values, message.stroke as InkStroke));
  }

  /** The stencil as the stroke keeps it, with the view that it was held before; or the layer's
   * slide that is in the hand. */
  private stencil(layer: string, flat: boolean) {
    const s = this.ui.stencil;
    if (!s) return {};
    if (s.laid) {
      const { laid, ...rest } = s;
      return { stencil: { ...rest, ...viewOf(laid) } };
    }
    if (flat) return {};
    const slide = slideOf(this.session.layer(layer), this.ui);
    if (slide) return { slide: slide.id };
    const { view, aspect } = this.stage.lens();
    return { stencil: { ...s, view, aspect } };
  }

  private lasso() {
    const l = this.ui.lasso;
    if (!l) return undefined;
    const height = Math.max(this.stage.lens(!!l.flat).height, 1);
    return { ...l, feather: Math.min((2 * this.ui.feather) / height, 2), out: this.ui.outside };
  }

  /** what the place that cloning takes from was paired with: the first stroke since it was marked */
  private pair: { source: object; pos: Vector3; nrm: Vector3 } | null = null;

  /** Where a stroke that begins at a place takes from: in the surface's frame, whatever the view. */
  private take(hit: Hit) {
    const source = this.ui.source!;
    const at = new Vector3().fromArray(source.at);
    const nrm = new Vector3().fromArray(source.nrm).normalize();
    if (this.ui.follows !== 'along') return { at: row(at), nrm: row(nrm), stays: this.ui.follows === 'stays' };
    if (this.pair?.source !== source) this.pair = { source, pos: hit.pos.clone(), nrm: hit.nrm.clone().normalize() };
    const turn = new Quaternion().setFromUnitVectors(this.pair.nrm, nrm);
    at.add(hit.pos.clone().sub(this.pair.pos).applyQuaternion(turn));
    return { at: row(at), nrm: row(hit.nrm.clone().applyQuaternion(turn)) };
  }

  private mirror() {
    const m = mirrorOf(this.ui.mirror, this.stage.bounds);
    return m && { ...m, at: row(m.at), planes: m.planes.map(row), axis: row(m.axis) };
  }

  /** Takes the hand's next place: held back where the brush is steady, and rounded. */
  private follow(p: Place) {
    const s = this.ui.brush.steady;
    if (s > 0 && this.steadied) p = mix(this.steadied, p, 1 - s);
    this.steadied = p;
    const from = this.hand ?? p;
    const mid = mix(from, p, 0.5);
    const start = this.middle ?? from;
    const steps = Math.max(1, Math.ceil(Math.hypot(mid.x - start.x, mid.y - start.y) / 6));
    for (let i = 1; i <= steps; i++) {
      const t = i / steps;
      // a quadratic curve whose middle the hand's place pulls
      this.to(mix(mix(start, from, t), mix(from, mid, t), t));
    }
    this.hand = p;
    this.middle = mid;
  }

  /** Goes straight to a place; long gaps are filled with samples found on the surface. */
  private to(p: Place) {
    const from = this.last;
    if (!from) {
      const hit = this.stage.pick(p.x, p.y);
      if (!hit) return;
      if (!this.count && this.drawing) this.sample(hit, p);
      else {
        this.begin(hit);
        this.sample(hit, p);
      }
      return;
    }
    const step = Math.max((this.radius(from.hit.pos) * 0.5) / this.stage.pixel(from.hit.pos), 2);
    const n = Math.max(1, Math.ceil(Math.hypot(p.x - from.x, p.y - from.y) / step));
    for (let i = 1; i <= n; i++) {
      const at = mix(from, p, i / n);
      const hit = this.stage.pick(at.x, at.y);
      if (
        !hit ||
        (this.last && hit.pos.distanceTo(this.last.hit.pos) > this.radius(hit.pos) * 6 + 12 * this.stage.pixel(hit.pos))
      ) {
        // left the surface or jumped to something behind it: the stroke must not bridge the gap
        if (this.last) this.split(hit);
        if (!hit) continue;
      }
      this.sample(hit, at);
    }
  }

  private split(hit: Hit | null) {
    const where = hit ?? this.last!.hit;
    this.flush();
    this.session.endStroke(this.stroke);
    this.last = null;
    this.begin(where);
  }

  private sample(hit: Hit, p: Place) {
    if (this.count >= EACH) this.split(hit);
    this.count++;
    this.draw(hit, p);
    this.queue.points.push(hit.pos.x, hit.pos.y, hit.pos.z, hit.nrm.x, hit.nrm.y, hit.nrm.z, p.pressure);
    this.queue.tilt.push(p.tilt);
    this.queue.lean.push(p.lean);
    this.queue.twist.push(p.twist);
    this.last = { ...p, hit };
  }

  /** Draws ink on to where the hand is, or will be in a moment: the stroke itself is rounded, and comes there with the
   * hand's next place. */
  private lead(p: Place) {
    const { last } = this;
    const hit = last && this.stage.pick(p.x, p.y);
    if (!hit || hit.pos.distanceTo(last.hit.pos) > this.radius(hit.pos) * 4) return this.stage.worn.ink.lead();
    this.draw(hit, p, true);
  }

  /** Draws the ink of a place, and of where twins repeat it; a lead goes with the next one. */
  private draw(hit: Hit, p: Place, lead = false) {
    const b = this.ui.brush;
    const drives = (what: string) => b.kit?.pen?.some((d) => d.by === 'pressure' && d.what === what);
    const radius = this.radius(hit.pos) * (b.penSize || drives('size') ? Math.max(p.pressure, 0.05) : 1);
    const strength = b.penFlow || drives('flow') || drives('strength') ? p.pressure : 1;
    const uv = hit.uv ? { x: hit.uv.x, y: hit.uv.y } : null;
    const { ink } = this.stage.worn;
    const go = (dab: Parameters<typeof ink.add>[0], strand: number) =>
      lead ? ink.lead(dab, strand) : ink.add(dab, strand);
    go({ pos: hit.pos.clone(), radius, strength, sheet: hit.sheet, uv }, 0);
    this.others.forEach((w, i) => {
      const pos = hit.pos.clone().applyMatrix4(w);
      go({ pos, radius, strength, sheet: -1, uv: null }, i + 1);
    });
  }

  private flush() {
    this.timer = 0;
    const { points, tilt, lean, twist } = this.queue;
    if (!points.length) return;
    const driven = (by: string) => this.ui.brush.kit?.pen?.some((d) => d.by === by);
    const message: Said = {
      t: 'stroke.add',
      points,
      tilt: driven('tilt') ? tilt : undefined,
      lean: driven('lean') ? lean : undefined,
      twist: driven('twist') ? twist : undefined,
    };
    this.session.growStroke(this.stroke, message, (n) => this.stage.worn.ink.sent(n));
    this.queue = { points: [], tilt: [], lean: [], twist: [] };
  }
}

/** What ink asks of a stroke. */
interface InkStroke {
  erase: boolean;
  does: string;
  blend: string;
  lasso?: unknown;
  stencil?: unknown;
  slide?: unknown;
  alike?: unknown;
}

/** How a stroke looks before the server has drawn it; null: nothing of it would be seen. What lays a colour where the
 * pen is, and nowhere else, can be drawn ahead as it will be; of all else only that something comes there. */
function inkOf(session: Session, ui: UI, t: Target, values: Record<string, number[]>, s: InkStroke): InkLook | null {
  if (ui.alone && ui.alone !== 'baseColor') return null;
  const layer = session.layer(t.layer);
  if (!layer) return null;
  const b = ui.brush;
  const comes = { color: [0.62, 0.6, 0.57], roughness: -1, metallic: -1, hardness: b.hardness, late: true };
  const unknown = { ...comes, opacity: 0.15 + 0.25 * b.strength };
  if (s.erase || s.does || s.lasso || s.stencil || s.slide || s.alike || b.within) return unknown;
  if (s.blend && s.blend !== 'normal') return unknown;
  const reach = layer.reach ?? {};
  if (Object.values(reach).some((list) => (Array.isArray(list) ? list.length : list))) return unknown;
  // what a mask shows is the coat, as far as that is one colour
  const coat = layer.channels ?? {};
  const plain = (c: string) => (coat[c]?.on && !coat[c]?.stream?.length ? (coat[c]?.value ?? undefined) : undefined);
  const masks = t.channels.includes('mask');
  if (masks && (b.mask < 0.5 || layer.kind !== 'fill')) return unknown;
  const of = (c: string) => (masks ? plain(c) : values[c]);
  const color = of('baseColor');
  if (color?.length !== 3) return unknown;
  const kit = b.kit;
  // a row of dabs covers as if it were one line
  const laid = kit ? 1 - (1 - Math.min(kit.flow ?? 1, 1)) ** (1 / Math.max(kit.spacing ?? 1, 0.05)) : 1;
  const textured = kit && (kit.picture || kit.tip) ? 0.7 : 1;
  const g = kit?.grain;
  const amount = layer.amount * (coat.baseColor?.amount ?? 1) * (masks ? b.mask : 1);
  // what lies over it hides some of it, no one here knows how much
  const above = session.rows.findLastIndex((r) => r.layer.id === layer.id);
  const over = session.rows.some(
    (r, i) => i > above && r.parent === '' && r.layer.visible && !!r.layer.channels?.baseColor?.on,
  );
  return {
    color: [...color],
    opacity: b.strength * laid * textured * amount * (over ? 0.5 : 1),
    hardness: b.hardness,
    roughness: of('roughness')?.[0] ?? -1,
    metallic: of('metallic')?.[0] ?? -1,
    grain: g && g.amount > 0 ? { size: g.size, amount: g.amount, kind: g.kind } : undefined,
  };
}

const opposite = (p: NonNullable<UI['pair']>) => ({
  at: row(new Vector3().fromArray(p.at)),
  nrm: row(new Vector3().fromArray(p.nrm)),
  to: row(new Vector3().fromArray(p.to)),
  toNrm: row(new Vector3().fromArray(p.toNrm)),
});
const row = (v: Vector3) => ({ X: v.x, Y: v.y, Z: v.z });

const mix = (a: Place, b: Place, t: number): Place => ({
  x: a.x + (b.x - a.x) * t,
  y: a.y + (b.y - a.y) * t,
  pressure: a.pressure + (b.pressure - a.pressure) * t,
  tilt: a.tilt + (b.tilt - a.tilt) * t,
  lean: round(a.lean, b.lean, t),
  twist: round(a.twist, b.twist, t),
});

/** From one direction to another, in turns, the shorter way round. */
const round = (a: number, b: number, t: number) => once(a + (once(b - a + 0.5) - 0.5) * t);

/** What is left of a number of turns when whole ones are taken off. */
const once = (turns: number) => turns - Math.floor(turns);

/** How a pointer is held. A mouse has no pressure: it paints in full. Tilt is 0 upright and 1
 * flat on the surface; lean is to which side, in turns anticlockwise from the right; twist how far the pen is turned
 * round itself, in the same (Pointer Events counts degrees clockwise). */
function held(e: PointerEvent) {
  if (e.pointerType !== 'pen') return { pressure: 1, tilt: 0, lean: 0, twist: 0 };
  const to = (degrees: number) => Math.tan((Math.max(Math.min(degrees, 89), -89) * Math.PI) / 180);
  return {
    pressure: e.pressure,
    tilt: Math.min(Math.hypot(e.tiltX, e.tiltY) / 90, 1),
    lean: once(Math.atan2(-to(e.tiltY), to(e.tiltX)) / (2 * Math.PI)),
    twist: once(-e.twist / 360),
  };
}
