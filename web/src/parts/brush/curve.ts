/** A curve that changes nothing. */
export const straight = () => [
  [0, 0],
  [1, 1],
];

/** A curve has two points at least. */
export const pair = (c: number[][]) => (c.length > 1 ? c : [...c, [1, c[0][1]]].map((p, i) => [i, p[1]]));

/** A falloff to begin with. */
export const sloping = () => [
  [0, 1],
  [0.5, 0.5],
  [1, 0],
];
