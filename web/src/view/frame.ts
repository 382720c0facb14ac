// How far away a model is looked at, so that all of it is seen.
import { Box3, Vector3 } from 'three';

/** Where from a model is looked at first, per unit of distance. */
export const FROM = new Vector3(0.42, 0.24, 0.87);
/** Pixels at the top of the view that the rows of tools take. */
export const BARS = 60;

/**
 * The distance along from, and how far to look beside the middle c, at which a box lies below
 * the share top of the upper half of the view (1: its border), and within the lower half. It is
 * the usual distance where that is enough.
 * @param tan of half the angle of view
 */
export function clearOf(box: Box3, c: Vector3, from: Vector3, usual: number, tan: number, top: number) {
  const way = from.clone().normalize();
  const right = new Vector3(0, 1, 0).cross(way).normalize();
  const high = way.clone().cross(right);
  const at: [number, number][] = []; // of each corner: how high, how near
  for (let i = 0; i < 8; i++) {
    const p = new Vector3(
      i & 1 ? box.max.x : box.min.x,
      i & 2 ? box.max.y : box.min.y,
      i & 4 ? box.max.z : box.min.z,
    ).sub(c);
    at.push([p.dot(high), p.dot(way)]);
  }
  const bottom = 0.97;
  let d = usual;
  let s = 0;
  for (let turn = 0; turn < 12; turn++) {
    const seen = at.map(([y, near]) => (y - s) / (Math.max(d * from.length() - near, 1e-9) * tan));
    const [hi, lo] = [Math.max(...seen), Math.min(...seen)];
    if (hi <= top && lo >= -bottom) break;
    if (hi - lo > top + bottom) d *= ((hi - lo) / (top + bottom)) * 1.005;
    s += ((hi - top + (lo + bottom)) / 2) * d * tan;
  }
  return { d, up: high.multiplyScalar(s) };
}
