// The conditions on the model: arrows for rain, wind and sun whose balls can be
// dragged, rings for ground and waterline, and the touch points.
import {
  BufferGeometry,
  ConeGeometry,
  Group,
  Line,
  LineBasicMaterial,
  LineLoop,
  Mesh,
  MeshBasicMaterial,
  Raycaster,
  Sphere,
  SphereGeometry,
  Vector2,
  Vector3,
  type Box3,
} from 'three';
import type { Conditions } from '../api/client';
import type { Stage } from './stage';

export type Handle = 'rain' | 'wind' | 'sunAt';

const COLORS: Record<Handle, number> = { rain: 0x63b8a2, wind: 0xe8e8e8, sunAt: 0xd9a441 };
export const handleNames: Record<Handle, string> = { rain: 'rain', wind: 'wind', sunAt: 'sun' };

export class Handles {
  private readonly group = new Group();
  private readonly ray = new Raycaster();
  private balls: { handle: Handle; mesh: Mesh }[] = [];
  private center = new Vector3();
  private radius = 1;

  constructor(private readonly stage: Stage) {
    stage.scene.add(this.group);
  }

  clear() {
    for (const o of [...this.group.children]) {
      (o as Mesh).geometry.dispose();
      ((o as Mesh).material as MeshBasicMaterial).dispose();
      this.group.remove(o);
    }
    this.balls = [];
    this.stage.invalidate();
  }

  show(c: Conditions, box: Box3) {
    this.clear();
    box.getCenter(this.center);
    this.radius = box.getSize(new Vector3()).length() * 0.56;
    for (const h of ['rain', 'wind', 'sunAt'] as Handle[]) this.arrow(h, this.from(h, c[h] as number[]));
    const up = new Vector3(...(c.up as [number, number, number])).normalize();
    const low = box.min.clone();
    const base = low.dot(up) + c.ground;
    this.ring(up, base, 0x8a8a8a);
    if (c.water > 0) this.ring(up, base + c.water, COLORS.rain);
    for (const t of c.touch ?? []) {
      const m = new Mesh(
        new SphereGeometry(t.radius, 24, 16),
        new MeshBasicMaterial({ color: 0xc28ab2, transparent: true, opacity: 0.28, depthWrite: false }),
      );
      m.position.set(...(t.pos as [number, number, number]));
      this.group.add(m);
    }
    this.stage.invalidate();
  }

  /** Where a ball lies: rain and wind come from there, the sun stands there. */
  private from(h: Handle, d: number[]) {
    const v = new Vector3(...(d as [number, number, number])).normalize();
    return h === 'sunAt' ? v : v.negate();
  }

  private arrow(h: Handle, dir: Vector3) {
    const color = COLORS[h];
    const basic = () => new MeshBasicMaterial({ color, depthTest: false, transparent: true });
    const at = this.center.clone().addScaledVector(dir, this.radius);
    const ball = new Mesh(new SphereGeometry(this.radius * 0.035, 20, 14), basic());
    ball.position.copy(at);
    const tip = this.center.clone().addScaledVector(dir, this.radius * 0.74);
    const cone = new Mesh(new ConeGeometry(this.radius * 0.022, this.radius * 0.07, 16), basic());
    cone.position.copy(tip);
    cone.quaternion.setFromUnitVectors(new Vector3(0, 1, 0), dir.clone().negate());
    const line = new Line(
      new BufferGeometry().setFromPoints([at, tip]),
      new LineBasicMaterial({ color, depthTest: false, transparent: true }),
    );
    for (const o of [ball, cone, line]) o.renderOrder = 10;
    this.group.add(ball, cone, line);
    this.balls.push({ handle: h, mesh: ball });
  }

  private ring(up: Vector3, height: number, color: number) {
    const a = new Vector3(1, 0, 0).cross(up);
    if (a.lengthSq() < 1e-4) a.set(0, 0, 1).cross(up);
    a.normalize();
    const b = up.clone().cross(a);
    const middle = this.center.clone().addScaledVector(up, height - this.center.dot(up));
    const points = Array.from({ length: 72 }, (_, i) => {
      const t = (i / 72) * 2 * Math.PI;
      return middle
        .clone()
        .addScaledVector(a, Math.cos(t) * this.radius * 0.8)
        .addScaledVector(b, Math.sin(t) * this.radius * 0.8);
    });
    this.group.add(new LineLoop(new BufferGeometry().setFromPoints(points), new LineBasicMaterial({ color })));
  }

  /** The handle whose ball lies under a point of the canvas. */
  hit(x: number, y: number): Handle | null {
    let best: Handle | null = null;
    let near = 16;
    for (const { handle, mesh } of this.balls) {
      const d = this.stage.project(mesh.position).distanceTo(new Vector2(x, y));
      if (d < near) [near, best] = [d, handle];
    }
    return best;
  }

  /** The direction that a handle has when its ball is dragged to a point of the canvas. */
  drag(h: Handle, x: number, y: number): number[] {
    this.stage.aim(this.ray, x, y);
    const sphere = new Sphere(this.center, this.radius);
    const hit = this.ray.ray.intersectSphere(sphere, new Vector3());
    const at = hit ?? this.ray.ray.closestPointToPoint(this.center, new Vector3());
    const d = at.sub(this.center).normalize();
    if (h !== 'sunAt') d.negate();
    return d.toArray().map((v) => Math.round(v * 1000) / 1000);
  }
}
