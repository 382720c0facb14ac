// What can be pulled on the model: the conditions, and the places of the open step.
import { Box3, Vector3 } from 'three';
import type { Conditions, Decal, Step, StepKind } from '../api/client';
import type { Grip, Shown, Trace } from './handles';

const WHITE = 0xf2f2f2;
const DARK = 0x3a3a3a;
const LIVE = 0x63b8a2;
const SUN = 0xd9a441;
const PLUM = 0xc28ab2;
const GREY = 0x8a8a8a;

type Three = [number, number, number];
const v3 = (a: unknown) => new Vector3(...(a as Three));
/** to a hundredth of a millimetre */
const place = (v: Vector3) => v.toArray().map((c) => Math.round(c * 1e5) / 1e5);
const direction = (v: Vector3) =>
  v
    .clone()
    .normalize()
    .toArray()
    .map((c) => Math.round(c * 1000) / 1000);

/** Two directions at right angles to n and to each other, as the server takes them. */
function tangents(n: Vector3): [Vector3, Vector3] {
  const sign = n.z < 0 || Object.is(n.z, -0) ? -1 : 1;
  const a = -1 / (sign + n.z);
  const c = n.x * n.y * a;
  return [new Vector3(1 + sign * n.x * n.x * a, sign * c, -sign * n.x), new Vector3(c, sign + n.y * n.y * a, -n.y)];
}

function circle(center: Vector3, a: Vector3, b: Vector3, radius: number): Vector3[] {
  return Array.from({ length: 73 }, (_, i) => {
    const t = (i / 72) * 2 * Math.PI;
    return center
      .clone()
      .addScaledVector(a, Math.cos(t) * radius)
      .addScaledVector(b, Math.sin(t) * radius);
  });
}

/** A small head at the end of a line, as two strokes. */
function head(at: Vector3, dir: Vector3, size: number, color: number): Trace[] {
  const [a, b] = tangents(dir);
  return [a, b].map((s) => ({
    points: [
      at
        .clone()
        .addScaledVector(dir, -size)
        .addScaledVector(s, size * 0.4),
      at,
      at
        .clone()
        .addScaledVector(dir, -size)
        .addScaledVector(s, -size * 0.4),
    ],
    color,
    before: true,
  }));
}

export function conditionGrips(c: Conditions, box: Box3): Shown {
  const center = box.getCenter(new Vector3());
  const radius = box.getSize(new Vector3()).length() * 0.47;
  const out: Shown = { grips: [], traces: [], blobs: [] };
  const arrow = (name: 'rain' | 'wind' | 'sunAt', label: string, color: number) => {
    const sign = name === 'sunAt' ? 1 : -1; // rain and wind come from there, the sun stands there
    const dir = v3(c[name]).normalize().multiplyScalar(sign);
    const at = center.clone().addScaledVector(dir, radius);
    const tip = center.clone().addScaledVector(dir, radius * 0.72);
    out.traces.push({ points: [at, tip], color, before: true });
    out.traces.push(...head(tip, dir.clone().negate(), radius * 0.06, color));
    out.grips.push({
      label,
      at,
      color,
      ball: { center, radius },
      change: (to) => ({ [name]: direction(to.clone().sub(center).multiplyScalar(sign)) }),
    });
  };
  arrow('rain', 'rain', LIVE);
  arrow('wind', 'wind', WHITE);
  arrow('sunAt', 'sun', SUN);
  const up = v3(c.up).normalize();
  const low = new Vector3(
    up.x < 0 ? box.max.x : box.min.x,
    up.y < 0 ? box.max.y : box.min.y,
    up.z < 0 ? box.max.z : box.min.z,
  ).dot(up);
  const level = (label: string, height: number, color: number, change: (h: number) => Record<string, unknown>) => {
    const [a, b] = tangents(up);
    const middle = center.clone().addScaledVector(up, height - center.dot(up));
    const points = circle(middle, a, b, radius * 0.95);
    out.traces.push({ points, color });
    out.grips.push({
      label,
      at: points[label === 'ground' ? 38 : 45],
      color,
      along: up,
      change: (to) => change(Math.round((to.dot(up) - low) * 1e4) / 1e4),
    });
  };
  level('ground', low + c.ground, GREY, (h) => ({ ground: Math.min(Math.max(h, -1), 1) }));
  level('waterline', low + c.ground + c.water, LIVE, (h) => ({ water: Math.min(Math.max(h - c.ground, 0), 2) }));
  (c.touch ?? []).forEach((t, i) => {
    const at = v3(t.pos);
    out.blobs.push({ at, radius: t.radius, color: PLUM });
    out.grips.push({
      label: t.name,
      at,
      color: PLUM,
      surface: true,
      change: (to) => ({ touch: c.touch!.map((o, k) => (k === i ? { ...o, pos: place(to) } : o)) }),
    });
  });
  return out;
}

