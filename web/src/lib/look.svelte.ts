// How the view looks: its light, its lens, and how it is drawn.
import type { Around, KeptLook } from '../api/client';
import { FOCAL } from '../view/lens';

/** the light in which the view begins; the page draws it without asking */
export const FIRST = 'quay-evening';

export type Tone = 'filmic' | 'neutral' | 'none';

export class Look {
  /** the environment: one of ours, or the hash of a panorama */
  around = $state(FIRST);
  /** by how much it is turned and tilted, degrees */
  light = $state(312);
  tilt = $state(0);
  exposure = $state(1);
  /** how bright what is emissive is, by white */
  glow = $state(1);
  blur = $state(0.6);
  background = $state(false);
  shadows = $state(true);
  tone = $state<Tone>('filmic');
  /** the lens: its focal length in mm of the usual small format; flat: without perspective */
  focal = $state(FOCAL);
  flat = $state(false);
  /** focal length over the diameter of its opening; 0: all is sharp */
  fStop = $state(0);
  /** metres from the eye to what is sharp; 0: what is looked at */
  focus = $state(0);
  vignette = $state(0);
  grain = $state(0);
  /** how far parts are moved away from the middle, by how far they are from it, and along which axis */
  explode = $state(0);
  axis = $state<'all' | 'x' | 'y' | 'z'>('y');
  /** parts beside the one that is shown alone are seen as ghosts */
  ghosts = $state(false);
  /** drawn pixels a pixel of the screen; kept in the browser, as it suits the machine */
  sharpness = $state(Number(localStorage.getItem('sharpness')) || 1);
  /** MB that the maps of all sheets may take on the card; 0: as suits the machine */
  maps = $state(Number(localStorage.getItem('maps')) || 0);
  /** MB that the card takes at most, by its largest texture */
  most = $state(Infinity);
  /** environments that are known, once they were asked for */
  known = $state.raw<Around[]>([]);

  /** What the project keeps of it. */
  kept(): KeptLook {
    return {
      light: this.around,
      turn: this.light,
      tilt: this.tilt,
      exposure: this.exposure,
      glow: this.glow,
      background: this.background,
      blur: this.blur,
      shadows: this.shadows,
      tone: this.tone,
      fStop: this.fStop,
      focus: this.focus,
      vignette: this.vignette,
      grain: this.grain,
      focal: this.focal,
      flat: this.flat,
    };
  }

  /** Looks as one that was kept. */
  take(k: KeptLook) {
    this.around = k.light;
    this.light = k.turn;
    this.tilt = k.tilt ?? 0;
    this.exposure = k.exposure;
    this.glow = k.glow || 1;
    this.background = !!k.background;
    this.blur = k.blur ?? 0;
    this.shadows = !!k.shadows;
    this.tone = (k.tone || 'filmic') as Tone;
    this.fStop = k.fStop ?? 0;
    this.focus = k.focus ?? 0;
    this.vignette = k.vignette ?? 0;
    this.grain = k.grain ?? 0;
    this.focal = k.focal;
    this.flat = !!k.flat;
  }
}
