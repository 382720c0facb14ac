// The flat view: every sheet's islands side by side.
import {
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  Color,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  OrthographicCamera,
  Raycaster,
  Scene,
  Triangle,
  Vector2,
  Vector3,
} from 'three';
import { around, rim } from './round';
import type { Sheet } from './sheets';
import type { Hit } from './stage';

export class Flat {
  readonly scene = new Scene();
  readonly camera = new OrthographicCamera();
  private readonly center = new Vector2(0.5, -0.5);
  private zoomed = 1;

  constructor(
    private readonly sheets: Sheet[],
    private readonly meshes: Mesh[],
  ) {
    this.scene.background = new Color(0x444444);
    this.scene.add(new AmbientLight());
    this.make();
  }

  private columns() {
    return Math.min(this.sheets.length, Math.ceil(Math.sqrt(this.sheets.length * 1.4)));
  }

  /** Shows all sheets. */
  frame() {
    this.center.set(0.5 * this.columns(), -0.5 * Math.ceil(this.sheets.length / this.columns()));
    this.zoomed = 1;
  }

  /** Sets the camera for a picture of so many times its height. */
  fit(aspect: number) {
    const cols = this.columns();
    const rows = Math.ceil(this.sheets.length / cols);
    const half = (Math.max(cols / aspect, rows) / 2) * 1.06 * this.zoomed;
    const c = this.camera;
    c.left = this.center.x - half * aspect;
    c.right = this.center.x + half * aspect;
    c.top = this.center.y + half;
    c.bottom = this.center.y - half;
    c.near = -1;
    c.far = 1;
    c.updateProjectionMatrix();
  }

  zoom(factor: number) {
    this.zoomed = Math.min(Math.max(this.zoomed * factor, 0.02), 4);
  }

  /** Shifts the sheets by a share of the picture's width and height. */
  pan(x: number, y: number) {
    const c = this.camera;
    this.center.x -= x * (c.right - c.left);
    this.center.y += y * (c.top - c.bottom);
  }

  /** Upper left corners of the sheets, two numbers each; far away where there are no UVs. */
  corners(): number[] {
    return this.sheets.flatMap((s) => (s.flat ? [s.flat.position.x, s.flat.position.y] : [1e6, 1e6]));
  }

  /** How many other places of the model have the same texels as a place: twins of
   * overlapping UVs, which show at once what is painted here; apart is how far they lie. */
  sharers(h: Hit, apart: number): number {
    const flat = this.sheets[h.sheet]?.flat;
    if (!h.uv || !flat) return 0;
    const at = new Vector3(h.uv.x, -h.uv.y, 0).add(flat.position);
    flat.updateMatrixWorld();
    const ray = new Raycaster(at.clone().setZ(0.5), new Vector3(0, 0, -1));
    const places = [h.pos];
    for (const o of struck(ray, flat)) {
      const v = onModel(flat, o.point, o.face!, 'place');
      if (places.every((p) => p.distanceTo(v) > apart)) places.push(v);
    }
    return places.length - 1;
  }

  /** The place on the model that is seen under a ray through the flat picture. */
  pick(ray: Raycaster, x: number, y: number): Hit | null {
    ray.setFromCamera(new Vector2(x, y), this.camera);
    for (const [i, s] of this.sheets.entries()) {
      const h = s.flat && struck(ray, s.flat)[0];
      if (!h || !s.flat) continue;
      const local = s.flat.worldToLocal(h.point.clone());
      return {
        pos: onModel(s.flat, h.point, h.face!, 'place'),
        nrm: onModel(s.flat, h.point, h.face!, 'outward').normalize(),
        sheet: i,
        part: s.name,
        mesh: this.meshes.find((m) => m.userData.sheet === i)!,
        uv: new Vector2(local.x, -local.y),
      };
    }
    return null;
  }

  private readonly triangles = new Map<Mesh, Float32Array>();

  /** Lines round what lies within a radius of a place, on every sheet that it reaches. */
  footprint(h: Pick<Hit, 'pos' | 'nrm'>, radius: number): Vector3[][] {
    return this.sheets.flatMap(({ flat }) => {
      if (!flat) return [];
      let known = this.triangles.get(flat);
      if (!known) this.triangles.set(flat, (known = around(flat.geometry)));
      return rim(flat.geometry, known, h.pos, h.nrm, radius).map((line) =>
        Array.from({ length: line.length / 2 }, (_, i) =>
          new Vector3(line[2 * i], line[2 * i + 1], 0).add(flat.position),
        ),
      );
    });
  }

