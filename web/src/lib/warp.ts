// How a picture's pixels are moved in its own space, as core/warp keeps and does it: here, so
// that what is pushed is seen in the very next frame.
export const SIDE = 65;
const RIM = 0.5;
const CELLS = SIDE - 1;
const SPAN = 1 + 2 * RIM;
const UNIT = 1 / 8192;
/** how far a brush goes at a time, in shares of its radius */
const STEP = 0.25;

export type Does = 'push' | 'smooth' | 'pin' | 'unpin';
export type Place = [number, number];

/** What goes over a picture: its radius in shares of the width, its strength 0..1. */
export interface Going {
  does: Does;
  radius: number;
  strength: number;
}

export interface Kept {
  moved: string;
  pins?: string;
}

const bytes = (text: string) => Uint8Array.from(atob(text), (c) => c.charCodeAt(0));

/** The weights of four points about a place between the middle two (Catmull and Rom, 1974). */
function cubic(t: number): number[] {
  const [t2, t3] = [t * t, t * t * t];
  return [-0.5 * t3 + t2 - 0.5 * t, 1.5 * t3 - 2.5 * t2 + 1, -1.5 * t3 + 2 * t2 + 0.5 * t, 0.5 * t3 - 0.5 * t2];
}

const clamp = (v: number, lo: number, hi: number) => Math.min(Math.max(v, lo), hi);

export class Warp {
  readonly off = new Float32Array(2 * SIDE * SIDE);
  readonly pins = new Uint8Array(SIDE * SIDE);

  constructor(kept?: Kept | null) {
    if (!kept?.moved) return;
    const b = bytes(kept.moved);
    const view = new DataView(b.buffer);
    for (let i = 0; i < this.off.length && 2 * i + 1 < b.length; i++) this.off[i] = view.getInt16(2 * i, true) * UNIT;
    if (kept.pins) this.pins.set(bytes(kept.pins).subarray(0, this.pins.length));
  }

  copy(): Warp {
    const w = new Warp();
    w.off.set(this.off);
    w.pins.set(this.pins);
    return w;
  }

  /** By how much at (u, v) the picture is seen from elsewhere. */
  private sampled(u: number, v: number, off = this.off): Place {
    const gx = clamp((u + RIM) * (CELLS / SPAN), 0, CELLS);
    const gy = clamp((v + RIM) * (CELLS / SPAN), 0, CELLS);
    const [x0, y0] = [Math.min(Math.floor(gx), CELLS - 1), Math.min(Math.floor(gy), CELLS - 1)];
    const [wx, wy] = [cubic(gx - x0), cubic(gy - y0)];
    let [dx, dy] = [0, 0];
    for (let j = 0; j < 4; j++) {
      const row = SIDE * clamp(y0 - 1 + j, 0, CELLS);
      for (let i = 0; i < 4; i++) {
        const at = 2 * (row + clamp(x0 - 1 + i, 0, CELLS));
        dx += wy[j] * wx[i] * off[at];
        dy += wy[j] * wx[i] * off[at + 1];
      }
    }
    return [dx, dy];
  }

  /** Where in the picture lies what is seen at (u, v). */
  at(u: number, v: number): Place {
    const [dx, dy] = this.sampled(u, v);
    return [u + dx, v + dy];
  }

  /** Where what lies at (x, y) in the picture is seen: from the nearest point of the grid on, by Newton. */
  seen(x: number, y: number): Place {
    let [u, v, least] = [x, y, Infinity];
    for (let i = 0; i < SIDE * SIDE; i++) {
      const gu = (i % SIDE) * (SPAN / CELLS) - RIM;
      const gv = Math.floor(i / SIDE) * (SPAN / CELLS) - RIM;
      const d = (gu + this.off[2 * i] - x) ** 2 + (gv + this.off[2 * i + 1] - y) ** 2;
      if (d < least) [u, v, least] = [gu, gv, d];
    }
    const e = 1e-3;
    for (let i = 0; i < 12; i++) {
      const [a, b] = this.at(u, v);
      const [[au, bu], [av, bv]] = [this.at(u + e, v), this.at(u, v + e)];
      const [ua, ub, va, vb] = [(au - a) / e, (bu - b) / e, (av - a) / e, (bv - b) / e];
      const turn = ua * vb - ub * va;
      if (Math.abs(turn) < 1e-6) break;
      const [du, dv] = [((x - a) * vb - (y - b) * va) / turn, ((y - b) * ua - (x - a) * ub) / turn];
      const far = Math.max(Math.hypot(du, dv) / 0.04, 1); // no farther than the grid tells
      [u, v] = [u + du / far, v + dv / far];
      if (Math.hypot(du, dv) < 1e-6) break;
    }
    return [u, v];
  }

