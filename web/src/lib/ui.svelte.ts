// What this page looks at and paints with; nothing here is kept by the server.
import type { Setting } from '../view/twins';
import { SvelteSet } from 'svelte/reactivity';
import type { Kit, Live, MadeBrush, Step, StepKind } from '../api/client';
import type { Picked, Session } from './session.svelte';
import { addStep, eachStep, title } from './stack';

export type Within = NonNullable<Live['BeginStrokeRequest']['within']>;
export type Does = NonNullable<Live['Stroke']['does']>;

export type Station = 'Prepare' | 'Layer' | 'Judge' | 'Deliver';
export type Tool = 'orbit' | 'brush' | 'erase' | 'clone' | 'smear' | 'fill' | 'lasso' | 'drill' | 'reach';
/** Tools that lay strokes. */
export const strokes: Tool[] = ['brush', 'erase', 'clone', 'smear', 'fill'];
export type ViewMode = 'model' | 'flat' | 'both';
/** What the view shows: the shaded surface, or one thing alone. */
export type Alone = '' | 'mask' | string;

export class UI {
  station = $state<Station>('Layer');
  tool = $state<Tool>('orbit');
  mode = $state<ViewMode>('model');
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
  /** names of the model's parts */
  parts = $state.raw<string[]>([]);
  /** called with what was clicked on the model while the reach is picked */
  onReach: (p: Picked) => void = () => {};
  /** parameters that fit a fresh step to the model; wired where the model is shown */
  suggest: (kind: StepKind) => Record<string, unknown> = () => ({});
  /** words that layers are found by */
  find = $state('');
  sheet = $state(false);
  /** what a click on the model adds to the open layer's reach */
  reachKind = $state<'part' | 'island' | 'face' | 'sheet' | 'id'>('part');
  /** waits for a click on the model, to take a value from there */
  taking = $state.raw<{ label: string; take: (p: Picked, pos: number[], nrm: number[]) => void } | null>(null);
  /** the layer that is shown without the others */
  solo = $state('');
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
  /** the stamp press is open */
  press = $state(false);
  /** the stock is open */
  stock = $state(false);
  /** how many parameters of agents are shown: 1 one amount, 2 the half dozen that matter, 3 everything */
  depth = $state(Number(localStorage.getItem('depth')) || 2);
  light = $state(312);
  exposure = $state(1);
  /** drawn pixels a pixel of the screen; kept in the browser, as it suits the machine */
  /** Sets one thing of the brush's kit, which is made where there is none: then the brush sets dabs. */
  setKit<K extends keyof Kit>(key: K, v: Kit[K]) {
    this.brush.kit ??= { spacing: 0.08, flow: 1 } as Kit;
    this.brush.kit[key] = v;
  }
  /** height of the worktop in pixels */
  worktop = $state(Number(localStorage.getItem('worktop')) || 212);
  setWorktop(px: number) {
    this.worktop = px;
    localStorage.setItem('worktop', String(px));
  }
  sharpness = $state(Number(localStorage.getItem('sharpness')) || 1);
  blur = $state(0.6);
  background = $state(false);
  shadows = $state(true);
  brush = $state({
    size: 0.008, // radius in metres
    strength: 1,
    hardness: 0.4,
    penSize: false,
    penFlow: true,
    color: [0.85, 0.83, 0.78] as number[],
    values: { roughness: 0.8, metallic: 0, height: 0.0003, opacity: 1, ambientOcclusion: 1 } as Record<string, number>,
    emissive: [1, 0.7, 0.4] as number[],
    mask: 0, // what a stroke in a hand step leaves: 0 hides, 1 shows
    name: 'Round',
    kit: null as Kit | null, // none: the stroke is swept
    blend: '',
    does: '' as Does,
    onScreen: false, // the size stays the same on the screen
    pixels: 24, // that size, as a radius
    steady: 0, // how far the brush lags behind the hand, 0..0.95
    within: '' as Within, // what a stroke stays in, by the place it begins: part, island, sheet, face
    seen: false, // only what is seen from the camera
    filled: 'part' as Within, // what the fill tool fills: these, or all
    around: false, // a fading fill goes along the surface, not straight through space
    of: '', // the fill layer whose material is laid, by its id; none: the values
    alike: '', // the channel by which a stroke stays where it looks like its beginning
    tolerance: 0.1, // how far it may be from that
    row: 0, // stamps between two clicks; 0: by the spacing
    rowApart: 0, // metres from stamp to stamp there; 0: by the spacing
  });
  /** where cloning takes from: a place, and how it goes with the strokes */
  source = $state.raw<{ at: number[]; nrm: number[] } | null>(null);
  follows = $state<'along' | 'anew' | 'stays'>('along');
  /** an outline over a view that strokes stay in: −1..1 to the right and up */
  lasso = $state.raw<{ view: number[]; aspect: number; outline: number[][]; flat?: number[] } | null>(null);
  feather = $state(12); // pixels
  outside = $state(false);
  /** the next click marks that place */
  marking = $state(false);
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

