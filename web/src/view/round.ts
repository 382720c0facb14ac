// What of the surface lies within a radius of a place, as it lies on the sheets laid flat.
import { Vector3, type BufferAttribute, type BufferGeometry } from 'three';

/** Of each triangle the middle of its corners' places and how far they lie from it, metres: four numbers. */
export function around(g: BufferGeometry): Float32Array {
  const [place, index] = [g.getAttribute('place'), g.index!];
  const out = new Float32Array((index.count / 3) * 4);
  const [a, b, c, m] = [new Vector3(), new Vector3(), new Vector3(), new Vector3()];
  for (let t = 0; t < out.length / 4; t++) {
    [a, b, c].forEach((v, k) => v.fromBufferAttribute(place, index.getX(3 * t + k)));
    m.copy(a).add(b).add(c).divideScalar(3);
    out.set([m.x, m.y, m.z, Math.max(m.distanceTo(a), m.distanceTo(b), m.distanceTo(c))], 4 * t);
  }
  return out;
}

/**
 * The lines on which the surface that faces as nrm (of length 1) does is a radius away from a place, both in
 * metres of the model, by straight distance: x and y on the sheet as g has them, one pair after another. Each triangle has its pieces of them, exact at their ends; an island's
 * rim is no line of theirs. g: corners with their position on the sheet, place and outward on the model.
 */
export function rim(
  g: BufferGeometry,
  triangles: Float32Array,
  place: Vector3,
  nrm: Vector3,
  radius: number,
): number[][] {
  const out: number[][] = [];
  const [on, outward, flat] = ['place', 'outward', 'position'].map((n) => g.getAttribute(n) as BufferAttribute);
  const p = [new Vector3(), new Vector3(), new Vector3()];
  const [e1, e2, n, q, u, v, w] = Array.from({ length: 7 }, () => new Vector3());
  for (let t = 0; t < triangles.length / 4; t++) {
    const far = Math.hypot(triangles[4 * t] - place.x, triangles[4 * t + 1] - place.y, triangles[4 * t + 2] - place.z);
    if (far > radius + triangles[4 * t + 3] || far + triangles[4 * t + 3] < radius) continue;
    const at = [0, 1, 2].map((k) => g.index!.getX(3 * t + k));
    if (w.fromBufferAttribute(outward, at[0]).dot(nrm) <= 0) continue;
    p.forEach((c, k) => c.fromBufferAttribute(on, at[k]));
    e1.subVectors(p[1], p[0]);
    e2.subVectors(p[2], p[0]);
    n.crossVectors(e1, e2);
    if (!(n.length() > 0)) continue;
    n.normalize();
    const off = w.subVectors(place, p[0]).dot(n);
    if (Math.abs(off) >= radius) continue;
    // the circle in which the triangle's plane cuts the ball
    const rho = Math.sqrt(radius * radius - off * off);
    q.copy(place).addScaledVector(n, -off);
    u.copy(e1).normalize();
    v.crossVectors(n, u);
    const [a, b, c] = [e1.dot(e1), e1.dot(e2), e2.dot(e2)];
    const det = a * c - b * b;
    if (!(det > 0)) continue;
    /** shares of the second and third corner in the circle's point at an angle */
    const shares = (angle: number): [number, number] => {
      w.copy(q)
        .addScaledVector(u, rho * Math.cos(angle))
        .addScaledVector(v, rho * Math.sin(angle))
        .sub(p[0]);
      const [x, y] = [w.dot(e1), w.dot(e2)];
      return [(c * x - b * y) / det, (a * y - b * x) / det];
    };
    const inside = (angle: number) => {
      const [x, y] = shares(angle);
      return x >= 0 && y >= 0 && x + y <= 1;
    };
    const cuts: number[] = [];
    for (let k = 0; k < 3; k++) {
      const side = p[(k + 1) % 3].clone().sub(p[k]);
      const from = w.subVectors(p[k], q);
      const [A, B, C] = [side.dot(side), from.dot(side), from.dot(from) - rho * rho];
      const root = B * B - A * C;
      if (!(root > 0) || !(A > 0)) continue;
      for (const s of [(-B - Math.sqrt(root)) / A, (-B + Math.sqrt(root)) / A])
        if (s >= 0 && s <= 1) {
          const x = from.dot(u) + s * side.dot(u);
          const y = from.dot(v) + s * side.dot(v);
          cuts.push(Math.atan2(y, x));
        }
    }
    cuts.sort((x, y) => x - y);
    if (!cuts.length) cuts.push(0);
    cuts.forEach((first, k) => {
      const last = k + 1 < cuts.length ? cuts[k + 1] : cuts[0] + 2 * Math.PI;
      if (last - first < 1e-9 || !inside((first + last) / 2)) return;
      const steps = Math.max(1, Math.ceil((last - first) / (Math.PI / 20)));
      const line: number[] = [];
      for (let i = 0; i <= steps; i++) {
        const [x, y] = shares(first + ((last - first) * i) / steps);
        const share = [1 - x - y, x, y];
        line.push(
          share.reduce((sum, s, m) => sum + s * flat.getX(at[m]), 0),
          share.reduce((sum, s, m) => sum + s * flat.getY(at[m]), 0),
        );
      }
      out.push(line);
    });
  }
  return out;
}
