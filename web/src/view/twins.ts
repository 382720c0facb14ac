// Where strokes are repeated while one paints: planes through a middle, and turns around
// an axis through it; as the service has them (core/brush/twin.go).
import { Box3, Matrix4, Vector3 } from 'three';

/** How the symmetry is set. */
export interface Setting {
  x: boolean;
  y: boolean;
  z: boolean;
  /** a plane of any direction: its normal */
  plane: number[] | null;
  /** where planes and axis go through; none: the middle of the model */
  at: number[] | null;
  times: number;
  axis: 'x' | 'y' | 'z';
  fade: number;
}

export interface Mirror {
  at: Vector3;
  planes: Vector3[];
  axis: Vector3;
  radial: number;
  fade: number;
}

const axes = { x: new Vector3(1, 0, 0), y: new Vector3(0, 1, 0), z: new Vector3(0, 0, 1) };

/** The symmetry that is set on a model, or none. */
export function mirrorOf(m: Setting, bounds: Box3): Mirror | undefined {
  const planes = (['x', 'y', 'z'] as const).filter((k) => m[k]).map((k) => axes[k].clone());
  if (m.plane) planes.push(new Vector3().fromArray(m.plane).normalize());
  planes.splice(3); // as many as a stroke can have
  if (!planes.length && m.times < 2) return undefined;
  const at = m.at ? new Vector3().fromArray(m.at) : bounds.getCenter(new Vector3());
  return { at, planes, axis: axes[m.axis].clone(), radial: m.times, fade: m.fade };
}

/** The places of a stroke but its own, as what takes a place on the model there. */
export function twins(m: Mirror): Matrix4[] {
  let out = [new Matrix4()];
  for (const n of m.planes) {
    const { x, y, z } = n;
    const over = new Matrix4().set(
      ...[1 - 2 * x * x, -2 * x * y, -2 * x * z, 0],
      ...[-2 * x * y, 1 - 2 * y * y, -2 * y * z, 0],
      ...[-2 * x * z, -2 * y * z, 1 - 2 * z * z, 0],
      ...([0, 0, 0, 1] as const),
    );
    out = [...out, ...out.map((w) => over.clone().multiply(w))];
  }
  if (m.radial > 1) {
    const first = out;
    out = [];
    for (let k = 0; k < m.radial; k++) {
      const turn = new Matrix4().makeRotationAxis(m.axis, (2 * Math.PI * k) / m.radial);
      out.push(...first.map((w) => turn.clone().multiply(w)));
    }
  }
  const to = new Matrix4().makeTranslation(m.at);
  const from = new Matrix4().makeTranslation(m.at.clone().negate());
  return out.slice(1).map((w) => to.clone().multiply(w).multiply(from));
}

/** Where a plane cuts a box: a closed line, or nothing. */
export function cut(at: Vector3, n: Vector3, box: Box3): Vector3[] {
  const corner = (i: number) =>
    new Vector3(i & 1 ? box.max.x : box.min.x, i & 2 ? box.max.y : box.min.y, i & 4 ? box.max.z : box.min.z);
  const found: Vector3[] = [];
  for (let i = 0; i < 8; i++)
    for (const bit of [1, 2, 4]) {
      if (i & bit) continue;
      const [a, b] = [corner(i), corner(i | bit)];
      const [da, db] = [a.clone().sub(at).dot(n), b.clone().sub(at).dot(n)];
      if (da === db || da * db > 0) continue;
      found.push(a.lerp(b, da / (da - db)));
    }
  if (found.length < 3) return [];
  const mid = found.reduce((s, p) => s.add(p), new Vector3()).divideScalar(found.length);
  const u = found[0].clone().sub(mid).normalize();
  const v = n.clone().cross(u);
  const turn = (p: Vector3) => Math.atan2(p.clone().sub(mid).dot(v), p.clone().sub(mid).dot(u));
  found.sort((a, b) => turn(a) - turn(b));
  return [...found, found[0]];
}
