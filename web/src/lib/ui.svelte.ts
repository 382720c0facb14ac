// What this page looks at and paints with; nothing here is kept by the server.
import type { Laid } from '../view/laid';
import type { Taken } from './session.svelte';
import type { Onto } from './taken';
import type { Does, Warp } from './warp';
import type { Held } from './materials';
import type { Covers } from './reach';
import type { Ordering } from './ordering.svelte';
import type { LineUp } from './lineup.svelte';
import type { Setting } from '../view/twins';
import { SvelteSet } from 'svelte/reactivity';
import type { MadeBrush, StepKind } from '../api/client';
import { Brush } from './brush.svelte';
import { Look } from './look.svelte';
import type { Picked } from './session.svelte';
import type { Reach } from './stack';

export type Station = 'Prepare' | 'Layer' | 'Judge' | 'Deliver';
export type Tool = 'orbit' | 'brush' | 'erase' | 'clone' | 'smear' | 'fill' | 'line' | 'lasso' | 'drill' | 'reach';
/** Tools that lay strokes. */
export const strokes: Tool[] = ['brush', 'erase', 'clone', 'smear', 'fill'];
export type ViewMode = 'model' | 'flat' | 'both';
/** What the view shows: the shaded surface, or one thing alone. */
export type Alone = '' | 'mask' | string;

/** Pixels that the worktop has until somebody drags it: as many as the brush needs, where there is room. */
export const usualWorktop = () => (window.innerHeight >= 760 ? 234 : 212);

/** What Judge asks of the view. */
export interface Judging {
  view: () => { eye: number[]; at: number[]; view: number[] };
  still: (w: number, h: number) => StillView;
  quick: (w: number, h: number, clear: boolean) => Promise<Blob | null>;
  /** how the view looks, as a small picture's data: URL */
  small: () => string;
  size: () => [number, number];
  parts: () => string[];
}

/** The camera of a still. */
export interface StillView {
  eye: number[];
  at: number[];
  angle: number;
  height: number;
  aperture: number;
  focus: number;
  parts: string[];
}

