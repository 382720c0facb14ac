// A stencil that is laid on the surface: it stays there while the view turns, and is seen on the model
// and on the sheets laid flat.
import { DoubleSide, Group, Mesh, ShaderMaterial, TextureLoader, Vector2, Vector3, Vector4 } from 'three';
import type { Stage } from './stage';
import { OVER, WornOver } from './over';

type Three = [number, number, number];

/** Where a stencil lies: its middle, unit vectors, and the metres that count as half of a view's height. */
export interface Laid {
  at: Three;
  right: Three;
  up: Three;
  out: Three;
  half: number;
}

/** what turns farther away from where it is laid is smeared, and gets nothing, degrees */
const LIMITS = { fades: 60, ends: 85 };

const three = (v: Vector3) => v.toArray() as Three;

/** The frame of a place that faces out, its head about towards up. */
export function layAt(at: Vector3, out: Vector3, up: Vector3, half: number): Laid {
  const n = out.clone().normalize();
  const u = up.clone().addScaledVector(n, -up.dot(n));
  if (u.length() < 1e-6) u.set(1, 0, 0).addScaledVector(n, -n.x);
  if (u.length() < 1e-6) u.set(0, 1, 0).addScaledVector(n, -n.y);
  u.normalize();
  return { at: three(at), right: three(u.clone().cross(n)), up: three(u), out: three(n), half };
}

/**
 * Lays on the surface what is seen at a point of the canvas: as large as it is seen there, its head
 * as on the screen. Null: nothing is there.
 */
export function layUnder(stage: Stage, x: number, y: number): Laid | null {
  const h = stage.pick(x, y);
  if (!h) return null;
  const above = stage.pick(x, y - 6);
  const up =
    above && above.sheet === h.sheet && above.pos.distanceTo(h.pos) > 0
      ? above.pos.clone().sub(h.pos)
      : new Vector3(0, 1, 0).applyQuaternion(stage.camera.quaternion);
  const frame = layAt(h.pos, h.nrm, up, 1);
  let half = (stage.pixel(h.pos) * stage.lens().height) / 2;
  if (stage.overFlat(x)) {
    const on = stage.flat.laid(h.pos, h.nrm, new Vector3(...frame.right), new Vector3(...frame.up));
    if (on) half = (stage.flat.camera.top - stage.flat.camera.bottom) / 2 / Math.max(on.up.length(), 1e-9);
  }
  return { ...frame, half };
}

/** What a stroke keeps of where the stencil lies: a view along the normal, without perspective. */
export function viewOf({ at, right, up, out, half }: Laid) {
  const row = (v: Three, by: number) => ({
    v: v.map((c) => c * by),
    at: -by * (v[0] * at[0] + v[1] * at[1] + v[2] * at[2]),
  });
  const [x, y, z] = [row(right, 1 / half), row(up, 1 / half), row(out, -1 / (100 * half))];
  const view = [0, 1, 2].flatMap((k) => [x.v[k], y.v[k], z.v[k], 0]);
  return { view: [...view, x.at, y.at, z.at, 1], aspect: 1, ...LIMITS };
}

/** The stencil as it is shown. */
export interface Shown {
  url: string;
  laid: Laid;
  form: number;
  wide: number;
  turn: number;
  tiled: boolean;
  invert: boolean;
  colors: boolean;
}

