// Colours as the page writes them: rows of three numbers 0..1, sRGB-encoded.

const byte = (v: number) => Math.round(Math.min(Math.max(v, 0), 1) * 255);

export const css = (c?: number[] | null) =>
  c && c.length ? `rgb(${byte(c[0])} ${byte(c[1] ?? c[0])} ${byte(c[2] ?? c[0])})` : 'transparent';

export const toHex = (c: number[]) => '#' + c.map((v) => byte(v).toString(16).padStart(2, '0')).join('');

export const fromHex = (s: string) =>
  /^#?([0-9a-f]{6})$/i
    .exec(s.trim())?.[1]
    .match(/../g)
    ?.map((h) => parseInt(h, 16) / 255);

// IEC 61966-2-1
export const decode = (e: number) => (e <= 0.04045 ? e / 12.92 : ((e + 0.055) / 1.055) ** 2.4);
export const encode = (l: number) => (l <= 0.0031308 ? 12.92 * l : 1.055 * l ** (1 / 2.4) - 0.055);

/** Hue 0..360, saturation and value 0..1. */
export function toHSV([r, g, b]: number[]): [number, number, number] {
  const v = Math.max(r, g, b);
  const d = v - Math.min(r, g, b);
  const h = d === 0 ? 0 : v === r ? ((g - b) / d + 6) % 6 : v === g ? 2 + (b - r) / d : 4 + (r - g) / d;
  return [h * 60, v === 0 ? 0 : d / v, v];
}

export function fromHSV(h: number, s: number, v: number): number[] {
  const f = (n: number) => {
    const k = (n + h / 60) % 6;
    return v - v * s * Math.max(0, Math.min(k, 4 - k, 1));
  };
  return [f(5), f(3), f(1)];
}

/** Every colour in a text: a plain list of hex values, or JSON that holds some. */
export function colorsIn(text: string): string[] {
  const found = [...text.matchAll(/#?\b([0-9a-f]{6})\b/gi)].map((m) => '#' + m[1].toLowerCase());
  return [...new Set(found)];
}