export class UI {
  station = $state<Station>('Layer');
  tool = $state<Tool>('orbit');
  mode = $state<ViewMode>('model');
  /** a press in the view lays a stroke */
  get painting() {
    return this.station === 'Layer' && strokes.includes(this.tool);
  }
  /** the layer that is open */
  selected = $state('');
  /** other layers that are selected with it */
  many = $state<string[]>([]);
  /** groups whose layers are listed */
  opened = new SvelteSet<string>();
  /** the stream on the worktop: mask, a channel, or step: and the id of the step that holds it */
  stream = $state('mask');
  /** a stream that was asked for and is not in the document yet */
  freshStream = '';
  /** what is about to be delivered, while Deliver is open */
  ordering = $state.raw<Ordering | null>(null);
  /** what Judge asks of the view; wired where the model is shown */
  judge: Judging | null = null;
  /** the stills of the project are listed */
  stills = $state(false);
  /** a click in the view picks what is sharp */
  focusing = $state(false);
  /** names of the model's parts */
  parts = $state.raw<string[]>([]);
  /** called with what was clicked on the model while the reach is picked */
  onReach: (p: Picked) => void = () => {};
  /** which shelf of the stock is open */
  shelf = $state<'materials' | 'masks' | 'stamps' | 'brushes' | 'palettes'>('materials');
  /** what a material covers where it falls */
  covers = $state<Covers>('the part');
  /** a material in the hand, over the model or on its way there */
  held = $state.raw<Held | null>(null);
  /** pictures that are to become a material: files, and blobs of the project */
  pictures = $state.raw<{ files: File[]; known: string[] } | null>(null);
  /** the longest way through the model's box, metres; wired where the model is shown */
  extent = $state(1);
  /** that through what a reach covers, as far as the page knows it; wired there, too */
  extentOf: (r: Reach) => number = () => this.extent;
  /** alternatives that the view shows beside one another, of which one is taken */
  lineup = $state.raw<LineUp | null>(null);
  /** parameters that fit a fresh step to the model; wired where the model is shown */
  suggest: (kind: StepKind) => Record<string, unknown> = () => ({});
  /** words that layers are found by */
  find = $state('');
  /** the open page of the guide, or '' */
  guide = $state('');
  openGuide() {
    this.guide = this.guide ? '' : this.station.toLowerCase();
  }
  /** what a click on the model adds to the open layer's reach */
  reachKind = $state<'part' | 'island' | 'face' | 'sheet' | 'id'>('part');
  /** a click leaves that out, instead; Shift does what it does not */
  clickOff = $state(false);
  /** whether the click that is answered next does */
  clickedOff = false;
  /** waits for a click on the model, to take a value from there */
  taking = $state.raw<{ label: string; take: (p: Picked, pos: number[], nrm: number[]) => void } | null>(null);
  /** the ledger is open */
  ledger = $state(false);
  /** the chosen decal of the open layer, or '' */
  decal = $state('');
  /** its corners are pulled, each by itself */
  corners = $state(false);
  /** what is up on the screen, in the world; wired where the model is shown */
  screenUp: () => number[] = () => [0, 1, 0];
  /** measures how long the ink of strokes takes to the screen, until what it returns is called; milliseconds a place;
   * wired where the model is shown */
  watchInk: () => () => number[] = () => () => [];
  /** the middle of the model; wired there too */
  middle: () => number[] = () => [0, 0, 0];
  /** the layer that is shown without the others */
  solo = $state('');
  /** the stroke that was taken up again, to be pulled and changed */
  stroke = $state.raw<Taken | null>(null);
  /** the next stroke that is clicked is joined to it */
  joining = $state(false);
  /** lines are drawn straight from click to click */
  straight = $state(false);
  /** id of a layer that was asked for and is not in the document yet */
  fresh = $state('none');
  /** selected step of the open stream, or '' */
  step = $state('');
  alone = $state<Alone>('');
  /** layer/step whose result is shown alone while alone is 'step' */
  aloneStep = $state('');
  /** the mask stays on the model until it is unpinned */
  pinned = $state(false);
  /** the conditions are open, with their handles on the model */
  conditions = $state(false);
  /** painting over the view is open */
  over = $state(false);
  paintOver(open: boolean) {
    this.over = open;
    if (open) [this.stock, this.conditions] = [false, false]; // they lie at the same place
  }
  /** the camera, and how large its picture is in the window; wired where the model is shown */
  lens: () => { view: number[]; eye: number[]; target: number[]; width: number; height: number } | null = () => null;
  /** the stamp press is open */
  press = $state(false);
  /** the stock is open */
  stock = $state(false);
  /** how many parameters of agents are shown: 1 one amount, 2 the half dozen that matter, 3 everything */
  depth = $state(Number(localStorage.getItem('depth')) || 2);
  /** how large the interface is drawn, 0.8 to 1.6; the view is not */
  scale = $state(Math.min(Math.max(Number(localStorage.getItem('scale')) || 1, 0.8), 1.6));
  setScale(v: number) {
    this.scale = v;
    localStorage.setItem('scale', String(v));
  }
  /** in a large window the side has room for two columns, pixels */
  readonly usualSide = innerWidth >= 2200 ? 720 : 344;
  /** width of the side in pixels */
  side = $state(Number(localStorage.getItem('side')) || this.usualSide);
  setSide(px: number) {
    this.side = px;
    localStorage.setItem('side', String(px));
  }
  /** what is folded away: the side, the worktop */
  folded = $state({
    side: localStorage.getItem('side folded') === '1',
    worktop: localStorage.getItem('worktop folded') === '1',
  });
  fold(what: 'side' | 'worktop') {
    this.folded[what] = !this.folded[what];
    localStorage.setItem(`${what} folded`, this.folded[what] ? '1' : '0');
  }
  /** height of the worktop in pixels */
  worktop = $state(Number(localStorage.getItem('worktop')) || usualWorktop());
  setWorktop(px: number) {
    this.worktop = px;
    localStorage.setItem('worktop', String(px));
  }
  readonly brush = new Brush();
  readonly look = new Look();
  /** where cloning takes from: a place, and how it goes with the strokes */
  source = $state.raw<{ at: number[]; nrm: number[] } | null>(null);
  follows = $state<'along' | 'anew' | 'stays'>('along');
  /** an outline over a view that strokes stay in: −1..1 to the right and up */
  lasso = $state.raw<{ view: number[]; aspect: number; outline: number[][]; flat?: number[] } | null>(null);
  feather = $state(12); // pixels
  outside = $state(false);
  /** the slide of the open layer that is in the hand, or '': its place is the stencil's */
  slide = $state('');
  /** what a drag does to the picture of the slide in the hand; '': it paints */
  fit = $state<'' | Does | 'grid'>('');
  /** the radius of that, in shares of the picture's width, and its strength */
  fitSize = $state(0.12);
  fitStrength = $state(1);
  /** where the pointer is over the canvas while it fits */
  fitAt = $state.raw<{ x: number; y: number } | null>(null);
  /** the picture as it is pushed now, until the server has it */
  fitted = $state.raw<Warp | null>(null);
  /** takes the camera to a place, to look at another; wired where the model is shown */
  goTo: (eye: number[], target: number[], view?: number[]) => void = () => {};
  /** a picture held before the view through which strokes go: its middle in halves of the
   * view's height from the middle of that, its width in the same, its form, turned in degrees */
  stencil = $state.raw<{
    picture: string;
    form: number;
    at: [number, number];
    wide: number;
    turn: number;
    tiled: boolean;
    invert: boolean;
    soft: number;
    both: boolean;
    colors: boolean;
    /** it lies on the surface; not: it is held before the view */
    laid?: Laid;
  } | null>(null);
  /** the part that is shown alone; '': all are */
  part = $state('');
  /** what is held before the view stands behind: the brush uncovers it */
  behind = $state(false);
  /** the next click marks that place */
  marking = $state(false);
  /** whether a sheet, by its name, has no UVs: nothing shows on it; wired where the model is shown */
  bare: (sheet: string) => boolean = () => false;
  /** the surface near a place; wired where the model is shown */
  onto: Onto = () => null;
  /** lays a stroke along a line on the surface; wired where the model is shown */
  along: (rail: number[]) => string = () => '';
  /** the faces that were picked as counterparts, by their numbers */
  pair = $state.raw<{ a: number; b: number; at: number[]; nrm: number[]; to: number[]; toNrm: number[] } | null>(null);
  /** what the brush brings from the other side; empty: it paints */
  opposite = $state<'' | 'copy' | 'flip' | 'exchange'>('');
  /** the project's colours, as #rrggbb, and how they are set; wired where the project is open */
  palette = $state.raw<string[]>([]);
  setPalette: (list: string[], label: string) => void = () => {};
  /** where strokes are repeated while one paints */
  mirror = $state<Setting>({ x: false, y: false, z: false, plane: null, at: null, times: 1, axis: 'y', fade: 0 });

  /** Takes a brush of the shelf into the hand. */
  takeBrush(m: MadeBrush) {
    this.brush.take(m);
    if (!strokes.includes(this.tool)) this.tool = 'brush';
  }

  /** Opens a layer; a fresh one need not be in the document yet. */
  choose(id: string, fresh = false) {
    if (id !== this.selected) {
      this.stream = 'mask';
      this.step = '';
    }
    this.selected = id;
    this.many = [];
    if (fresh) this.fresh = id;
  }
}
