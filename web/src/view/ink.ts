// Ink: what the pen has drawn and the server's tiles do not show yet is drawn over them here, in the next frame,
// whatever the line does. A tile that holds it takes its place.
import { Color, DataTexture, FloatType, NearestFilter, RGBAFormat, SRGBColorSpace, Vector3, Vector4 } from 'three';

/** How a stroke looks, roughly. */
export interface InkLook {
  /** sRGB-encoded */
  color: number[];
  /** 0..1, of full pressure in the middle */
  opacity: number;
  /** share of the radius at full strength */
  hardness: number;
  /** what it makes of them; below nought: nothing */
  roughness: number;
  metallic: number;
  /** what of the paint the surface lets hold: metres from hill to hill, how much, and which kind */
  grain?: { size: number; amount: number; kind: string };
  /** it only says that something comes there, not what: it shows when that takes long */
  late?: boolean;
}

interface Dab {
  pos: Vector3;
  radius: number;
  strength: number;
  sheet: number;
  /** where on its sheet, none when it is not known */
  uv: { x: number; y: number } | null;
}

/** A piece of a stroke, from dab to dab. */
interface Piece {
  a: Dab;
  b: Dab;
  stroke: number;
  strand: number;
  look: InkLook;
  /** under which request it was sent; Infinity: not yet */
  n: number;
  /** when it was drawn */
  at: number;
}

/** A tile that shows what was asked for up to a request. */
export interface Shown {
  sheet: number;
  size: number;
  x: number;
  y: number;
  map: number;
  upTo: number;
}

/** how many pieces are drawn, and how many have a sphere around them together */
const MOST = 160;
const GROUP = 8;
const TEXELS = 5;
const WIDE = MOST * TEXELS + MOST / GROUP;
/** kinds of grain that are not drawn as clouds */
const GRAINS = ['grit', 'weave', 'fibre', 'ripple'];
const TILE = 128;
/** milliseconds after which what only says that something comes is shown */
export const LATE = 130;

/** Reads the ink at a place of the model: mixes it over a colour, roughness and metalness. */
export const inkShader = `
uniform highp sampler2D inkMap; uniform int inkCount; uniform vec4 inkBound; varying vec3 inkPos;
vec4 inkTexel(int i) { return texelFetch(inkMap, ivec2(i, 0), 0); }
void inkMix(inout vec3 base, inout vec3 orm, vec4 look, vec4 more, float k) {
  if (k <= 0.0) return;
  // as the server mixes: by the encoded values
  base = pow(mix(pow(max(base, 0.0), vec3(1.0 / 2.2)), look.rgb, k), vec3(2.2));
  if (more.y >= 0.0) orm.y = mix(orm.y, more.y, k);
  if (more.z >= 0.0) orm.z = mix(orm.z, more.z, k);
}
float inkHash(vec3 q) {
  uvec3 i = uvec3(ivec3(q)) * uvec3(1597334673u, 3812015801u, 2798796415u);
  uint h = (i.x ^ i.y ^ i.z) * 1597334673u;
  return float((h ^ (h >> 15)) & 65535u) / 65535.0;
}
float inkNoise(vec3 q) {
  vec3 i = floor(q), t = q - i;
  t = t * t * (3.0 - 2.0 * t);
  vec2 o = vec2(0.0, 1.0);
  vec4 near = vec4(inkHash(i), inkHash(i + o.yxx), inkHash(i + o.xyx), inkHash(i + o.yyx));
  vec4 far = vec4(inkHash(i + o.xxy), inkHash(i + o.yxy), inkHash(i + o.xyy), inkHash(i + o.yyy));
  vec4 v = mix(near, far, t.z);
  return mix(mix(v.x, v.y, t.x), mix(v.z, v.w, t.x), t.y);
}
// how deep the surface's grain is at a place, in its own lengths: as the server has it where it is threads
// or ripples, else roughly
float inkDepth(vec3 q, vec3 n, float kind) {
  if (kind == 2.0) {
    vec2 t = vec2(q.x, q.z);
    if (n.y < n.x || n.y < n.z) t = vec2(n.x > n.z ? q.z : q.x, q.y);
    vec2 s = sin(3.14159265 * t), c = cos(3.14159265 * t);
    s *= s;
    c *= c;
    return clamp(1.0 - 1.1 * (s.x * s.y + c.x * c.y), 0.0, 1.0);
  }
  if (kind == 4.0) {
    float t = fract(q.y + 0.7 * sqrt(1.0 + 0.5 * q.x * q.x) + 0.14 * (2.0 * inkNoise(q * vec3(0.6, 0.35, 0.6)) - 1.0));
    return 1.0 - t * t * (1.0 - smoothstep(0.86, 1.0, t));
  }
  if (kind == 1.0) q *= 1.6;
  else if (kind == 3.0) q *= vec3(3.0, 0.35, 3.0);
  return clamp(0.5 + 1.3 * (0.6 * inkNoise(q) + 0.4 * inkNoise(q * 2.1) - 0.5), 0.0, 1.0);
}
// how much of a coverage the surface's grain holds; the stroke's strength counts after it
float inkHeld(float cover, vec3 p, vec4 grain) {
  float seen = grain.y * (1.0 - smoothstep(0.4, 1.0, length(fwidth(p)) / max(grain.x, 1e-9)));
  if (cover <= 0.0 || seen <= 0.0) return cover;
  float h = inkDepth(p / grain.x, abs(cross(dFdx(p), dFdy(p))), grain.z);
  return cover * (1.0 - seen + seen * smoothstep(h * 0.85 - 0.15, h * 0.85 + 0.15, cover));
}
void inkOver(vec3 p, inout vec3 base, inout vec3 orm) {
  if (inkCount == 0 || distance(p, inkBound.xyz) > inkBound.w) return;
  float most = 0.0, stroke = -1.0;
  vec4 look = vec4(0.0), more = vec4(0.0), grain = vec4(0.0);
  for (int g = 0; g * ${GROUP} < inkCount; g++) {
    vec4 ball = inkTexel(${MOST * TEXELS} + g);
    if (distance(p, ball.xyz) > ball.w) continue;
    for (int k = 0; k < ${GROUP}; k++) {
      int i = g * ${GROUP} + k;
      if (i >= inkCount) break;
      vec4 a = inkTexel(i * ${TEXELS}), b = inkTexel(i * ${TEXELS} + 1);
      vec3 d = b.xyz - a.xyz;
      float t = clamp(dot(p - a.xyz, d) / max(dot(d, d), 1e-14), 0.0, 1.0);
      float r = mix(a.w, b.w, t), q = distance(p, a.xyz + d * t) / max(r, 1e-9);
      if (q >= 1.0) continue;
      vec4 l = inkTexel(i * ${TEXELS} + 2), m = inkTexel(i * ${TEXELS} + 3);
      float u = clamp((q - m.x) / max(1.0 - m.x, 1e-3), 0.0, 1.0);
      float c = l.w * (1.0 - u * u * (3.0 - 2.0 * u));
      if (m.w != stroke) { inkMix(base, orm, look, more, grain.w * inkHeld(most, p, grain)); most = 0.0; stroke = m.w; }
      if (c > most) { most = c; look = l; more = m; grain = inkTexel(i * ${TEXELS} + 4); }
    }
  }
  inkMix(base, orm, look, more, grain.w * inkHeld(most, p, grain));
}
`;

