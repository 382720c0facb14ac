// The practice pen: strokes of a hand with pressure, tilt and twist, played through the
// same events as a real pen's. For people without a pen, and for tests.

/** One sample: milliseconds, place in a box of 0..1 (right, down), pressure 0..1, tilt and twist in degrees. */
export type Sample = [ms: number, x: number, y: number, pressure: number, tiltX: number, tiltY: number, twist: number];

export interface Recording {
  name: string;
  help: string;
  samples: Sample[];
}

/** A hand is never quite steady: a slow drift and a quick tremor, the same each time. */
function unsteady(t: number, seed: number, much: number) {
  return (
    much *
    (Math.sin(t * 5.3 + seed) * 0.6 + Math.sin(t * 13.7 + seed * 2.1) * 0.3 + Math.sin(t * 31 + seed * 3.7) * 0.1)
  );
}

function record(
  name: string,
  help: string,
  ms: number,
  path: (t: number) => [number, number],
  press: (t: number) => number,
  tilt: (t: number) => [number, number] = () => [22, 18],
  twist: (t: number) => number = () => 0,
): Recording {
  const samples: Sample[] = [];
  const n = Math.round(ms / 8); // as a pen of 125 reports a second
  for (let i = 0; i <= n; i++) {
    const t = i / n;
    const [x, y] = path(t);
    const p = Math.min(Math.max(press(t) + unsteady(t, 1.7, 0.03), 0.02), 1);
    const [a, b] = tilt(t);
    samples.push([i * 8, x + unsteady(t, 0.4, 0.006), y + unsteady(t, 2.9, 0.006), p, a, b, twist(t)]);
  }
  return { name, help, samples };
}

const swell = (t: number) => Math.sin(Math.PI * (0.05 + 0.9 * t)) ** 0.8;

export const recordings: Recording[] = [
  record('Swelling line', 'From left to right, light, heavy, light', 640, (t) => [t, 0.5], swell),
  record(
    'Wave',
    'Three bows, pressed on the way down',
    1200,
    (t) => [t, 0.5 + 0.3 * Math.sin(t * 6 * Math.PI)],
    (t) => 0.5 - 0.4 * Math.cos(t * 6 * Math.PI),
  ),
  record(
    'Flick',
    'Fast, and lifted at the end',
    120,
    (t) => [t, 0.75 - 0.5 * t ** 0.7],
    (t) => 1 - 0.95 * t,
  ),
  record(
    'Ring',
    'Once around, tilted over',
    1100,
    (t) => [0.5 + 0.45 * Math.sin(2 * Math.PI * t), 0.5 - 0.45 * Math.cos(2 * Math.PI * t)],
    () => 0.7,
    (t) => [60 * Math.sin(2 * Math.PI * t), 60 * Math.cos(2 * Math.PI * t)],
  ),
  record(
    'Hatching',
    'To and fro, going down',
    1600,
    (t) => [0.5 + 0.5 * Math.asin(Math.sin(t * 20 * Math.PI)) * (2 / Math.PI), t],
    (t) => 0.45 + 0.35 * Math.abs(Math.sin(t * 20 * Math.PI)),
  ),
  record(
    'Turning',
    'From left to right, the pen turned round itself by a half',
    900,
    (t) => [t, 0.5],
    () => 0.7,
    () => [10, 0],
    (t) => 180 * t,
  ),
  record(
    'Dot',
    'Set down and held',
    400,
    () => [0.5, 0.5],
    (t) => Math.min(t * 4, 1),
  ),
];

/** Plays a recording on a canvas, in a box of client pixels; it ends when the pen is lifted. */
export async function play(r: Recording, canvas: HTMLElement, box: DOMRect, speed = 1): Promise<void> {
  const event = (type: string, s: Sample, down: boolean) =>
    canvas.dispatchEvent(
      new PointerEvent(type, {
        pointerType: 'pen',
        pointerId: 77,
        isPrimary: true,
        bubbles: true,
        button: type === 'pointermove' ? -1 : 0,
        buttons: down ? 1 : 0,
        clientX: box.left + box.width * s[1],
        clientY: box.top + box.height * s[2],
        pressure: down ? s[3] : 0,
        tiltX: s[4],
        tiltY: s[5],
        twist: Math.round(s[6]) % 360,
      }),
    );
  const began = performance.now();
  event('pointerdown', r.samples[0], true);
  let i = 1;
  while (i < r.samples.length) {
    await new Promise((done) => setTimeout(done, 8));
    const now = (performance.now() - began) * speed;
    for (; i < r.samples.length && r.samples[i][0] <= now; i++) event('pointermove', r.samples[i], true);
  }
  event('pointerup', r.samples[r.samples.length - 1], false);
}
