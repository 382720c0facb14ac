// The model taken apart to be looked at: parts moved away from its middle, and those beside one that is
// shown alone as ghosts.
import { Box3, Group, Mesh, MeshBasicMaterial, Vector3 } from 'three';

export type Axis = 'all' | 'x' | 'y' | 'z';

export class Parted {
  private readonly ghosts = new Group();
  private readonly material = new MeshBasicMaterial({
    color: 0xb8b8b8,
    transparent: true,
    opacity: 0.1,
    depthWrite: false,
  });
  private middles = new Map<string, Vector3>();

  constructor(private readonly meshes: Mesh[]) {}

  /** what is to be in the scene */
  get group(): Group {
    return this.ghosts;
  }

  /** Where the middle of each part is while nothing is moved. */
  private middle(part: string): Vector3 {
    const known = this.middles.get(part);
    if (known) return known;
    const box = new Box3();
    for (const m of this.meshes) {
      if (m.userData.part !== part) continue;
      m.geometry.computeBoundingBox();
      box.union(m.geometry.boundingBox!);
    }
    const c = box.getCenter(new Vector3());
    this.middles.set(part, c);
    return c;
  }

  /** Moves every part away from a middle, by a share of how far it is from there. */
  explode(share: number, axis: Axis, from: Vector3) {
    for (const m of this.meshes) {
      const d = this.middle(m.userData.part as string)
        .clone()
        .sub(from)
        .multiplyScalar(share);
      if (axis !== 'all') for (const k of ['x', 'y', 'z'] as const) if (k !== axis) d[k] = 0;
      m.position.copy(d);
      m.updateMatrixWorld(true);
    }
    for (const g of this.ghosts.children) {
      g.position.copy((g.userData.of as Mesh).position);
      g.updateMatrixWorld(true);
    }
  }

  /** Shows all parts but one as ghosts; '': none. */
  ghost(but: string) {
    this.ghosts.clear();
    if (!but) return;
    for (const m of this.meshes) {
      if (m.userData.part === but) continue;
      const g = new Mesh(m.geometry, this.material);
      g.position.copy(m.position);
      g.userData.of = m;
      this.ghosts.add(g);
    }
  }

  dispose() {
    this.ghosts.clear();
    this.material.dispose();
  }
}
