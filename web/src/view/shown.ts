// What is drawn over the model and cannot be pulled: faces without a counterpart, and the
// planes and the axis by which strokes are repeated.
import { Box3, Vector3 } from 'three';
import type { Shown } from './handles';
import { cut, type Mirror } from './twins';

/** Faces, nine numbers each, as their outlines. */
export function outlines(faces: number[] | null | undefined): Shown | null {
  if (!faces?.length) return null;
  const traces = [];
  for (let i = 0; i + 8 < faces.length; i += 9) {
    const corner = (k: number) => new Vector3(faces[i + k], faces[i + k + 1], faces[i + k + 2]);
    traces.push({ points: [corner(0), corner(3), corner(6), corner(0)], color: 0xe2735f });
  }
  return { grips: [], traces, blobs: [] };
}

/** The planes and the axis of a symmetry, about a model in a box. */
export function planes(symmetry: Mirror | undefined, bounds: Box3): Shown | null {
  if (!symmetry) return null;
  const box = bounds.clone().expandByScalar(bounds.getSize(new Vector3()).length() * 0.04);
  const { at, planes, axis, radial } = symmetry;
  const traces = planes.map((n) => ({ points: cut(at, n, box), color: 0xc98fb4, before: true }));
  if (radial > 1) {
    const far = axis.clone().multiplyScalar(box.getSize(new Vector3()).length());
    const ends = box.clone().intersect(new Box3(at.clone().sub(far), at.clone().add(far)));
    const end = (p: Vector3) => at.clone().addScaledVector(axis, p.clone().sub(at).dot(axis));
    traces.push({ points: [end(ends.min), end(ends.max)], color: 0xc98fb4, before: true });
  }
  return { grips: [], traces, blobs: [] };
}