export class Ink {
  private pieces: Piece[] = [];
  /** the last piece of each strand of the stroke under way */
  private ends: Piece[] = [];
  /** what is drawn before the stroke comes there, by strand */
  private leads: Piece[] = [];
  private look: InkLook | null = null;
  private stroke = 0;
  private readonly data = new Float32Array(WIDE * 4);
  /** of all materials that show ink */
  readonly uniforms = {
    inkMap: { value: new DataTexture(this.data, WIDE, 1, RGBAFormat, FloatType) },
    inkCount: { value: 0 },
    inkBound: { value: new Vector4() },
  };

  /** @param changed is called when a frame is due; now tells the time, milliseconds */
  constructor(
    private readonly changed: () => void,
    private readonly now = () => performance.now(),
  ) {
    const t = this.uniforms.inkMap.value;
    t.minFilter = t.magFilter = NearestFilter;
  }

  /** how many pieces are to be seen */
  get count() {
    return this.pieces.length;
  }

  /** A stroke begins; without a look it is not drawn here. */
  begin(look: InkLook | null) {
    this.look = look;
    this.ends = [];
    this.leads = [];
    this.stroke++;
  }

  /** The stroke goes on to a place; its twins do as strands of their own. */
  add(dab: Dab, strand = 0) {
    const { look, ends } = this;
    if (!look) return;
    delete this.leads[strand];
    if (this.took && !strand && !look.late) this.due.push(this.now());
    const end = ends[strand];
    // what goes on straight is one piece
    if (end && end.n === Infinity && straight(end, dab)) end.b = dab;
    else {
      const piece = { a: end?.b ?? dab, b: dab, stroke: this.stroke, strand, look, n: Infinity, at: this.now() };
      this.pieces.push(piece);
      ends[strand] = piece;
    }
    if (this.pieces.length > MOST) this.pieces.splice(0, this.pieces.length - MOST);
    this.write();
  }

  /** The stroke will go on to a place; it is drawn there until it does, or goes elsewhere. Without one that is over. */
  lead(dab?: Dab, strand = 0) {
    const end = this.ends[strand];
    if (!dab || !this.look || !end) {
      if (!this.leads.length) return;
      this.leads = [];
      return this.write();
    }
    if (this.took && !strand && !this.look.late) this.due.push(this.now());
    this.leads[strand] = { ...end, a: end.b, b: dab, n: Infinity };
    this.write();
  }

  /** What was drawn and not sent yet is sent under a request. */
  sent(n: number) {
    for (const p of this.pieces) if (p.n === Infinity) p.n = n;
  }

  /** while somebody measures: when each place came that no frame has shown yet */
  private due: number[] = [];
  private took: number[] | null = null;

