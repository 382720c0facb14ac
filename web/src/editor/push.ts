// Pushing what a picture shows: its own pixels go along with the hand.

/** Texels of the area that is pushed, as a canvas gives them: four bytes each, not multiplied by coverage. */
export interface Area {
  data: Uint8ClampedArray;
  width: number;
  height: number;
}

/**
 * Moves what lies around (cx, cy) by (dx, dy) texels, less towards the radius; how much each texel takes part is
 * weighed by share, when there is one, 0..255 in its fourth bytes.
 */
export function push(a: Area, cx: number, cy: number, dx: number, dy: number, radius: number, share?: Area) {
  const { data, width: w, height: h } = a;
  const was = new Uint8ClampedArray(data);
  const [x0, x1] = [Math.max(Math.floor(cx - radius), 0), Math.min(Math.ceil(cx + radius), w - 1)];
  const [y0, y1] = [Math.max(Math.floor(cy - radius), 0), Math.min(Math.ceil(cy + radius), h - 1)];
  for (let y = y0; y <= y1; y++) {
    for (let x = x0; x <= x1; x++) {
      const d = Math.hypot(x - cx, y - cy) / radius;
      if (d >= 1) continue;
      const o = 4 * (y * w + x);
      let k = (1 - d * d) ** 2;
      if (share) k *= share.data[o + 3] / 255;
      if (k <= 0) continue;
      // what is seen here afterwards was seen there
      const [u, v] = [Math.min(Math.max(x - dx * k, 0), w - 1), Math.min(Math.max(y - dy * k, 0), h - 1)];
      const [i, j] = [Math.min(Math.floor(u), w - 2), Math.min(Math.floor(v), h - 2)];
      const [fx, fy] = [u - i, v - j];
      const sum = [0, 0, 0, 0];
      for (const [p, q, f] of [
        [0, 0, (1 - fx) * (1 - fy)],
        [1, 0, fx * (1 - fy)],
        [0, 1, (1 - fx) * fy],
        [1, 1, fx * fy],
      ]) {
        const s = 4 * (Math.max(j + q, 0) * w + Math.max(i + p, 0));
        const cover = f * was[s + 3];
        sum[3] += cover;
        for (let c = 0; c < 3; c++) sum[c] += cover * was[s + c];
      }
      for (let c = 0; c < 3; c++) data[o + c] = sum[3] > 0 ? sum[c] / sum[3] : was[o + c];
      data[o + 3] = sum[3];
    }
  }
}
