// The light of Low Wick landing, made here: an overcast evening sky over water,
// a low sun behind thin cloud, a bright boathouse door and a dark quay.
import {
  DataTexture,
  EquirectangularReflectionMapping,
  FloatType,
  LinearFilter,
  RGBAFormat,
  type PMREMGenerator,
  type ShaderMaterial,
} from 'three';

const smooth = (a: number, b: number, v: number) => {
  const t = Math.min(Math.max((v - a) / (b - a), 0), 1);
  return t * t * (3 - 2 * t);
};

function soft(dx: number, dy: number, w: number, h: number): number {
  return (1 - smooth(w * 0.6, w, Math.abs(dx))) * (1 - smooth(h * 0.6, h, Math.abs(dy)));
}

/** What of the light depends on the azimuth alone, −π..π. */
function around(az: number) {
  const turn = (a: number) => Math.atan2(Math.sin(az - a), Math.cos(az - a));
  const sun = turn(0.75) ** 2;
  return {
    az,
    disc: Math.exp(-sun / 0.02) * 15,
    glow: Math.exp(-sun / 0.3) * 1.1,
    door: turn(-1.55),
    back: turn(2.85),
  };
}

/** And what on the elevation alone, −π/2..π/2. */
function upright(el: number) {
  const sun = (el - 0.62) ** 2;
  return { el, up: Math.sin(el), disc: Math.exp(-sun / 0.02), glow: Math.exp(-sun / 0.3) };
}

type Around = ReturnType<typeof around>;
type Upright = ReturnType<typeof upright>;

/** Radiance (linear) in a direction given by azimuth and elevation. */
function radiance(a: Around, e: Upright): [number, number, number] {
  const { az } = a;
  const { el, up } = e;
  let r: number, g: number, b: number;
  if (up >= 0) {
    const k = Math.pow(1 - up, 3);
    const cloud = 0.5 + 0.5 * Math.sin(az * 3 + 4 * up) * Math.sin(az * 1.7 - 9 * up + 1);
    const s = 0.42 + 0.3 * k + 0.12 * cloud * (1 - k);
    [r, g, b] = [s * (0.92 + 0.22 * k), s * (0.98 + 0.06 * k), s * (1.1 - 0.14 * k)];
  } else {
    const d = Math.pow(1 + up, 4);
    [r, g, b] = [0.07 + 0.24 * d, 0.068 + 0.23 * d, 0.066 + 0.22 * d];
  }
  const sun = a.disc * e.disc + a.glow * e.glow;
  const door = soft(a.door, el - 0.35, 0.34, 0.62) * 3.4;
  const back = soft(a.back, el - 0.5, 0.2, 0.7) * 4;
  r += sun * 1.0 + door * 0.95 + back * 0.86;
  g += sun * 0.9 + door * 1.0 + back * 0.94;
  b += sun * 0.74 + door * 1.06 + back * 1.1;
  return [r, g, b];
}

/** Has the reflections of a generator made of fewer samples, each the wider: on a processor the usual
 * 256 a texel take a second. Its shader is its own affair: where it looks otherwise, nothing is changed. */
export function sampleLess(pmrem: PMREMGenerator) {
  const [usual, fewer] = [256, 32];
  let made: ShaderMaterial | null = null;
  Object.defineProperty(pmrem, '_ggxMaterial', {
    get: () => made,
    set: (m: ShaderMaterial | null) => {
      made = m;
      if (!m?.fragmentShader.includes(`#define GGX_SAMPLES ${usual}u`)) return;
      // a sample stands for usual / fewer as much of the sphere: it is read from that much coarser texels
      const coarser = (0.5 * Math.log2(usual / fewer)).toFixed(3);
      m.fragmentShader = m.fragmentShader
        .replace(`#define GGX_SAMPLES ${usual}u`, `#define GGX_SAMPLES ${fewer}u`)
        .replace('log2( d ) + lodBias', `log2( d ) + lodBias + ${coarser}`);
    },
  });
}

/** Has the reflections of a generator made at 128 texels a face, still twice what a panorama of 256 holds; it
 * takes 256 at the least. Where it looks otherwise inside, nothing is changed. */
export function makeSmaller(pmrem: PMREMGenerator) {
  const inside = pmrem as unknown as { _cubeSize?: number; _setSize?: (size: number) => void };
  if (typeof inside._setSize !== 'function') return;
  inside._setSize = () => (inside._cubeSize = 128);
}

/** The direction of the sun in environment space: azimuth and elevation. */
export const SUN = { az: 0.75, el: 0.62 };

export function makeEnvironment(width = 512): DataTexture {
  const height = width / 2;
  const data = new Float32Array(width * height * 4);
  const columns = Array.from({ length: width }, (_, x) => around(((x + 0.5) / width - 0.5) * 2 * Math.PI));
  for (let y = 0, i = 0; y < height; y++) {
    const row = upright(((y + 0.5) / height - 0.5) * Math.PI);
    for (let x = 0; x < width; x++, i += 4) {
      [data[i], data[i + 1], data[i + 2]] = radiance(columns[x], row);
      data[i + 3] = 1;
    }
  }
  const t = new DataTexture(data, width, height, RGBAFormat, FloatType);
  t.mapping = EquirectangularReflectionMapping;
  t.minFilter = t.magFilter = LinearFilter;
  t.needsUpdate = true;
  return t;
}