  /** Measures from now on how long the places of strokes take to a frame that has them; what it returns ends that, and
   * tells of each place, milliseconds. */
  watch(): () => number[] {
    this.due = [];
    this.took = [];
    return () => {
      const took = this.took ?? [];
      this.took = null;
      return took;
    };
  }

  /** A frame was drawn. */
  drawn() {
    if (!this.took) return;
    const now = this.now();
    for (const at of this.due) this.took.push(now - at);
    this.due = [];
  }

  /** The stroke under way is dropped. */
  cancel() {
    this.drop((p) => p.stroke === this.stroke);
    this.look = null;
    this.ends = [];
    this.leads = [];
    this.write();
  }

  /** A tile came: what it holds is drawn by it. */
  tile(t: Shown) {
    if (t.map !== 0 || !this.pieces.length) return;
    const side = t.size / TILE;
    const on = (d: Dab) =>
      d.sheet === t.sheet && !!d.uv && Math.floor(d.uv.x * side) === t.x && Math.floor(d.uv.y * side) === t.y;
    this.drop((p) => p.n <= t.upTo && (on(p.a) || on(p.b)));
  }

  /** All that is seen goes up to a request. */
  shown(upTo: number) {
    this.drop((p) => p.n <= upTo);
  }

  private drop(of: (p: Piece) => boolean) {
    const left = this.pieces.filter((p) => !of(p));
    if (left.length === this.pieces.length) return;
    this.pieces = left;
    this.write();
  }

  private write() {
    const { data, uniforms } = this;
    const due = this.pieces.filter((p) => !p.look.late || this.now() - p.at >= LATE);
    this.wait(due.length < this.pieces.length);
    const leads = this.leads.filter((p) => p && !p.look.late).slice(0, MOST - 1);
    const seen = [...due.slice(Math.max(due.length + leads.length - MOST, 0)), ...leads];
    const n = seen.length;
    const all: { pos: Vector3; radius: number }[] = [];
    const c = new Color();
    // what lies together is drawn together
    const pieces = seen.toSorted((p, q) => p.stroke - q.stroke || p.strand - q.strand);
    pieces.forEach((p, i) => {
      const o = i * TEXELS * 4;
      c.setRGB(p.look.color[0], p.look.color[1], p.look.color[2], SRGBColorSpace);
      const enc = (v: number) => Math.max(v, 0) ** (1 / 2.2);
      data.set([p.a.pos.x, p.a.pos.y, p.a.pos.z, p.a.radius, p.b.pos.x, p.b.pos.y, p.b.pos.z, p.b.radius], o);
      data.set([enc(c.r), enc(c.g), enc(c.b), Math.max(p.a.strength, p.b.strength)], o + 8);
      data.set([Math.min(p.look.hardness, 0.99), p.look.roughness, p.look.metallic, p.stroke % 4096], o + 12);
      const g = p.look.grain;
      data.set([g?.size ?? 0, g?.amount ?? 0, GRAINS.indexOf(g?.kind ?? '') + 1, p.look.opacity], o + 16);
    });
    for (let g = 0; g * GROUP < n; g++) {
      const ball = around(pieces.slice(g * GROUP, (g + 1) * GROUP).flatMap((p) => [p.a, p.b]));
      all.push(ball);
      data.set([...ball.pos.toArray(), ball.radius], (MOST * TEXELS + g) * 4);
    }
    if (n) {
      const ball = around(all);
      uniforms.inkBound.value.set(...ball.pos.toArray(), ball.radius);
    }
    uniforms.inkCount.value = n;
    uniforms.inkMap.value.needsUpdate = true;
    this.changed();
  }

  private timer: ReturnType<typeof setTimeout> | undefined;

  /** Looks again when what waits is due. */
  private wait(some: boolean) {
    clearTimeout(this.timer);
    this.timer = undefined;
    if (!some) return;
    const first = Math.min(...this.pieces.filter((p) => p.look.late && this.now() - p.at < LATE).map((p) => p.at));
    this.timer = setTimeout(() => this.write(), Math.max(first + LATE - this.now(), 1) + 1);
  }

  dispose() {
    clearTimeout(this.timer);
    this.uniforms.inkMap.value.dispose();
  }
}

/** Whether a piece may go on to a place as it is. */
function straight(p: Piece, to: Dab): boolean {
  const d = to.pos.clone().sub(p.a.pos);
  const l = d.lengthSq();
  if (l < 1e-18 || d.length() > 6 * to.radius) return false;
  const t = p.b.pos.clone().sub(p.a.pos).dot(d) / l;
  if (t < 0 || t > 1) return false;
  const off = p.a.pos.clone().addScaledVector(d, t).distanceTo(p.b.pos);
  const radius = p.a.radius + (to.radius - p.a.radius) * t;
  return off < 0.05 * p.b.radius && Math.abs(radius - p.b.radius) < 0.05 * p.b.radius && p.a.sheet === to.sheet;
}

function around(list: { pos: Vector3; radius: number }[]) {
  const pos = new Vector3();
  for (const d of list) pos.addScaledVector(d.pos, 1 / list.length);
  return { pos, radius: Math.max(...list.map((d) => d.pos.distanceTo(pos) + d.radius)) };
}