const FRAGMENT = `uniform sampler2D picture; uniform vec3 at; uniform vec3 right; uniform vec3 up; uniform vec3 facing;
uniform vec4 lies; uniform vec2 turn; uniform vec2 limits; uniform vec4 how;
varying vec3 vP; varying vec3 vN;
void main() {
  vec3 d = vP - at;
  vec2 q = vec2(dot(d, right), dot(d, up)) / lies.x;
  q = vec2(turn.x * q.x + turn.y * q.y, turn.x * q.y - turn.y * q.x) / lies.y * vec2(1.0, lies.z) + 0.5;
  if (how.x < 0.5 && (q.x < 0.0 || q.y < 0.0 || q.x > 1.0 || q.y > 1.0)) discard;
  float angle = degrees(acos(clamp(dot(normalize(vN), facing), -1.0, 1.0)));
  float share = 1.0 - smoothstep(limits.x, limits.y, angle);
  vec4 c = texture2D(picture, fract(q));
  if (how.y > 0.5) c.rgb = 1.0 - c.rgb;
  float light = dot(c.rgb, vec3(0.2126, 0.7152, 0.0722));
  gl_FragColor = how.z > 0.5 ? vec4(c.rgb, c.a * share * how.w) : vec4(vec3(light > 0.5 ? 1.0 : 0.1), share * c.a * how.w * mix(0.5, 1.0, light));
  if (gl_FragColor.a < 0.004) discard;
}`;

export class LaidOver {
  private readonly uniforms = {
    picture: { value: new TextureLoader().load('data:image/gif;base64,R0lGODlhAQABAAAAACw=') },
    at: { value: new Vector3() },
    right: { value: new Vector3() },
    up: { value: new Vector3() },
    facing: { value: new Vector3() },
    lies: { value: new Vector4() },
    turn: { value: new Vector2() },
    limits: { value: new Vector2(LIMITS.fades, LIMITS.ends) },
    how: { value: new Vector4() },
  };
  private readonly material = new ShaderMaterial({
    uniforms: this.uniforms,
    vertexShader: `varying vec3 vP; varying vec3 vN;
void main() {
  vec4 p = modelMatrix * vec4(position, 1.0);
  vP = p.xyz;
  vN = mat3(modelMatrix) * normal;
  gl_Position = projectionMatrix * viewMatrix * p;
}`,
    fragmentShader: FRAGMENT,
    ...OVER,
  });
  private readonly flatMaterial = new ShaderMaterial({
    uniforms: this.uniforms,
    vertexShader: `attribute vec3 place; attribute vec3 outward; varying vec3 vP; varying vec3 vN;
void main() {
  vP = place;
  vN = outward;
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position.xy, 0.05, 1.0);
}`,
    fragmentShader: FRAGMENT,
    ...OVER,
    side: DoubleSide,
  });
  private readonly over: WornOver;
  private readonly flat = new Group();
  private url = '';

  constructor(private readonly stage: Stage) {
    this.over = new WornOver(stage, this.material);
    stage.flat.scene.add(this.flat);
    for (const s of stage.worn.list) {
      if (!s.flat) continue;
      const m = new Mesh(s.flat.geometry, this.flatMaterial);
      m.position.copy(s.flat.position);
      m.renderOrder = 2;
      this.flat.add(m);
    }
  }

  show(s: Shown | null, opacity = 0.4) {
    this.flat.visible = !!s;
    const set = (s: Shown) => () => {
      const u = this.uniforms;
      if (s.url !== this.url) {
        this.url = s.url;
        const before = u.picture.value;
        new TextureLoader().load(s.url, (t) => {
          if (s.url !== this.url) return t.dispose();
          u.picture.value = t;
          before.dispose();
          this.stage.invalidate();
        });
      }
      u.at.value.fromArray(s.laid.at);
      u.right.value.fromArray(s.laid.right);
      u.up.value.fromArray(s.laid.up);
      u.facing.value.fromArray(s.laid.out);
      u.lies.value.set(s.laid.half, s.wide, s.form, 0);
      const turn = (s.turn * Math.PI) / 180;
      u.turn.value.set(Math.cos(turn), Math.sin(turn));
      u.how.value.set(+s.tiled, +s.invert, +s.colors, opacity);
    };
    this.over.show(s ? set(s) : null);
    this.stage.invalidate();
  }

  dispose() {
    this.over.dispose();
    this.stage.flat.scene.remove(this.flat);
    this.flatMaterial.dispose();
    this.uniforms.picture.value.dispose();
  }
}
