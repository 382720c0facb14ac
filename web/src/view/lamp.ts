// The key light that comes with an environment: from its brightest place, as one lamp far away.
import { api, type Around } from '../api/client';
import { SUN } from './environment';

export interface Lamp {
  id: string;
  /** towards it, before any turn */
  dir: [number, number, number];
  color: [number, number, number];
  strength: number;
  /** as seen, radians: it softens shadows */
  radius: number;
  /** what lights beside it */
  read: (id: string) => Promise<{ width: number; halves: Uint16Array<ArrayBuffer> }>;
}

const { cos, sin } = Math;

/** That of the environment in which the view begins, which the page draws itself. */
export const evening: Lamp = {
  id: 'quay-evening',
  dir: [cos(SUN.az) * cos(SUN.el), sin(SUN.el), sin(SUN.az) * cos(SUN.el)],
  color: [1, 0.871, 0.715],
  strength: 1.6,
  radius: 0.031,
  read: api.lightOf,
};

/** The key light of an environment that the server knows. */
export function lampOf(a: Around): Lamp {
  const color = (a.key.color ?? [0, 0, 0]) as [number, number, number];
  const strength = Math.max(...color);
  return {
    id: a.id,
    dir: (a.key.dir ?? [0, 1, 0]) as [number, number, number],
    color: color.map((v) => (strength > 0 ? v / strength : 1)) as [number, number, number],
    strength,
    radius: a.key.radius,
    read: api.lightOf,
  };
}

const known = new Map<string, Lamp>([[evening.id, evening]]);

/** The key light of an environment by its id. */
export async function lampFor(id: string): Promise<Lamp> {
  const had = known.get(id);
  if (had) return had;
  const lamp = lampOf(await api.environment(id));
  known.set(id, lamp);
  return lamp;
}
