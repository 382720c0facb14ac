// How the brush is set: what it lays, with what tip, and where.
import type { Kit, Live, MadeBrush } from '../api/client';

export type Within = NonNullable<Live['BeginStrokeRequest']['within']>;
export type Does = NonNullable<Live['Stroke']['does']>;

export class Brush {
  /** radius in metres */
  size = $state(0.008);
  /** what was suggested for the open object, while nobody changed it */
  private suggested = $state(0.008);
  /** the largest radius that can be set, metres */
  get largest() {
    return Math.max(5, this.suggested * 40);
  }

  /** Suggests a radius for an object that is so many times as large as a usual one, whatever that is. */
  fit(times: number) {
    if (!(times > 0.5 && times < 2)) times = Math.max(times, 1e-3);
    else times = 1;
    if (this.size === this.suggested) this.size = this.suggested = Number((0.008 * times).toPrecision(2));
  }

  strength = $state(1);
  hardness = $state(0.4);
  penSize = $state(false);
  penFlow = $state(true);
  color = $state<number[]>([0.85, 0.83, 0.78]);
  values = $state<Record<string, number>>({
    roughness: 0.8,
    metallic: 0,
    height: 0.0003,
    opacity: 1,
    ambientOcclusion: 1,
  });
  emissive = $state<number[]>([1, 0.7, 0.4]);
  /** what a stroke in a hand step leaves: 0 hides, 1 shows */
  mask = $state(0);
  name = $state('Round');
  /** none: the stroke is swept */
  kit = $state<Kit | null>(null);
  blend = $state('');
  does = $state<Does>('');
  /** the size stays the same on the screen */
  onScreen = $state(false);
  /** that size, as a radius */
  pixels = $state(24);
  /** how far the brush lags behind the hand, 0..0.95 */
  steady = $state(0);
  /** what a stroke stays in, by the place it begins: part, island, sheet, face */
  within = $state<Within>('');
  /** only what is seen from the camera */
  seen = $state(false);
  /** what the fill tool fills: these, or all */
  filled = $state<Within>('part');
  /** a fading fill goes along the surface, not straight through space */
  around = $state(false);
  /** the fill layer whose material is laid, by its id; none: the values */
  of = $state('');
  /** the channel by which a stroke stays where it looks like its beginning */
  alike = $state('');
  /** how far it may be from that */
  tolerance = $state(0.1);
  /** stamps between two clicks; 0: by the spacing */
  row = $state(0);
  /** metres from stamp to stamp there; 0: by the spacing */
  rowApart = $state(0);

  /** Sets one thing of the kit, which is made where there is none: then the brush sets dabs. */
  setKit<K extends keyof Kit>(key: K, v: Kit[K]) {
    this.kit ??= { spacing: 0.08, flow: 1 } as Kit;
    this.kit[key] = v;
  }

  /** Takes a brush of the shelf: how it is set, and what it suggests to lay. */
  take(m: MadeBrush) {
    this.name = m.name;
    this.kit = m.kit ? (JSON.parse(JSON.stringify(m.kit)) as Kit) : null;
    this.blend = m.blend ?? '';
    this.does = (m.does ?? '') as Does;
    this.strength = m.strength;
    this.hardness = m.hardness;
    this.penSize = !!m.penSize;
    this.penFlow = !!m.penFlow;
    if (m.radius) this.size = m.radius;
    for (const [c, v] of Object.entries(m.values ?? {}) as [string, number[]][]) {
      if (c === 'baseColor') this.color = [...v];
      else if (c === 'emissive') this.emissive = [...v];
      else if (v.length === 1 && c !== 'mask') this.values[c] = v[0];
    }
  }

  /** The brush as it is set now, as one of the shelf. */
  made(): MadeBrush {
    return {
      name: this.name,
      group: '',
      help: '',
      radius: this.size,
      strength: this.strength,
      hardness: this.hardness,
      penSize: this.penSize,
      penFlow: this.penFlow,
      blend: this.blend || undefined,
      does: this.does || undefined,
      kit: this.kit ? ($state.snapshot(this.kit) as Kit) : undefined,
    } as MadeBrush;
  }
}
