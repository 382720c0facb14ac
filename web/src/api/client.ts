// Typed calls to the service; the types come from its OpenAPI description.
import { actor, newID } from '../lib/id';
import { kept } from '../lib/kept';
import type { components } from './schema';

export type Around = components['schemas']['Around'];
export type KeptLook = components['schemas']['KeptLook'];
export type KeptView = components['schemas']['KeptView'];
export type FilePreset = components['schemas']['FilePreset'];
export type PresetFile = components['schemas']['PresetFile'];
export type Component = components['schemas']['Component'];
export type Deliveries = components['schemas']['Deliveries'];
export type Source = components['schemas']['Source'];
export type MoreChannel = components['schemas']['MoreChannel'];
export type Judged = components['schemas']['Judged'];
export type StillOrder = components['schemas']['StillOrder'];
export type StillLine = components['schemas']['StillLine'];
export type Project = components['schemas']['Project'];
export type Binned = components['schemas']['Binned'];
export type About = components['schemas']['About'];
export type Facts = components['schemas']['Facts'];
export type Layer = components['schemas']['Layer'];
export type Coat = components['schemas']['Coat'];
export type Stroke = components['schemas']['Stroke'];
export type Decal = components['schemas']['Decal'];
export type Slide = components['schemas']['Slide'];
export type Step = components['schemas']['Step'];
export type Doc = components['schemas']['Document'];
export type Order = components['schemas']['Order'];
export type PlannedFile = components['schemas']['File'];
export type Planned = components['schemas']['Planned'];
export type DeliveryNote = components['schemas']['Note'];
export type DeliveryWarning = components['schemas']['Warning'];
export type ComparedFile = components['schemas']['Compared'];
export type Since = components['schemas']['Since'];
export type ViewOrder = components['schemas']['ViewOrder'];
export type Job = components['schemas']['Line'];
export type Report = components['schemas']['Report'];
export type SheetReport = components['schemas']['SheetReport'];
export type Finding = components['schemas']['Finding'];
export type BakeOrder = components['schemas']['BakeOrder'];
export type BakeSettings = components['schemas']['Settings'];
export type UnwrapOptions = components['schemas']['Options'];
export type Edit = components['schemas']['Edit'];
export type Match = components['schemas']['Match'];
export type BakedKind = components['schemas']['Kind'];
export type Param = components['schemas']['Param'];
export type StepKind = components['schemas']['Description'];
export type Conditions = components['schemas']['Conditions'];
export type SavedMask = components['schemas']['SavedMask'];
export type MaterialInfo = components['schemas']['MaterialInfo'];
export type Dial = components['schemas']['Dial'];
export type Move = components['schemas']['Move'];
export type MadeBrush = components['schemas']['Made'];
export type Kit = components['schemas']['Kit'];
export type Drive = components['schemas']['Drive'];
export type Brushes = components['schemas']['Brushes'];
export type PressInfo = components['schemas']['Press'];
export type KnownStamp = components['schemas']['KnownStamp'];
export type Recipe = components['schemas']['Recipe'];
export type PressShape = components['schemas']['Shape'];
export type PressTreat = components['schemas']['Treat'];
export type PressRepeat = components['schemas']['Repeat'];
export type PressKind = components['schemas']['Described'];
export type PressSetting = components['schemas']['Setting'];
export type SavedPalette = components['schemas']['SavedPalette'];
export type Collection = components['schemas']['Collection'];
export type SetRow = components['schemas']['SetRow'];
export type SetOrder = components['schemas']['SetOrder'];
export type StoredPicture = components['schemas']['Picture'];
/** The messages of the live session, by name. */
export type Live = components['schemas'];
export type Failure = components['schemas']['Failure'];
export type Shared = components['schemas']['Shared'];
export type ChannelInfo = components['schemas']['ChannelInfo'];

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const form = body instanceof FormData || body instanceof Blob;
  const answer = await fetch(path, {
    method,
    body: body === undefined ? undefined : form ? (body as BodyInit) : JSON.stringify(body),
    headers: body === undefined || form ? undefined : { 'Content-Type': 'application/json' },
  });
  if (!answer.ok) {
    const detail = await answer.json().catch(() => ({}));
    throw new Error(detail.detail ?? `${method} ${path}: ${answer.status}`);
  }
  return (answer.status === 204 ? undefined : await answer.json()) as T;
}

const at = (id: string, rest = '') => `/api/projects/${id}${rest}`;
/** A call that reads or changes what a project holds: what was done to it before is kept first. */
async function after<T>(project: string, method: string, path: string, body?: unknown): Promise<T> {
  await kept(project);
  return call<T>(method, path, body);
}
const as = () => `?actor=${actor()}`;
/** What a file's numbers mean and which of its scenes and UVs are read; empty: guessed. */
export interface Fit {
  unit: string;
  up: string;
  scene: string;
  uv: string;
}
const upload = (files: FileList | File[], fit?: Fit) => {
  const form = new FormData();
  for (const f of files) form.append('files', f, f.name);
  for (const [k, v] of Object.entries(fit ?? {})) if (v) form.append(k, v);
  return form;
};