/** The frame of a decal, as the server makes it. */
export function frameOf(d: Decal): { at: Vector3; right: Vector3; up: Vector3; out: Vector3 } {
  const out = v3(d.nrm).normalize();
  let up = v3(d.up);
  up.addScaledVector(out, -up.dot(out));
  if (up.length() < 1e-4) [up] = tangents(out);
  up.normalize();
  return { at: v3(d.pos), right: up.clone().cross(out).normalize(), up, out };
}

/** A direction across out, turned to the nearest twelfth of a half turn from upright. */
function stepped(v: Vector3, out: Vector3): Vector3 {
  let zero = new Vector3(0, 1, 0).addScaledVector(out, -out.y);
  if (zero.length() < 0.1) zero = new Vector3(0, 0, -1).addScaledVector(out, out.z);
  zero.normalize();
  const side = out.clone().cross(zero);
  const step = Math.PI / 12;
  const a = Math.round(Math.atan2(v.dot(side), v.dot(zero)) / step) * step;
  return zero.multiplyScalar(Math.cos(a)).addScaledVector(side, Math.sin(a));
}

/** The axis round which a decal is repeated, which is pulled by a place on it and by its end. */
function axisGrips(d: Decal, box: Box3): Shown {
  const row = d.row!;
  const what = row.kind === 'mirror' ? 'plane' : 'axis';
  const radius = box.getSize(new Vector3()).length() * 0.4;
  const at = v3(row.at);
  const dir = v3(row.axis).normalize();
  const end = at.clone().addScaledVector(dir, radius);
  const set = (over: object) => ({ row: { ...row, ...over } });
  return {
    grips: [
      { label: `Middle of the ${what} of`, at, color: LIVE, small: true, change: (to) => set({ at: place(to) }) },
      {
        label: `Direction of the ${what} of`,
        at: end,
        color: LIVE,
        small: true,
        ball: { center: at, radius },
        change: (to) => set({ axis: direction(to.clone().sub(at)) }),
      },
    ],
    traces: [
      { points: [at.clone().addScaledVector(dir, -radius), end], color: LIVE, before: true },
      ...head(end, dir, radius * 0.06, LIVE),
    ],
    blobs: [],
  };
}

/** A decal on the model, with the axis or the line along which it is repeated. */
export function decalShown(d: Decal, tall: number, gap: number, box: Box3, corners = false): Shown {
  const own = decalGrips(d, tall, gap, corners);
  if (d.row?.kind === 'axis' || d.row?.kind === 'mirror') {
    const axis = axisGrips(d, box);
    return { grips: [...own.grips, ...axis.grips], traces: [...own.traces, ...axis.traces], blobs: [] };
  }
  if (d.row?.kind === 'line') {
    const line = d.row.line ?? [];
    const points = Array.from({ length: line.length / 6 }, (_, i) => new Vector3().fromArray(line, 6 * i));
    own.traces.push({ points, color: LIVE, before: true });
  }
  return own;
}

/** How a decal lies on the sheets laid flat. */
export interface Laid {
  at: Vector3;
  /** where a metre to its right and to its head goes there */
  right: Vector3;
  up: Vector3;
}

/**
 * The same on the sheets laid flat: where its middle lies the sheet shows how it is turned and how large
 * it is there, whatever bends and seams do to its border.
 */
