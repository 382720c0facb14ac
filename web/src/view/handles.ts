// Things drawn over the model that can be pulled: grips, and the lines between them.
import {
  BufferGeometry,
  Group,
  Line,
  LineBasicMaterial,
  Mesh,
  MeshBasicMaterial,
  Plane,
  Raycaster,
  type Scene,
  Sphere,
  SphereGeometry,
  Vector2,
  Vector3,
} from 'three';
import type { Stage } from './stage';

/** A ball on the model, and what it changes when it is pulled. */
export interface Grip {
  label: string;
  at: Vector3;
  color: number;
  /** where it may go: along a line, on a ball, round a ring, in a plane, on the surface; else beside the picture's plane */
  along?: Vector3;
  ball?: { center: Vector3; radius: number };
  ring?: { center: Vector3; normal: Vector3; radius: number };
  /** in the plane through it that faces so */
  plane?: Vector3;
  surface?: boolean;
  /** of several close together */
  small?: boolean;
  /** the values that change when it is moved to a place, of a surface that faces a direction; snap: in
   * steps, where it has some */
  change(to: Vector3, nrm?: Vector3, snap?: boolean): Record<string, unknown>;
}

/** A line over the model; hidden by it unless it lies before everything. */
export interface Trace {
  points: Vector3[];
  color: number;
  before?: boolean;
}

/** A clear ball: how far something goes. */
export interface Blob {
  at: Vector3;
  radius: number;
  color: number;
}

export interface Shown {
  grips: Grip[];
  traces: Trace[];
  blobs: Blob[];
}

/** Where things are drawn and pulled: the model's space, or the plane of the sheets laid flat. */
export interface Space {
  scene: Scene;
  /** where a place lies on the canvas */
  project(p: Vector3): Vector2;
  /** aims a ray through a point of the canvas */
  aim(ray: Raycaster, x: number, y: number): void;
  /** how large what is drawn there is together */
  size(): number;
}

export class Handles {
  private readonly group = new Group();
  private readonly ray = new Raycaster();
  private grips: Grip[] = [];
  /** how the surface faces where the last one was pulled to */
  facing: Vector3 | undefined;

  constructor(
    private readonly stage: Stage,
    private readonly space: Space,
  ) {
    space.scene.add(this.group);
  }

  /** Where the grips lie on the canvas. */
  onScreen() {
    return this.grips.map((g) => ({ label: g.label, ...xy(this.space.project(g.at)) }));
  }

  clear() {
    for (const o of [...this.group.children]) {
      (o as Mesh).geometry.dispose();
      ((o as Mesh).material as MeshBasicMaterial).dispose();
      this.group.remove(o);
    }
    this.grips = [];
    this.stage.invalidate();
  }

  show({ grips, traces, blobs }: Shown) {
    this.clear();
    const size = this.space.size();
    for (const g of grips) {
      const m = new Mesh(
        new SphereGeometry(size * (g.small ? 0.009 : 0.017), 20, 14),
        new MeshBasicMaterial({ color: g.color, depthTest: false, transparent: true }),
      );
      m.position.copy(g.at);
      m.renderOrder = 11;
      this.group.add(m);
    }
    for (const t of traces) {
      const look = { color: t.color, transparent: true, depthTest: !t.before };
      const line = new Line(new BufferGeometry().setFromPoints(t.points), new LineBasicMaterial(look));
      line.renderOrder = 10;
      this.group.add(line);
    }
    for (const b of blobs) {
      const look = { color: b.color, transparent: true, opacity: 0.28, depthWrite: false };
      const m = new Mesh(new SphereGeometry(b.radius, 24, 16), new MeshBasicMaterial(look));
      m.position.copy(b.at);
      this.group.add(m);
    }
    this.grips = grips;
    this.stage.invalidate();
  }

  /** The grip under a point of the canvas, by its number, or -1. */
  hit(x: number, y: number): number {
    let best = -1;
    let near = 14;
    this.grips.forEach((g, i) => {
      const d = this.space.project(g.at).distanceTo(new Vector2(x, y));
      if (d < near) [near, best] = [d, i];
    });
    return best;
  }

  grip(i: number): Grip | undefined {
    return this.grips[i];
  }

  /** Where a grip goes when it is pulled to a point of the canvas; on the surface when asked. */
  drag(i: number, x: number, y: number, stick = false): Vector3 {
    const g = this.grips[i];
    this.facing = undefined;
    this.space.aim(this.ray, x, y);
    const { ray } = this.ray;
    if (g.along) return nearestOnLine(g.at, g.along, ray.origin, ray.direction);
    if (g.ball) {
      const hit = ray.intersectSphere(new Sphere(g.ball.center, g.ball.radius), new Vector3());
      const at = hit ?? ray.closestPointToPoint(g.ball.center, new Vector3());
      return at.sub(g.ball.center).setLength(g.ball.radius).add(g.ball.center);
    }
    if (g.ring) {
      const { center, normal, radius } = g.ring;
      const on = ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(normal, center), new Vector3());
      const d = (on ?? ray.closestPointToPoint(center, new Vector3())).sub(center);
      return d.addScaledVector(normal, -d.dot(normal)).setLength(radius).add(center);
    }
    const picked = g.surface || stick ? this.stage.pick(x, y) : null;
    if (picked) {
      this.facing = picked.nrm;
      return picked.pos;
    }
    if (g.surface) return g.at;
    const facing = new Plane().setFromNormalAndCoplanarPoint(g.plane ?? ray.direction, g.at);
    return ray.intersectPlane(facing, new Vector3()) ?? g.at;
  }
}

const xy = (v: Vector2) => ({ x: v.x, y: v.y });

/** The point of the line through p along d that lies nearest to a ray. */
function nearestOnLine(p: Vector3, d: Vector3, from: Vector3, to: Vector3): Vector3 {
  const w = p.clone().sub(from);
  const [b, dw, tw] = [d.dot(to), d.dot(w), to.dot(w)];
  const det = d.lengthSq() - b * b;
  const t = Math.abs(det) < 1e-6 ? 0 : (b * tw - dw) / det;
  return p.clone().addScaledVector(d, t);
}
