// Lines on the surface: what of a stroke is pulled when it is taken up again, and the curve
// through places that are clicked. Points are seven numbers as the server has them: place,
// normal, pressure.

export type Three = [number, number, number];
/** The surface at a place, looked for along a normal, metres up and down; null: there is none near. */
export type Onto = (at: Three, nrm: Three, far: number) => { pos: Three; nrm: Three } | null;

const N = 7;
const at = (p: number[], i: number): Three => [p[N * i], p[N * i + 1], p[N * i + 2]];
const normal = (p: number[], i: number): Three => [p[N * i + 3], p[N * i + 4], p[N * i + 5]];
const sub = (a: Three, b: Three): Three => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const add = (a: Three, b: Three, k = 1): Three => [a[0] + b[0] * k, a[1] + b[1] * k, a[2] + b[2] * k];
const dot = (a: Three, b: Three) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const apart = (a: Three, b: Three) => Math.hypot(...sub(a, b));
const unit = (a: Three): Three => {
  const l = Math.hypot(...a) || 1;
  return [a[0] / l, a[1] / l, a[2] / l];
};
const mix = (a: Three, b: Three, t: number): Three => add(a, sub(b, a), t);

export const count = (points: number[]) => Math.floor(points.length / N);

/** Whether a line ends where it begins. */
export function closed(points: number[], radius: number): boolean {
  const n = count(points);
  return n > 3 && apart(at(points, 0), at(points, n - 1)) <= radius * 1e-3 + 1e-9;
}

/**
 * The places by which a line is pulled, as indexes of its points, first and last among them: those
 * farthest from the straight lines between the others, as long as that is more than near, at most
 * so many.
 */
export function knots(points: number[], near: number, most = 16): number[] {
  const n = count(points);
  if (n < 2) return n ? [0] : [];
  const list = [0, n - 1];
  const off = (i: number, a: number, b: number) => {
    const [p, q] = [at(points, a), at(points, b)];
    const d = sub(q, p);
    const l = dot(d, d);
    const t = l ? Math.min(Math.max(dot(sub(at(points, i), p), d) / l, 0), 1) : 0;
    return apart(at(points, i), add(p, d, t));
  };
  while (list.length < most) {
    let [best, far, after] = [-1, near, 0];
    for (let k = 1; k < list.length; k++)
      for (let i = list[k - 1] + 1; i < list[k]; i++) {
        const d = off(i, list[k - 1], list[k]);
        if (d > far) [best, far, after] = [i, d, k];
      }
    if (best < 0) break;
    list.splice(after, 0, best);
  }
  // a long straight line can be bent in its middle
  if (list.length === 2 && n > 2) list.splice(1, 0, n >> 1);
  return list;
}

/**
 * A line of which the knot k was pulled to a place: what lies beside it goes along, the less the
 * farther, and stays on the surface. An end stays where it is unless it is pulled itself.
 */
export function pulled(
  points: number[],
  list: number[],
  k: number,
  to: Three,
  nrm: Three | undefined,
  onto: Onto,
  ring = false,
): number[] {
  const n = count(points);
  const out = points.slice();
  const from = at(points, list[k]);
  const by = sub(to, from);
  const far = Math.max(Math.hypot(...by), 1e-6);
  const set = (i: number, share: number) => {
    const p = add(at(points, i), by, share);
    const m = nrm ? unit(mix(normal(points, i), nrm, share)) : normal(points, i);
    const s = share === 1 && nrm ? { pos: to, nrm } : (onto(p, m, far) ?? { pos: p, nrm: m });
    out.splice(N * i, 6, ...s.pos.map((v) => round(v)), ...s.nrm.map((v) => Math.round(v * 1e4) / 1e4));
  };
  const span = (a: number, b: number) => {
    // from the knot a, which goes all the way, past the knot b at least, and farther where it is pulled far
    const [step, end] = a < b ? [1, n - 1] : [-1, 0];
    const long = [0];
    let next = 0;
    for (let i = a + step; i !== end + step; i += step) {
      long.push(long[long.length - 1] + apart(at(points, i), at(points, i - step)));
      if (i === b) next = long[long.length - 1];
    }
    const all = Math.min(Math.max(next, far * 1.5), long[long.length - 1]) || 1;
    for (let j = 1; j < long.length && long[j] < all; j++)
      set(a + step * j, 0.5 + 0.5 * Math.cos((Math.PI * long[j]) / all));
  };
  const last = list.length - 1;
  const ends = ring && (k === 0 || k === last);
  set(list[k], 1);
  if (ends) set(k ? 0 : n - 1, 1);
  if (k > 0 || ends) span(list[ends ? last : k], list[(ends ? last : k) - 1]);
  if (k < last || ends) span(list[ends ? 0 : k], list[(ends ? 0 : k) + 1]);
  return out;
}