export function decalOnSheet(d: Decal, tall: number, gap: number, laid: Laid, corners = false): Shown {
  const frame = frameOf(d);
  const mirrored = laid.right.x * laid.up.y - laid.right.y * laid.up.x < 0;
  const [sx, sy] = [laid.right.length(), laid.up.length()];
  const flat = {
    ...d,
    wrapped: true, // it has no depth there
    pos: laid.at.clone().setZ(0.2).toArray(),
    nrm: [0, 0, mirrored ? -1 : 1],
    up: laid.up.toArray(),
    wide: d.wide * sx,
    tall: tall * sy,
  } as Decal;
  const shown = decalGrips(flat, tall * sy, gap, corners);
  /** a direction on the sheet as one on the surface */
  const back = (v: Vector3) => {
    const det = laid.right.x * laid.up.y - laid.right.y * laid.up.x;
    const r = (v.x * laid.up.y - v.y * laid.up.x) / det;
    const u = (v.y * laid.right.x - v.x * laid.right.y) / det;
    return frame.right.clone().multiplyScalar(r).addScaledVector(frame.up, u);
  };
  for (const g of shown.grips) {
    const { change, label } = g;
    g.change = (to, nrm, snap) => {
      if (label === 'Move' || label.startsWith('Corner')) return change(to, nrm); // shares are the same there
      const now = change(to, nrm, snap) as { up?: number[]; wide?: number; tall?: number };
      const round = (v: number) => Number(v.toPrecision(4));
      if (now.up) return { up: direction(back(new Vector3(...(now.up as Three)))) };
      const own = d.tall || label === 'Width of' || label === 'Height of';
      return {
        ...(now.wide ? { wide: round(now.wide / sx) } : {}),
        ...(now.tall && own ? { tall: round(now.tall / sy) } : {}),
      };
    };
  }
  return shown;
}

/** The corners of a decal in the order in which they are kept, by side of its middle. */
const CORNERS: [string, number, number][] = [
  ['upper left', -1, 1],
  ['upper right', 1, 1],
  ['lower right', 1, -1],
  ['lower left', -1, -1],
];

/** A decal: its middle moves it over the surface, its head turns it, a corner and its sides size it.
 * What sizes it stands a gap off, so that a small one can be seen. With corners these are pulled, each
 * by itself, in place of what sizes it. */
export function decalGrips(d: Decal, tall: number, gap: number, corners = false): Shown {
  const { at, right, up, out } = frameOf(d);
  const half = { x: d.wide / 2, y: tall / 2 };
  const corner = (i: number, j: number, off = 0) =>
    at
      .clone()
      .addScaledVector(right, (half.x + off) * i)
      .addScaledVector(up, (half.y + off) * j);
  const along = (v: Vector3, by: number) => at.clone().addScaledVector(v, by);
  const line = (points: Vector3[], color: number): Trace => ({ points, color, before: true });
  const neck = half.y + 2.6 * gap;
  const round = (v: number) => Number(v.toPrecision(4));
  const grip = (label: string, at: Vector3, color: number, rest: Omit<Grip, 'label' | 'at' | 'color'>): Grip => ({
    label,
    at,
    color,
    small: true,
    ...rest,
  });
  const diagonal = right.clone().sub(up).normalize();
  const sized = (k: number) => ({ wide: round(d.wide * k), ...(d.tall ? { tall: round(d.tall * k) } : {}) });
  const grips = [
    grip('Move', at, PLUM, {
      surface: true,
      change: (to, nrm) => (nrm ? { pos: place(to), nrm: direction(nrm) } : { pos: place(to) }),
    }),
    grip('Turn', along(up, neck), SUN, {
      ring: { center: at, normal: out, radius: neck },
      change: (to, _, snap) => ({ up: direction(snap ? stepped(to.clone().sub(at), out) : to.clone().sub(at)) }),
    }),
    grip('Size', corner(1, -1, gap), WHITE, {
      along: diagonal,
      change: (to) => {
        const by = to
          .clone()
          .sub(corner(1, -1, gap))
          .dot(diagonal);
        return sized(Math.max(1 + by / Math.hypot(half.x, half.y), 0.05));
      },
    }),
    grip('Width of', along(right, half.x + gap), GREY, {
      along: right,
      change: (to) => ({
        wide: round(Math.max(2 * (to.clone().sub(at).dot(right) - gap), d.wide * 0.05)),
        tall: d.tall || round(tall),
      }),
    }),
    grip('Height of', along(up, half.y + gap), GREY, {
      along: up,
      change: (to) => ({ tall: round(Math.max(2 * (to.clone().sub(at).dot(up) - gap), tall * 0.05)) }),
    }),
  ];
  const pulled = d.corners?.length ? d.corners : Array<number>(8).fill(0);
  const at4 = CORNERS.map(([, i, j], k) =>
    corner(i, j)
      .addScaledVector(right, pulled[2 * k] * d.wide)
      .addScaledVector(up, -pulled[2 * k + 1] * tall),
  );
  const traces = [line([...at4, at4[0]], WHITE), line([along(up, half.y + gap), along(up, neck)], SUN)];
  if (corners) {
    const bounded = (v: number) => Math.min(Math.max(Number(v.toFixed(4)), -4), 4);
    grips.splice(2);
    CORNERS.forEach(([name, i, j], k) => {
      const change = (to: Vector3) => {
        const by = to.clone().sub(corner(i, j));
        const next = [...pulled];
        next[2 * k] = bounded(by.dot(right) / d.wide);
        next[2 * k + 1] = bounded(-by.dot(up) / tall);
        return goesRound(next) ? { corners: next } : {};
      };
      grips.push(grip(`Corner ${name} of`, at4[k], WHITE, { plane: out, change }));
    });
  }
  if (!d.wrapped && !corners) {
    traces.push(line([at, along(out, d.depth)], GREY));
    grips.push(
      grip('Depth of', along(out, d.depth), LIVE, {
        along: out,
        change: (to) => ({ depth: round(Math.max(to.clone().sub(at).dot(out), 1e-4)) }),
      }),
    );
  }
  return { grips, traces, blobs: [] };
}

