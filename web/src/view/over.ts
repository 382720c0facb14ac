// A material over all of the model, as a hatching: drawn on what is seen, after it.
import { Group, Mesh, type ShaderMaterial } from 'three';
import type { Stage } from './stage';

/** What such a material needs so that it lies over the surface. */
export const OVER = {
  transparent: true,
  depthWrite: false,
  polygonOffset: true,
  polygonOffsetFactor: -2,
  polygonOffsetUnits: -2,
};

export class WornOver {
  private readonly group = new Group();

  constructor(
    private readonly stage: Stage,
    private readonly material: ShaderMaterial,
  ) {
    this.group.visible = false;
    stage.scene.add(this.group);
  }

  /** Shows it, as set sets it up; null: shows nothing. */
  show(set: (() => void) | null) {
    if (!set && !this.group.visible) return;
    this.group.visible = !!set;
    if (set) {
      this.wear();
      this.group.children.forEach((h, i) => (h.visible = this.stage.meshes[i].visible));
      set();
    }
    this.stage.invalidate();
  }

  /** Puts a mesh over each of the model's. */
  private wear() {
    if (this.group.children.length === this.stage.meshes.length) return;
    this.group.clear();
    for (const m of this.stage.meshes) {
      const h = new Mesh(m.geometry, this.material);
      h.matrixAutoUpdate = false;
      h.matrix.copy(m.matrixWorld);
      h.renderOrder = 2;
      this.group.add(h);
    }
  }

  dispose() {
    this.show(null);
    this.stage.scene.remove(this.group);
    this.material.dispose();
  }
}