  /**
   * Where a place of the model lies on the sheets laid flat, the place there as near as it can be,
   * and which way two directions along the surface go there, for a metre each. Null: it has no UVs.
   */
  laid(place: Vector3, nrm: Vector3, right: Vector3, up: Vector3): { at: Vector3; right: Vector3; up: Vector3 } | null {
    let best: { sheet: Mesh; far: number; at: number[]; of: number[] } | null = null;
    const [tri, near, bary] = [new Triangle(), new Vector3(), new Vector3()];
    for (const { flat } of this.sheets) {
      if (!flat) continue;
      const { index } = flat.geometry;
      const [on, out] = [flat.geometry.getAttribute('place'), flat.geometry.getAttribute('outward')];
      for (let k = 0; k < index!.count; k += 3) {
        const of = [0, 1, 2].map((i) => index!.getX(k + i));
        tri.setFromAttributeAndIndices(on, of[0], of[1], of[2]);
        tri.closestPointToPoint(place, near);
        const facing = nrm.x * out.getX(of[0]) + nrm.y * out.getY(of[0]) + nrm.z * out.getZ(of[0]);
        const far = near.distanceToSquared(place) + (facing < 0 ? 1e6 : 0);
        if (best && far >= best.far) continue;
        if (!tri.getBarycoord(near, bary)) continue; // it has no area
        best = { sheet: flat, far, at: bary.toArray(), of };
      }
    }
    if (!best) return null;
    const { sheet, of } = best;
    const at = sheet.geometry.getAttribute('position');
    const on = sheet.geometry.getAttribute('place');
    const corner = (a: typeof at, i: number) => new Vector3().fromBufferAttribute(a, of[i]);
    const sum = new Vector3();
    best.at.forEach((w, i) => sum.addScaledVector(corner(at, i), w));
    // the triangle's sides say how lengths on the model become lengths on the sheet
    const [p1, p2] = [1, 2].map((i) => corner(on, i).sub(corner(on, 0)));
    const [q1, q2] = [1, 2].map((i) => corner(at, i).sub(corner(at, 0)));
    const [a, b, c] = [p1.dot(p1), p1.dot(p2), p2.dot(p2)];
    const det = a * c - b * b;
    if (!(det > 0) || q1.x * q2.y - q1.y * q2.x === 0) return null;
    const goes = (v: Vector3) => {
      const [x, y] = [v.dot(p1), v.dot(p2)];
      return new Vector3().addScaledVector(q1, (c * x - b * y) / det).addScaledVector(q2, (a * y - b * x) / det);
    };
    return { at: sum.add(sheet.position), right: goes(right), up: goes(up) };
  }

  /** Every sheet's islands, with the sheet's outline; each corner knows its place and normal on the model. */
  private make() {
    const cols = this.columns();
    this.sheets.forEach((s, i) => {
      const [flat, place, outward, index]: number[][] = [[], [], [], []];
      for (const m of this.meshes) {
        if (m.userData.sheet !== i) continue;
        const g = m.geometry;
        const [p, n, uv] = [g.getAttribute('position'), g.getAttribute('normal'), g.getAttribute('uv')];
        if (!uv) continue;
        const base = flat.length / 3;
        for (let k = 0; k < p.count; k++) {
          flat.push(uv.getX(k), -uv.getY(k), 0);
          const v = new Vector3().fromBufferAttribute(p, k).applyMatrix4(m.matrixWorld);
          const o = new Vector3().fromBufferAttribute(n, k).transformDirection(m.matrixWorld);
          place.push(v.x, v.y, v.z);
          outward.push(o.x, o.y, o.z);
        }
        for (let k = 0; k < g.index!.count; k++) index.push(base + g.index!.getX(k));
      }
      const g = new BufferGeometry();
      const set = (name: string, v: number[]) => g.setAttribute(name, new BufferAttribute(new Float32Array(v), 3));
      set('position', flat);
      set('place', place);
      set('outward', outward);
      const uv = new Float32Array((flat.length / 3) * 2);
      for (let k = 0; k < uv.length / 2; k++) uv.set([flat[k * 3], -flat[k * 3 + 1]], k * 2);
      g.setAttribute('uv', new BufferAttribute(uv, 2));
      g.setAttribute(
        'normal',
        new BufferAttribute(
          new Float32Array(flat.length).map((_, k) => (k % 3 === 2 ? 1 : 0)),
          3,
        ),
      );
      g.setIndex(index);
      s.flat = new Mesh(g, s.bare);
      s.flat.userData.sheet = i;
      s.flat.position.set((i % cols) + 0.02 * (i % cols), -Math.floor(i / cols) * 1.02, 0);
      const edge = new LineSegments(
        new BufferGeometry().setFromPoints(
          [0, 0, 1, 0, 1, 0, 1, -1, 1, -1, 0, -1, 0, -1, 0, 0].reduce<Vector3[]>(
            (a, v, k, all) => (k % 2 ? a : [...a, new Vector3(v, all[k + 1], 0.1)]),
            [],
          ),
        ),
        new LineBasicMaterial({ color: 0x6b6b6b }),
      );
      s.flat.add(edge);
      this.scene.add(s.flat);
    });
  }
}

/** Where a ray meets a sheet laid flat; what finds it quickly is made when first asked. */
function struck(ray: Raycaster, flat: Mesh) {
  if (!flat.geometry.boundsTree) flat.geometry.computeBoundsTree({ indirect: true });
  return ray.intersectObject(flat, false);
}

/** What the corners of a flat face say of the model, at a point of the face. */
function onModel(flat: Mesh, point: Vector3, { a, b, c }: { a: number; b: number; c: number }, name: string): Vector3 {
  const at = barycentric(flat.worldToLocal(point.clone()), flat.geometry.getAttribute('position'), a, b, c);
  const of = flat.geometry.getAttribute(name);
  const v = new Vector3();
  [a, b, c].forEach((k, i) => v.addScaledVector(new Vector3().fromBufferAttribute(of, k), at[i]));
  return v;
}

function barycentric(
  p: Vector3,
  at: { getX(i: number): number; getY(i: number): number },
  a: number,
  b: number,
  c: number,
): number[] {
  const [ax, ay, bx, by, cx, cy] = [at.getX(a), at.getY(a), at.getX(b), at.getY(b), at.getX(c), at.getY(c)];
  const det = (by - cy) * (ax - cx) + (cx - bx) * (ay - cy) || 1e-20;
  const u = ((by - cy) * (p.x - cx) + (cx - bx) * (p.y - cy)) / det;
  const v = ((cy - ay) * (p.x - cx) + (ax - cx) * (p.y - cy)) / det;
  return [u, v, 1 - u - v];
}