  /** Has a brush go on from a place to another; without the first it begins there. */
  go(b: Going, form: number, from: Place | null, to: Place) {
    if (!from) {
      if (b.does !== 'push') this.dab(b, form, to);
      return;
    }
    const far = Math.hypot(to[0] - from[0], (to[1] - from[1]) / form);
    const n = Math.max(Math.ceil(far / (STEP * b.radius)), 1);
    const on = (k: number): Place => [from[0] + (k / n) * (to[0] - from[0]), from[1] + (k / n) * (to[1] - from[1])];
    for (let k = 0; k < n; k++) {
      if (b.does === 'push') this.push(b, form, on(k), on(k + 1));
      else this.dab(b, form, on(k + 1));
    }
  }

  private about(b: Going, form: number, at: Place, f: (i: number, u: number, v: number, share: number) => void) {
    const grid = (v: number) => clamp(Math.floor((v + RIM) * (CELLS / SPAN)), 0, CELLS);
    const down = b.radius * form;
    for (let y = grid(at[1] - down); y <= Math.min(grid(at[1] + down) + 1, CELLS); y++) {
      for (let x = grid(at[0] - b.radius); x <= Math.min(grid(at[0] + b.radius) + 1, CELLS); x++) {
        const [u, v] = [x * (SPAN / CELLS) - RIM, y * (SPAN / CELLS) - RIM];
        const d = clamp(Math.hypot(u - at[0], (v - at[1]) / form) / b.radius, 0, 1);
        const share = b.strength * (1 - d * d * (3 - 2 * d));
        if (share > 0) f(y * SIDE + x, u, v, share);
      }
    }
  }

  private push(b: Going, form: number, from: Place, to: Place) {
    const was = this.off.slice();
    this.about(b, form, to, (i, u, v, share) => {
      share *= 1 - this.pins[i] / 255;
      const [mu, mv] = [share * (to[0] - from[0]), share * (to[1] - from[1])];
      const [dx, dy] = this.sampled(u - mu, v - mv, was);
      [this.off[2 * i], this.off[2 * i + 1]] = [dx - mu, dy - mv];
    });
  }

  private dab(b: Going, form: number, at: Place) {
    this.about(b, form, at, (i, _u, _v, share) => {
      const much = 255 * Math.min(2 * share, 1);
      if (b.does === 'pin') this.pins[i] = Math.max(this.pins[i], much);
      else if (b.does === 'unpin') this.pins[i] = Math.min(this.pins[i], 255 - much);
      else {
        const k = 1 - 0.3 * share * (1 - this.pins[i] / 255);
        this.off[2 * i] *= k;
        this.off[2 * i + 1] *= k;
      }
    });
  }

  /** The warped picture and half of one around it, as wide as out. */
  draw(picture: ImageData, out: ImageData) {
    const [w, h] = [picture.width, picture.height];
    const from = new Uint32Array(picture.data.buffer);
    const to = new Uint32Array(out.data.buffer);
    to.fill(0);
    // between the points of the grid a straight line is near enough for the eye
    for (let y = 0, i = 0; y < out.height; y++) {
      const v = ((y + 0.5) / out.height) * SPAN - RIM;
      const gy = ((y + 0.5) / out.height) * CELLS;
      const y0 = Math.min(Math.floor(gy), CELLS - 1);
      const fy = gy - y0;
      for (let x = 0; x < out.width; x++, i++) {
        const gx = ((x + 0.5) / out.width) * CELLS;
        const x0 = Math.min(Math.floor(gx), CELLS - 1);
        const fx = gx - x0;
        const a = 2 * (y0 * SIDE + x0);
        const c = a + 2 * SIDE;
        const { off } = this;
        const du = (1 - fy) * ((1 - fx) * off[a] + fx * off[a + 2]) + fy * ((1 - fx) * off[c] + fx * off[c + 2]);
        const dv =
          (1 - fy) * ((1 - fx) * off[a + 1] + fx * off[a + 3]) + fy * ((1 - fx) * off[c + 1] + fx * off[c + 3]);
        const px = Math.floor((((x + 0.5) / out.width) * SPAN - RIM + du) * w);
        const py = Math.floor((v + dv) * h);
        if (px >= 0 && px < w && py >= 0 && py < h) to[i] = from[py * w + px];
      }
    }
  }
}
