// What of a decal a surface that turns away would have got, as the far side of a thin plate: it is struck out, so
// that one sees that it is left out, and may allow it.
import { ShaderMaterial, Vector3, Vector4 } from 'three';
import type { Stage } from './stage';
import { OVER, WornOver } from './over';

/** Where a decal lies, flat: unit vectors and metres; facing in degrees. */
export interface Lying {
  at: number[];
  right: number[];
  up: number[];
  out: number[];
  wide: number;
  tall: number;
  depth: number;
  facing: number;
}

export class Struck {
  private readonly over: WornOver;
  private readonly material = new ShaderMaterial({
    uniforms: {
      at: { value: new Vector3() },
      right: { value: new Vector3() },
      up: { value: new Vector3() },
      outward: { value: new Vector3() },
      size: { value: new Vector4(1, 1, 1, 90) },
    },
    vertexShader: `varying vec3 vP; varying vec3 vN;
void main() {
  vec4 p = modelMatrix * vec4(position, 1.0);
  vP = p.xyz;
  vN = mat3(modelMatrix) * normal;
  gl_Position = projectionMatrix * viewMatrix * p;
}`,
    fragmentShader: `uniform vec3 at; uniform vec3 right; uniform vec3 up; uniform vec3 outward; uniform vec4 size;
varying vec3 vP; varying vec3 vN;
void main() {
  vec3 d = vP - at;
  vec2 q = vec2(dot(d, right) / size.x, dot(d, up) / size.y);
  if (abs(q.x) > 0.5 || abs(q.y) > 0.5 || abs(dot(d, outward)) > size.z) discard;
  if (degrees(acos(clamp(dot(normalize(vN), outward), -1.0, 1.0))) < size.w) discard;
  vec2 edge = 0.5 - abs(q);
  vec2 per = fwidth(q) * 1.6;
  float line = min(min(abs(q.x - q.y) / (per.x + per.y), abs(q.x + q.y) / (per.x + per.y)), min(edge.x / per.x, edge.y / per.y));
  if (line > 1.0) discard;
  gl_FragColor = vec4(0.64, 0.19, 0.12, 0.95);
}`,
    ...OVER,
  });

  constructor(stage: Stage) {
    this.over = new WornOver(stage, this.material);
  }

  show(l: Lying | null) {
    const u = this.material.uniforms;
    const set = (l: Lying) => () => {
      u.at.value.fromArray(l.at);
      u.right.value.fromArray(l.right);
      u.up.value.fromArray(l.up);
      u.outward.value.fromArray(l.out);
      u.size.value.set(l.wide, l.tall, l.depth, l.facing);
    };
    this.over.show(l && l.facing < 180 ? set(l) : null);
  }

  dispose() {
    this.over.dispose();
  }
}
