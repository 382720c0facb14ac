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
const TEXELS = 4;
const WIDE = MOST * TEXELS + MOST / GROUP;
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
void inkOver(vec3 p, inout vec3 base, inout vec3 orm) {
  if (inkCount == 0 || distance(p, inkBound.xyz) > inkBound.w) return;
  float most = 0.0, stroke = -1.0;
  vec4 look = vec4(0.0), more = vec4(0.0);
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
      if (m.w != stroke) { inkMix(base, orm, look, more, most); most = 0.0; stroke = m.w; }
      if (c > most) { most = c; look = l; more = m; }
    }
  }
  inkMix(base, orm, look, more, most);
}
`;

export class Ink {
  private pieces: Piece[] = [];
  /** the last piece of each strand of the stroke under way */
  private ends: Piece[] = [];
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
    this.stroke++;
  }

  /** The stroke goes on to a place; its twins do as strands of their own. */
  add(dab: Dab, strand = 0) {
    const { look, ends } = this;
    if (!look) return;
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

  /** What was drawn and not sent yet is sent under a request. */
  sent(n: number) {
    for (const p of this.pieces) if (p.n === Infinity) p.n = n;
  }

  /** The stroke under way is dropped. */
  cancel() {
    this.drop((p) => p.stroke === this.stroke);
    this.look = null;
    this.ends = [];
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
    const seen = this.pieces.filter((p) => !p.look.late || this.now() - p.at >= LATE);
    this.wait(seen.length < this.pieces.length);
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
      data.set([enc(c.r), enc(c.g), enc(c.b), p.look.opacity * Math.max(p.a.strength, p.b.strength)], o + 8);
      data.set([Math.min(p.look.hardness, 0.99), p.look.roughness, p.look.metallic, p.stroke % 4096], o + 12);
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
