// How the view looks: its light, and how it is drawn.
import { FOCAL } from '../view/lens';

export class Look {
  /** where the light stands, degrees */
  light = $state(312);
  exposure = $state(1);
  blur = $state(0.6);
  background = $state(false);
  shadows = $state(true);
  /** the lens: its focal length in mm of the usual small format; flat: without perspective */
  focal = $state(FOCAL);
  flat = $state(false);
  /** drawn pixels a pixel of the screen; kept in the browser, as it suits the machine */
  sharpness = $state(Number(localStorage.getItem('sharpness')) || 1);
  /** MB that the maps of all sheets may take on the card; 0: as suits the machine */
  maps = $state(Number(localStorage.getItem('maps')) || 0);
  /** MB that the card takes at most, by its largest texture */
  most = $state(Infinity);
}