  /** Takes a brush of the shelf: how it is set, and what it suggests to lay. */
  takeBrush(m: MadeBrush) {
    const b = this.brush;
    b.name = m.name;
    b.kit = m.kit ? (JSON.parse(JSON.stringify(m.kit)) as Kit) : null;
    b.blend = m.blend ?? '';
    b.does = (m.does ?? '') as Does;
    b.strength = m.strength;
    b.hardness = m.hardness;
    b.penSize = !!m.penSize;
    b.penFlow = !!m.penFlow;
    if (m.radius) b.size = m.radius;
    for (const [c, v] of Object.entries(m.values ?? {}) as [string, number[]][]) {
      if (c === 'baseColor') b.color = [...v];
      else if (c === 'emissive') b.emissive = [...v];
      else if (v.length === 1 && c !== 'mask') b.values[c] = v[0];
    }
    if (!strokes.includes(this.tool)) this.tool = 'brush';
  }

  /** The brush as it is set now, as one of the shelf. */
  madeBrush(): MadeBrush {
    const b = this.brush;
    const { kit, name, strength, hardness, penSize, penFlow } = $state.snapshot(b) as typeof b;
    return {
      name,
      group: '',
      help: '',
      radius: b.size,
      strength,
      hardness,
      penSize,
      penFlow,
      blend: b.blend || undefined,
      does: b.does || undefined,
      kit: kit ?? undefined,
    } as MadeBrush;
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

/** What the next stroke will hit, or why it can hit nothing and what helps. */
export interface Target {
  ok: boolean;
  layer: string;
  step: string;
  channels: string[];
  text: string;
  remedy?: { label: string; run: () => void };
}

export function target(s: Session, ui: UI): Target {
  const none = { ok: false, layer: '', step: '', channels: [] };
  const l = s.layer(ui.selected);
  if (!l) return { ...none, text: 'no layer is selected' };
  if (!l.visible) {
    const remedy = {
      label: 'Show it',
      run: () => s.op({ kind: 'layer.set', target: l.id, path: 'visible', value: true }),
    };
    return { ...none, text: `${l.name} is hidden`, remedy };
  }
  const locked = lockedBy(s, l.id);
  if (locked) {
    const remedy = {
      label: 'Unlock it',
      run: () => s.op({ kind: 'layer.set', target: locked.id, path: 'locked', value: false }),
    };
    return { ...none, text: `${locked.name} is locked`, remedy };
  }
  const picked = eachStep(l).find((m) => m.kind === 'hand' && m.id === ui.step);
  const hand =
    picked ?? (l.kind === 'paint' ? undefined : ((l.mask ?? []) as Step[]).findLast((m) => m.kind === 'hand'));
  if (hand || l.kind !== 'paint') {
    if (!hand) {
      const remedy = {
        label: 'Add a hand step',
        run: () => {
          ui.stream = 'mask';
          addStep(s, ui, 'hand');
        },
      };
      return {
        ...none,
        text: `${l.name} is a ${l.kind === 'group' ? 'group' : l.kind + ' layer'} without a hand step`,
        remedy,
      };
    }
    const verb =
      { erase: 'brings back', clone: 'clones', smear: 'smears' }[ui.tool as string] ??
      (ui.brush.mask < 0.5 ? 'hides' : 'shows');
    const where = ((l.mask ?? []) as Step[]).some((m) => m.id === hand.id) ? 'mask' : 'stream';
    const name = title(s.about.steps!, hand).toLowerCase();
    return {
      ok: true,
      layer: l.id,
      step: hand.id,
      channels: ['mask'],
      text: `${l.name} · ${where} · ${name} · ${verb}`,
    };
  }
  const on = s.channels.filter((c) => l.channels?.[c.channel]?.on);
  if (!on.length) return { ...none, text: `${l.name} has no channel switched on` };
  const names = on.map((c) => c.label).join(', ');
  return {
    ok: true,
    layer: l.id,
    step: '',
    channels: on.map((c) => c.channel),
    text: `${l.name} · ${{ clone: 'clone', smear: 'smear' }[ui.tool as string] ?? 'paint'} · ${names}`,
  };
}

/** The layer itself or the group around it that is locked. */
export function lockedBy(s: Session, id: string) {
  for (let r = s.place(id); r; r = r.parent ? s.place(r.parent) : undefined) if (r.layer.locked) return r.layer;
}