/** Asks for a picture that is drawn from what is sent. */
async function drawn(path: string, what: unknown, signal?: AbortSignal): Promise<Blob> {
  const a = await fetch(path, { method: 'POST', body: JSON.stringify(what), signal });
  if (!a.ok) throw new Error((await a.json().catch(() => ({}))).detail ?? `${path}: ${a.status}`);
  return a.blob();
}

export const api = {
  about: () => call<About>('GET', '/api/about'),
  projects: () => call<Project[]>('GET', '/api/projects'),
  rename: (id: string, name: string) => call<void>('PATCH', at(id), { name }),
  remove: (id: string) => call<void>('DELETE', at(id)),
  restore: (id: string) => call<void>('POST', at(id, '/restore')),
  bin: () => call<Binned[]>('GET', '/api/bin'),
  discard: (id: string) => call<void>('DELETE', `/api/bin/${id}`),
  facts: (id: string) => after<Facts>(id, 'GET', at(id, '/facts')),
  picture: (id: string, png: Blob) => call<void>('PUT', at(id, '/picture'), png),
  pictures: (id: string) => call<StoredPicture[]>('GET', at(id, '/pictures')),
  addPicture: (id: string, f: File) =>
    call<StoredPicture>('POST', at(id, `/pictures?name=${encodeURIComponent(f.name)}`), f),
  /** The pictures of a zip become pictures of a project. */
  addPictureZip: (id: string, f: File) =>
    call<StoredPicture[]>('POST', at(id, `/pictures/zip?name=${encodeURIComponent(f.name)}`), f),
  lookAtSet: (id: string, pictures: string[]) => call<SetRow[]>('POST', at(id, '/sets/look'), { pictures }),
  makeSet: (id: string, o: SetOrder) => after<Layer>(id, 'POST', at(id, '/sets'), o),
  plan: (id: string, order: Order) => after<Planned>(id, 'POST', at(id, '/plan'), order),
  warnings: (id: string, order: Order) => after<DeliveryWarning[]>(id, 'POST', at(id, '/plan/warnings'), order),
  notes: (id: string) => call<DeliveryNote[]>('GET', at(id, '/deliveries')),
  delivery: (delivery: string) => call<components['schemas']['OneDelivery']>('GET', `/api/deliveries/${delivery}`),
  /** Brings corrections of the target view home, as a hidden layer. */
  takeHome: (delivery: string, c: components['schemas']['Corrections']) =>
    call<components['schemas']['CameHome']>('POST', `/api/deliveries/${delivery}/home${as()}&request=${newID()}`, c),
  since: (id: string, delivery: string) => after<Since>(id, 'GET', `/api/deliveries/${delivery}/since`),
  deliverAgain: (id: string, delivery: string) => after<Job>(id, 'POST', `/api/deliveries/${delivery}/again`),
  compared: (id: string, delivery: string) => after<ComparedFile[]>(id, 'GET', `/api/deliveries/${delivery}/compared`),
  presets: (id: string) => after<Deliveries>(id, 'GET', at(id, '/deliveries/presets')),
  keepPreset: (p: FilePreset, kept = '') => call<{ id: string }>('POST', `/api/stock/presets?id=${kept}`, p),
  deliver: (id: string, order: Order) => after<Job>(id, 'POST', at(id, '/deliveries'), order),
  /** Sends a view out as a layered picture. */
  sendView: (id: string, o: ViewOrder) => after<Job>(id, 'POST', at(id, '/views') + as(), o),
  /** Takes back what was added to one. */
  takeView: (id: string, f: Blob, name: string) =>
    after<Job>(id, 'POST', at(id, `/views/back${as()}&name=${encodeURIComponent(name)}`), f),
  environments: () => call<Around[]>('GET', '/api/environments'),
  environment: (id: string) => call<Around>('GET', `/api/environments/${id}`),
  /** What lights beside the key light: halves, four a texel, from below upwards. */
  async lightOf(id: string): Promise<{ width: number; halves: Uint16Array<ArrayBuffer> }> {
    const a = await fetch(`/api/environments/${id}/light`);
    if (!a.ok)
      throw new Error((await a.json().catch(() => ({}))).detail ?? `the environment is not there: ${a.status}`);
    return { width: Number(a.headers.get('X-Width')), halves: new Uint16Array(await a.arrayBuffer()) };
  },
  addEnvironment: (f: File) => call<Around>('POST', `/api/environments?name=${encodeURIComponent(f.name)}`, f),
  stills: (id: string) => call<StillLine[]>('GET', at(id, '/stills')),
  still: (id: string, o: StillOrder) => after<Job>(id, 'POST', at(id, '/stills'), o),
  dropStill: (still: string) => call<void>('DELETE', `/api/stills/${still}`),
  restoreStill: (still: string) => call<void>('POST', `/api/stills/${still}/restore`),
  jobs: (id: string) => call<Job[]>('GET', at(id, '/jobs')),
  job: (id: string) => call<Job>('GET', `/api/jobs/${id}`),
  cancel: (id: string) => call<void>('DELETE', `/api/jobs/${id}`),
  again: (id: string) => call<void>('POST', `/api/jobs/${id}/again`),
  report: (id: string) => after<Report>(id, 'GET', at(id, '/report')),
  bake: (id: string, order: BakeOrder) => after<Job>(id, 'POST', at(id, '/bakes') + as(), order),
  unwrap: (id: string, o: UnwrapOptions) => after<Job>(id, 'POST', at(id, '/unwraps') + as(), o),
  matches: (id: string, order: BakeOrder) => after<Match[]>(id, 'POST', at(id, '/matches'), order),
  islands: (id: string, e: Edit) => after<void>(id, 'POST', at(id, '/islands') + as(), e),
  ids: (id: string, s: { layer: string; channel: string; sheet: string; size: number }) =>
    after<void>(id, 'POST', at(id, '/ids') + as(), s),
  materials: () => call<MaterialInfo[]>('GET', '/api/materials'),
  materialGroup: (name: string, seed: number, size: number) =>
    call<Layer>('GET', `/api/materials/${encodeURIComponent(name)}/group?seed=${seed}&size=${size}`),
  collections: () => call<Collection[]>('GET', '/api/stock/collections'),
  putCollection: (c: Collection) =>
    call<Collection>('PUT', `/api/stock/collections/${c.id}`, { name: c.name, items: c.items ?? [] }),
  /** Keeps a layer as a material, under its name. */
  keepMaterial: (project: string, layer: string) =>
    after<MaterialInfo>(project, 'POST', '/api/stock/materials', { project, layer }),
  keptGroup: (id: string, project: string, seed: number, size: number) =>
    call<Layer>('POST', `/api/stock/materials/${id}/group?seed=${seed}&size=${size}`, { project }),
  masks: () => call<SavedMask[]>('GET', '/api/stock/masks'),
  useMask: (id: string, project: string) => call<SavedMask>('POST', `/api/stock/${id}/use`, { project }),
  /** Keeps the mask of a layer, under its name. */
  keepMask: (project: string, layer: string) =>
    after<SavedMask>(project, 'POST', '/api/stock/masks', { project, layer }),
  brushes: () => call<Brushes>('GET', '/api/brushes'),
  palettes: () => call<SavedPalette[]>('GET', '/api/stock/palettes'),
  keepPalette: (name: string, colors: string[]) =>
    call<SavedPalette>('POST', '/api/stock/palettes', { id: '', name, colors }),
  /** The main colours of a picture, as #rrggbb. */
  mainColors: (f: Blob) => call<string[]>('POST', '/api/palette', f),
  keepBrush: (m: MadeBrush) => call<MadeBrush>('POST', '/api/stock/brushes', m),
  /** A stroke as it will be, as a picture's address. */
  brushPicture: async (m: MadeBrush) => URL.createObjectURL(await drawn('/api/brushes/preview', m)),
  press: () => call<PressInfo>('GET', '/api/press'),
  pressPicture: (r: Recipe, look: string, size: number, signal?: AbortSignal) =>
    drawn(`/api/press/picture?look=${look}&size=${size}`, r, signal),
  pressPNG: (r: Recipe, size: number) => drawn(`/api/press/png?size=${size}`, r),
  keepStamp: (r: Recipe) => call<KnownStamp>('POST', '/api/stock/stamps', r),
  /** How words come out. */
  lettering: (text: string, font: string, apart = 0) =>
    call<{ aspect: number }>('GET', `/api/lettering?text=${encodeURIComponent(text)}&font=${font}&apart=${apart}`),
  /** Makes a stamp a picture of a project. */
  /** A stamp as a picture of a project, of so many texels, or kept as what it is drawn by, at any size. */
  drawnStamp: (id: string, r: Recipe) => call<StoredPicture>('POST', at(id, '/stamps?drawn=1'), r),
  stampPicture: (id: string, r: Recipe, size: number) => call<StoredPicture>('POST', at(id, `/stamps?size=${size}`), r),
  renameStock: (id: string, name: string) => call<void>('PATCH', `/api/stock/${id}`, { name }),
  dropStock: (id: string) => call<void>('DELETE', `/api/stock/${id}`),
  restoreStock: (id: string) => call<void>('POST', `/api/stock/${id}/restore`),
  imports: () => call<Job[]>('GET', '/api/imports'),
  dense: (id: string, files: FileList | File[]) => after<Job>(id, 'POST', at(id, '/dense') + as(), upload(files)),
  replace: (id: string, files: FileList | File[]) => after<Job>(id, 'POST', at(id, '/model') + as(), upload(files)),
  /** Has a model read into a new project; the answer is the job that does it. */
  create: (files: FileList | File[], fit: Fit) => call<Job>('POST', '/api/projects' + as(), upload(files, fit)),
};