/** How far corners pulled so lie from the middle at most, in halves of the width and the height; at least 1. */
export function reachOf(off: number[]): [number, number] {
  const far = CORNERS.map(([, i, j], k) => [
    Math.abs(i + 2 * (off[2 * k] ?? 0)),
    Math.abs(2 * (off[2 * k + 1] ?? 0) - j),
  ]);
  return [Math.max(1, ...far.map((f) => f[0])), Math.max(1, ...far.map((f) => f[1]))];
}

/** Whether corners pulled so still go round the picture; the server refuses what does not. */
export function goesRound(off: number[]): boolean {
  const at = CORNERS.map(([, i, j], k) => [(i + 1) / 2 + off[2 * k], (1 - j) / 2 + off[2 * k + 1]]);
  return at.every(([x, y], k) => {
    const [a, b] = [at[(k + 3) % 4], at[(k + 1) % 4]];
    return (x - a[0]) * (b[1] - y) - (y - a[1]) * (b[0] - x) >= 0.0201;
  });
}

const AXES: Record<string, Three> = {
  up: [0, 1, 0],
  down: [0, -1, 0],
  east: [1, 0, 0],
  west: [-1, 0, 0],
  south: [0, 0, 1],
  north: [0, 0, -1],
};

/** The places of a step with its parameters, or nothing when it has none. */
export function stepGrips(kind: StepKind, step: Step, over: Record<string, unknown>, box: Box3): Shown {
  const out: Shown = { grips: [], traces: [], blobs: [] };
  const p = (name: string) => over[name] ?? step.params?.[name] ?? kind.params!.find((q) => q.name === name)?.default;
  const num = (name: string) => p(name) as number;
  const bound = (name: string, v: number) => {
    const q = kind.params!.find((q) => q.name === name)!;
    return Math.min(Math.max(Math.round(v * 1e5) / 1e5, q.min), q.max);
  };
  const size = box.getSize(new Vector3());
  const line = (points: Vector3[], color: number, before = false) => out.traces.push({ points, color, before });
  const dots = (except: string[] = []) => {
    for (const q of kind.params ?? []) {
      if (except.includes(q.name)) continue;
      if (q.kind === 'point') {
        const grip: Grip = {
          label: q.label,
          at: v3(p(q.name)),
          color: PLUM,
          change: (to) => ({ [q.name]: place(to) }),
        };
        out.grips.push(grip);
      }
      if (q.kind === 'points')
        (p(q.name) as number[][]).forEach((at, i, all) =>
          out.grips.push({
            label: `${q.label} ${i + 1}`,
            at: v3(at),
            color: PLUM,
            surface: true,
            change: (to) => ({ [q.name]: all.map((o, k) => (k === i ? place(to) : o)) }),
          }),
        );
    }
  };
  switch (kind.place) {
    case 'axis': {
      const a = v3(AXES[p('axis') as string] ?? AXES.up);
      const back = a.x + a.y + a.z < 0;
      const from = back ? box.max : box.min;
      const length = size.dot(a) * (back ? -1 : 1) || 1;
      const abs = new Vector3(Math.abs(a.x), Math.abs(a.y), Math.abs(a.z));
      for (const [name, label, color] of [
        ['start', 'black until', DARK],
        ['end', 'white from', WHITE],
      ] as const) {
        // the outline of a plane through the model's box, a little wider than it
        const c = box.getCenter(new Vector3());
        c.addScaledVector(
          a,
          from
            .clone()
            .addScaledVector(a, num(name) * Math.abs(length))
            .sub(c)
            .dot(a),
        );
        const flat = size.clone().multiplyScalar(0.54).sub(size.clone().multiplyScalar(0.54).multiply(abs));
        const [u, w] = abs.y ? ['x', 'z'] : abs.x ? ['z', 'y'] : ['x', 'y'];
        const corner = (i: number, j: number) => {
          const v = c.clone();
          v[u as 'x'] += flat[u as 'x'] * i;
          v[w as 'y'] += flat[w as 'y'] * j;
          return v;
        };
        line([corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1), corner(-1, -1)], color);
        out.grips.push({
          label,
          at: corner(1, 1),
          color,
          along: a,
          change: (to) => ({ [name]: bound(name, to.clone().sub(from).dot(a) / Math.abs(length)) }),
        });
      }
      break;
    }
    case 'line':
      line([v3(p('from')), v3(p('to'))], GREY, true);
      dots();
      out.grips[0].color = DARK;
      out.grips[1].color = WHITE;
      break;
    case 'ball': {
      const [c, r] = [v3(p('at')), num('radius')];
      const [x, y, z] = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)];
      for (const [a, b] of [
        [x, y],
        [y, z],
        [z, x],
      ])
        line(circle(c, a, b, r), GREY);
      line(circle(c, x, z, r * Math.min(num('core'), 1)), WHITE);
      dots();
      const reach = (
        label: string,
        along: Vector3,
        at: number,
        change: (r: number) => Record<string, unknown>,
        color: number,
      ) =>
        out.grips.push({
          label,
          at: c.clone().addScaledVector(along, at),
          along,
          color,
          change: (to) => change(Math.max(to.clone().sub(c).dot(along), 1e-4)),
        });
      reach('radius', x, r, (v) => ({ radius: bound('radius', v) }), GREY);
      reach('core', z, r * num('core'), (v) => ({ core: bound('core', v / r) }), WHITE);
      break;
    }
    case 'box': {
      const c = v3(p('at'));
      const half = new Vector3(num('width'), num('tall'), num('deep')).multiplyScalar(0.5);
      const t = (num('turn') * Math.PI) / 180;
      const [ex, ez] = [new Vector3(Math.cos(t), 0, -Math.sin(t)), new Vector3(Math.sin(t), 0, Math.cos(t))];
      const ey = new Vector3(0, 1, 0);
      const corner = (i: number, j: number, k: number) =>
        c
          .clone()
          .addScaledVector(ex, half.x * i)
          .addScaledVector(ey, half.y * j)
          .addScaledVector(ez, half.z * k);
      for (const j of [-1, 1])
        line([corner(-1, j, -1), corner(1, j, -1), corner(1, j, 1), corner(-1, j, 1), corner(-1, j, -1)], WHITE);
      for (const [i, k] of [
        [-1, -1],
        [1, -1],
        [1, 1],
        [-1, 1],
      ])
        line([corner(i, -1, k), corner(i, 1, k)], WHITE);
      dots();
      for (const [name, along, at] of [
        ['width', ex, half.x],
        ['tall', ey, half.y],
        ['deep', ez, half.z],
      ] as const)
        out.grips.push({
          label: kind.params!.find((q) => q.name === name)!.label,
          at: c.clone().addScaledVector(along, at),
          along,
          color: WHITE,
          change: (to) => ({ [name]: bound(name, 2 * Math.max(to.clone().sub(c).dot(along), 1e-4)) }),
        });
      const far = Math.max(half.x, half.z) * 1.5;
      line(circle(c, new Vector3(1, 0, 0), new Vector3(0, 0, 1), far), GREY);
      out.grips.push({
        label: 'turn',
        at: c.clone().addScaledVector(ex, far),
        color: SUN,
        ring: { center: c, normal: ey, radius: far },
        change: (to) => {
          const d = to.clone().sub(c);
          return { turn: bound('turn', (Math.atan2(-d.z, d.x) * 180) / Math.PI) };
        },
      });
      break;
    }
    case 'cast': {
      const laid = p('laid') as string;
      if (laid === 'by UVs') break;
      if (laid === 'along the surface') {
        // only where its head leads: an arrow at the model's middle
        const center = box.getCenter(new Vector3());
        const radius = size.length() * 0.47;
        const dir = v3(p('along')).normalize();
        const at = center.clone().addScaledVector(dir, radius);
        line([center, at], LIVE, true);
        out.traces.push(...head(at, dir, radius * 0.06, LIVE));
        const change = (to: Vector3) => ({ along: direction(to.clone().sub(center)) });
        out.grips.push({ label: 'axis', at, color: LIVE, ball: { center, radius }, change });
        break;
      }
      const [c, s] = [v3(p('at')), num('size')];
      dots();
      const boxed = laid === 'from three sides' || laid === 'as a box';
      const normal = boxed ? new Vector3(0, 0, 1) : v3(p('along')).normalize();
      const t = (num('turn') * Math.PI) / 180;
      const [a, b] = boxed ? [new Vector3(1, 0, 0), new Vector3(0, 1, 0)] : tangents(normal);
      const right = a.clone().multiplyScalar(Math.cos(t)).addScaledVector(b, -Math.sin(t));
      const over = a.clone().multiplyScalar(Math.sin(t)).addScaledVector(b, Math.cos(t));
      const corner = (i: number, j: number) =>
        c
          .clone()
          .addScaledVector(right, (s / 2) * i)
          .addScaledVector(over, (s / 2) * j);
      if (!boxed) {
        const radius = size.length() * 0.47;
        const at = c.clone().addScaledVector(normal, radius);
        line([c, at], LIVE, true);
        out.grips.push({
          label: 'axis',
          at,
          color: LIVE,
          ball: { center: c, radius },
          change: (to) => ({ along: direction(to.clone().sub(c)) }),
        });
      }
      if (!boxed && laid !== 'flat') {
        // wound round the axis: rings where one repeat begins and ends
        const wide = (size.length() - Math.abs(size.dot(normal))) / 4;
        for (const k of [-1, 1]) line(circle(c.clone().addScaledVector(normal, (k * s) / 2), a, b, wide), WHITE);
        out.grips.push({
          label: 'size',
          at: c
            .clone()
            .addScaledVector(normal, s / 2)
            .addScaledVector(a, wide),
          along: normal,
          color: WHITE,
          change: (to) => ({ size: bound('size', 2 * Math.max(to.clone().sub(c).dot(normal), 1e-4)) }),
        });
        break;
      }
      line([corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1), corner(-1, -1)], WHITE, true);
      out.grips.push({
        label: 'size',
        at: corner(1, 0),
        along: right,
        color: WHITE,
        change: (to) => ({ size: bound('size', 2 * Math.max(to.clone().sub(c).dot(right), 1e-4)) }),
      });
      out.grips.push({
        label: 'turn',
        at: c.clone().addScaledVector(over, s * 0.66),
        color: SUN,
        ring: { center: c, normal, radius: s * 0.66 },
        change: (to) => {
          const d = to.clone().sub(c);
          return { turn: bound('turn', (Math.atan2(d.dot(a), d.dot(b)) * 180) / Math.PI) };
        },
      });
      break;
    }
    default:
      dots();
  }
  // directions that nothing else shows stand as arrows at the model's middle
  const middle = box.getCenter(new Vector3());
  const radius = size.length() * 0.47;
  for (const q of kind.params ?? []) {
    if (q.kind !== 'direction' || kind.place === 'cast') continue;
    if (kind.kind === 'facing' && p('axis') !== 'as set') continue;
    const dir = v3(p(q.name)).normalize();
    const at = middle.clone().addScaledVector(dir, radius);
    line([middle, at], LIVE, true);
    out.traces.push(...head(at, dir, radius * 0.06, LIVE));
    out.grips.push({
      label: q.label,
      at,
      color: LIVE,
      ball: { center: middle, radius },
      change: (to) => ({ [q.name]: direction(to.clone().sub(middle)) }),
    });
  }
  return out;
}

/** Parameters that fit a step's place in space to the model when it is laid. */
export function suggested(kind: StepKind, box: Box3): Record<string, unknown> {
  const c = box.getCenter(new Vector3());
  const size = box.getSize(new Vector3());
  const two = (v: number) => Number(v.toPrecision(2));
  switch (kind.place) {
    case 'line':
      return { from: place(c.clone().setY(box.min.y)), to: place(c.clone().setY(box.max.y)) };
    case 'ball':
      return { at: place(c), radius: two(size.length() * 0.4) };
    case 'box':
      return {
        at: place(c),
        width: two(size.x * 0.6),
        tall: two(size.y * 0.6),
        deep: two(size.z * 0.6),
        fade: two(size.length() * 0.05),
      };
    case 'cast':
      return { at: place(c), size: two(size.length() * 0.3) };
  }
  return {};
}
