// Hatches what turns so far away from the view that a slide reaches it thinly or not at all: what
// would be stretched is seen before anything is painted.
import { ShaderMaterial, Vector2, Vector4 } from 'three';
import type { Stage } from './stage';
import { OVER, WornOver } from './over';

/** A picture before the view, and from how many degrees it fades, and where it ends. */
export interface Limited {
  at: [number, number];
  wide: number;
  form: number;
  turn: number;
  fades: number;
  ends: number;
}

/** drawn pixels from stripe to stripe */
const APART = 7;

export class Hatch {
  private readonly over: WornOver;
  private readonly material = new ShaderMaterial({
    uniforms: {
      place: { value: new Vector4(0, 0, 1, 1) },
      turn: { value: new Vector2(1, 0) },
      limits: { value: new Vector2(60, 80) },
      aspect: { value: 1 },
      apart: { value: APART },
    },
    vertexShader: `varying vec3 vN; varying vec3 vTo; varying vec4 vClip;
void main() {
  vec4 p = modelViewMatrix * vec4(position, 1.0);
  vN = normalMatrix * normal;
  vTo = isOrthographic ? vec3(0.0, 0.0, 1.0) : -p.xyz;
  vClip = gl_Position = projectionMatrix * p;
}`,
    fragmentShader: `uniform vec4 place; uniform vec2 turn; uniform vec2 limits; uniform float aspect; uniform float apart;
varying vec3 vN; varying vec3 vTo; varying vec4 vClip;
void main() {
  vec2 q = vClip.xy / vClip.w * vec2(aspect, 1.0) - place.xy;
  q = vec2(turn.x * q.x + turn.y * q.y, turn.x * q.y - turn.y * q.x) / place.z * vec2(1.0, place.w);
  if (abs(q.x) > 0.5 || abs(q.y) > 0.5) discard;
  float angle = degrees(acos(clamp(dot(normalize(vN), normalize(vTo)), -1.0, 1.0)));
  float lost = limits.y > limits.x ? smoothstep(limits.x, limits.y, angle) : step(limits.x, angle);
  // the more is lost, the broader the stripes
  float stripe = mod(gl_FragCoord.x + gl_FragCoord.y, apart) / apart;
  if (lost < 0.02 || stripe > 0.2 + 0.35 * lost) discard;
  gl_FragColor = vec4(0.85, 0.6, 0.16, 0.9);
}`,
    ...OVER,
  });

  constructor(private readonly stage: Stage) {
    this.over = new WornOver(stage, this.material);
  }

  show(l: Limited | null) {
    const u = this.material.uniforms;
    const set = (l: Limited) => () => {
      u.place.value.set(l.at[0], l.at[1], l.wide, l.form);
      u.turn.value.set(Math.cos((l.turn * Math.PI) / 180), Math.sin((l.turn * Math.PI) / 180));
      u.limits.value.set(l.fades, l.ends);
      u.aspect.value = this.stage.lens().aspect;
      u.apart.value = APART * this.stage.renderer.getPixelRatio();
    };
    this.over.show(l && l.ends > 0 && l.ends < 180 ? set(l) : null);
  }

  dispose() {
    this.over.dispose();
  }
}