/** As short in JSON as seven digits are. */
const round = (v: number) => Number(v.toPrecision(8));

/** Two lines as one: b is joined to the end of a, or to its beginning, whichever ends are nearest. */
export function joined(a: number[], b: number[]): number[] {
  const [na, nb] = [count(a), count(b)];
  const d = (x: number[], i: number, y: number[], j: number) => apart(at(x, i), at(y, j));
  const ways: [number, () => number[]][] = [
    [d(a, na - 1, b, 0), () => [...a, ...b]],
    [d(a, na - 1, b, nb - 1), () => [...a, ...turned(b)]],
    [d(a, 0, b, nb - 1), () => [...b, ...a]],
    [d(a, 0, b, 0), () => [...turned(b), ...a]],
  ];
  return ways.sort((x, y) => x[0] - y[0])[0][1]();
}

/** A line from its end to its beginning. */
export function turned(points: number[]): number[] {
  const out: number[] = [];
  for (let i = count(points) - 1; i >= 0; i--) out.push(...points.slice(N * i, N * i + N));
  return out;
}

/** What is added at a line's end so that it ends where it begins, over the surface, step metres apart. */
export function closing(points: number[], step: number, onto: Onto): number[] {
  const n = count(points);
  const [a, b] = [at(points, n - 1), at(points, 0)];
  const [na, nb] = [normal(points, n - 1), normal(points, 0)];
  const long = apart(a, b);
  const m = Math.min(Math.max(Math.ceil(long / step), 1), 400);
  const out: number[] = [];
  for (let i = 1; i <= m; i++) {
    const t = i / m;
    const [p, nrm] = [mix(a, b, t), unit(mix(na, nb, t))];
    const s = i < m ? (onto(p, nrm, long / 2) ?? { pos: p, nrm }) : { pos: b, nrm: nb };
    const press = points[N * (n - 1) + 6] * (1 - t) + points[6] * t;
    out.push(...s.pos, ...s.nrm, press);
  }
  return out;
}

/** A place that was clicked. */
export interface Spot {
  pos: Three;
  nrm: Three;
}

/**
 * A smooth curve through places on the surface, step metres apart, as six numbers a point: place
 * and normal. It goes through each of them; straight: from place to place.
 */
export function through(spots: Spot[], step: number, onto: Onto, ring = false, straight = false): number[] {
  const n = spots.length;
  if (n < 2) return spots.flatMap((s) => [...s.pos, ...s.nrm]);
  const spot = (i: number) => spots[ring ? (i + n) % n : Math.min(Math.max(i, 0), n - 1)];
  const out: number[] = [];
  for (let i = 0; i < (ring ? n : n - 1); i++) {
    const [p0, p1, p2, p3] = [spot(i - 1), spot(i), spot(i + 1), spot(i + 2)];
    const long = apart(p1.pos, p2.pos);
    const m = Math.min(Math.max(Math.ceil(long / step), 1), 400);
    for (let j = 0; j < m; j++) {
      const t = j / m;
      let p = mix(p1.pos, p2.pos, t);
      if (!straight) {
        // tangents of half the way between the neighbours, no longer than the way itself
        const tangent = (a: Spot, b: Spot): Three => {
          const d = sub(b.pos, a.pos);
          const l = Math.hypot(...d);
          return l > 0 ? (d.map((v) => (v * Math.min(0.5 * l, long)) / l) as Three) : [0, 0, 0];
        };
        const [a, b] = [tangent(p0, p2), tangent(p1, p3)];
        const [t2, t3] = [t * t, t * t * t];
        const h = [2 * t3 - 3 * t2 + 1, t3 - 2 * t2 + t, -2 * t3 + 3 * t2, t3 - t2];
        p = [0, 1, 2].map((c) => h[0] * p1.pos[c] + h[1] * a[c] + h[2] * p2.pos[c] + h[3] * b[c]) as Three;
      }
      const nrm = unit(mix(p1.nrm, p2.nrm, t));
      const s = j ? (onto(p, nrm, Math.max(long / 2, step)) ?? { pos: p, nrm }) : p1;
      out.push(...s.pos, ...s.nrm);
    }
  }
  const end = ring ? spots[0] : spots[n - 1];
  out.push(...end.pos, ...end.nrm);
  return out;
}
