// The camera that looks at the model: with perspective, of a focal length, or flat, where what lies
// farther away is as large.
import { OrthographicCamera, PerspectiveCamera, Vector3 } from 'three';

/** half the height of the picture behind the lens, mm: of the usual small format */
const HALF = 12;

/** mm: sees 32° from foot to head, about as the eye does */
export const FOCAL = HALF / Math.tan((16 * Math.PI) / 180);

const fovOf = (focal: number) => (2 * Math.atan(HALF / focal) * 180) / Math.PI;

export class Lens extends PerspectiveCamera {
  /** without perspective */
  flat = false;
  /** of a flat one: half of the height that it sees, metres */
  half = 1;
  // what three reads of a camera without perspective
  left = -1;
  right = 1;
  top = 1;
  bottom = -1;
  declare isPerspectiveCamera: true;
  isOrthographicCamera = false;

  constructor() {
    super(fovOf(FOCAL), 1, 0.001, 100);
    this.updateProjectionMatrix();
  }

  /** the focal length that sees as much, mm */
  get focal(): number {
    return HALF / Math.tan((this.fov * Math.PI) / 360);
  }

  /** Half of the height that it sees at a distance, metres. */
  seen(distance: number): number {
    return this.flat ? this.half / this.zoom : (distance * Math.tan((this.fov * Math.PI) / 360)) / this.zoom;
  }

  /** Takes another focal length, or none; what it looks at stays as large. */
  turn(focal: number, flat: boolean, target: Vector3) {
    const away = this.position.clone().sub(target);
    const half = this.seen(away.length());
    this.flat = flat;
    this.half = half;
    this.fov = fovOf(focal);
    (this as { isPerspectiveCamera: boolean }).isPerspectiveCamera = !flat;
    this.isOrthographicCamera = flat;
    // a flat one stands where one with perspective would: it is as far from what it could cut
    const distance = half / Math.tan((this.fov * Math.PI) / 360);
    this.position.copy(target).addScaledVector(away.normalize(), distance);
    this.zoom = 1;
    this.updateProjectionMatrix();
  }

  /** What the wheel did to a flat one becomes what it sees. */
  settle() {
    if (!this.flat || this.zoom === 1) return;
    this.half /= this.zoom;
    this.zoom = 1;
  }

  override updateProjectionMatrix() {
    if (!this.flat) return super.updateProjectionMatrix();
    this.top = this.half;
    this.bottom = -this.half;
    this.right = this.half * this.aspect;
    this.left = -this.right;
    OrthographicCamera.prototype.updateProjectionMatrix.call(this as unknown as OrthographicCamera);
  }

  override copy(from: this, recursive?: boolean): this {
    super.copy(from, recursive);
    this.flat = from.flat;
    this.half = from.half;
    (this as { isPerspectiveCamera: boolean }).isPerspectiveCamera = !from.flat;
    this.isOrthographicCamera = from.flat;
    this.updateProjectionMatrix();
    return this;
  }
}

/** What the lens was of a view, times projection, column by column. */
export function lensIn(view: number[]): { focal: number; flat: boolean; half: number } {
  const up = Math.hypot(view[1], view[5], view[9]);
  const flat = Math.hypot(view[3], view[7], view[11]) < 1e-9;
  return { flat, half: 1 / up, focal: flat ? FOCAL : HALF * up };
}
