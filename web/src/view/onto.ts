// The surface near a place that lies beside it.
import { Mesh, Raycaster, Vector3 } from 'three';
import type { MeshBVH } from 'three-mesh-bvh';
import type { Onto, Three } from '../lib/taken';

const ray = new Raycaster();

/**
 * Finds the surface of some meshes near places: along the normal first, where what is met faces as
 * it does, so that nothing falls on the far side of a thin plate; else the nearest there is.
 */
export const onto =
  (meshes: Mesh[]): Onto =>
  (at, nrm, far) => {
    const p = new Vector3(...at);
    const n = new Vector3(...nrm).normalize();
    ray.set(p.clone().addScaledVector(n, far), n.clone().negate());
    ray.far = 2 * far;
    let best: { pos: Vector3; nrm: Vector3 } | null = null;
    for (const h of ray.intersectObjects(meshes, false)) {
      const out = (h.normal ?? h.face!.normal).clone().transformDirection(h.object.matrixWorld);
      if (out.dot(n) < 0.2 || (best && best.pos.distanceTo(p) <= h.point.distanceTo(p))) continue;
      best = { pos: h.point, nrm: out };
    }
    best ??= nearest(meshes, p, n, far);
    return best && { pos: best.pos.toArray() as Three, nrm: best.nrm.toArray() as Three };
  };

function nearest(meshes: Mesh[], p: Vector3, n: Vector3, far: number) {
  let best: { pos: Vector3; nrm: Vector3 } | null = null;
  for (const m of meshes) {
    const own = m.worldToLocal(p.clone());
    const hit = (m.geometry.boundsTree as MeshBVH | undefined)?.closestPointToPoint(own);
    if (!hit) continue;
    const pos = m.localToWorld(hit.point.clone());
    if (pos.distanceTo(p) > 2 * far || (best && best.pos.distanceTo(p) <= pos.distanceTo(p))) continue;
    best = { pos, nrm: n.clone() };
  }
  return best;
}
