// What the view draws with: a canvas, its renderer, and the light from all sides. It goes on from
// project to project, so that the next one need not wait until its programs are linked and its
// light is made; who looks at no project for a while gets the card's memory back.
import {
  ACESFilmicToneMapping,
  DataTexture,
  EquirectangularReflectionMapping,
  HalfFloatType,
  LinearFilter,
  PCFShadowMap,
  PMREMGenerator,
  RGBAFormat,
  WebGLRenderer,
  type Texture,
} from 'three';
import { onProcessor } from './atlas';
import { makeEnvironment, makeSmaller, sampleLess } from './environment';

/** how long it is kept while no project is open, ms */
const UNUSED = 60_000;
/** how many environments beside the first are kept on the card */
const MOST_AROUND = 4;
/** programs beyond which it is better made anew */
const MOST = 80;

export class Card {
  readonly canvas = document.createElement('canvas');
  readonly renderer: WebGLRenderer;
  /** there is no graphics card: the processor draws */
  readonly slow: boolean;
  /** what makes the light, while its programs are linked */
  private reflections: PMREMGenerator | null;
  private light: Texture | null = null;
  private readonly linked = new WeakSet<object>();

  /** @param rough coarse pixels: edges are not smoothed, reflections are softer */
  constructor(readonly rough: boolean) {
    this.canvas.ariaLabel = 'The model';
    this.renderer = new WebGLRenderer({ canvas: this.canvas, antialias: !rough, preserveDrawingBuffer: true });
    this.slow = onProcessor(this.renderer.getContext() as WebGL2RenderingContext);
    this.reflections = this.reflecting();
    this.canvas.addEventListener('webglcontextlost', () => {
      this.reflections = this.light = null;
      this.others.clear();
      if (kept === this) kept = null;
    });
  }

  private reflecting(): PMREMGenerator {
    const pmrem = new PMREMGenerator(this.renderer);
    if (this.slow) sampleLess(pmrem);
    if (this.slow && this.rough) makeSmaller(pmrem);
    pmrem.compileEquirectangularShader();
    return pmrem;
  }

  /** The light from all sides; made when it is asked for first. */
  surround(): Texture {
    if (this.light) return this.light;
    const pmrem = (this.reflections ??= this.reflecting());
    this.reflections = null;
    const equirect = makeEnvironment(this.rough ? 256 : 512);
    this.light = pmrem.fromEquirectangular(equirect).texture;
    equirect.dispose();
    pmrem.dispose();
    return this.light;
  }

  private readonly others = new Map<string, Texture>();

  /** The light of another environment, from its halves; '' the first one. */
  async around(id: string, read: () => Promise<{ width: number; halves: Uint16Array<ArrayBuffer> }>): Promise<Texture> {
    const known = this.others.get(id);
    if (known) return known;
    const { width, halves } = await read();
    const equirect = new DataTexture(halves, width, width / 2, RGBAFormat, HalfFloatType);
    equirect.mapping = EquirectangularReflectionMapping;
    equirect.minFilter = equirect.magFilter = LinearFilter;
    equirect.needsUpdate = true;
    const pmrem = this.reflecting();
    const light = pmrem.fromEquirectangular(equirect).texture;
    equirect.dispose();
    pmrem.dispose();
    const oldest = [...this.others.keys()][0];
    if (this.others.size >= MOST_AROUND && oldest) {
      this.others.get(oldest)!.dispose();
      this.others.delete(oldest);
    }
    this.others.set(id, light);
    return light;
  }

  /** As it is when a project is opened. */
  ready(): this {
    const r = this.renderer;
    r.toneMapping = ACESFilmicToneMapping;
    r.toneMappingExposure = 1.05;
    r.shadowMap.enabled = true;
    r.shadowMap.type = PCFShadowMap;
    r.shadowMap.autoUpdate = false;
    r.setRenderTarget(null);
    r.setScissorTest(false);
    r.setClearColor(0x5a5a5a);
    r.clear(); // nothing of the last project is seen
    return this;
  }

  /** Holds the programs that were linked: materials that are made later find them again. */
  hold(): number {
    const programs = (this.renderer.info.programs ?? []) as unknown as { type: string; usedTimes: number }[];
    for (const p of programs) {
      if (p.type === 'ShaderMaterial') continue; // their texts are numbered anew: none is found again
      if (!this.linked.has(p)) p.usedTimes++;
      this.linked.add(p);
    }
    return programs.length;
  }

  free() {
    if (kept === this) kept = null;
    this.renderer.dispose();
    this.renderer.forceContextLoss(); // else the card holds all of it until the browser clears up
  }
}

let kept: Card | null = null;
let leaving = 0;

/** The card for a view: the one that was given back, or a new one. It throws when the browser has none. */
export function takeCard(rough: boolean): Card {
  clearTimeout(leaving);
  const card = kept;
  kept = null;
  if (card?.rough === rough && !card.renderer.getContext().isContextLost()) return card.ready();
  card?.free();
  return new Card(rough).ready();
}

/** Gives a card back of which all that was a project's is disposed of, its materials excepted. */
export function giveBack(card: Card) {
  card.canvas.remove();
  if (kept || card.renderer.getContext().isContextLost() || card.hold() > MOST) return card.free();
  kept = card;
  leaving = window.setTimeout(() => kept?.free(), UNUSED);
}
