// What is about to be delivered, and what was: of the station Deliver, in its panel and its table.
import {
  api,
  type ComparedFile,
  type Deliveries,
  type DeliveryNote,
  type DeliveryWarning,
  type FilePreset,
  type Order,
  type PlannedFile,
} from '../api/client';

/** Bytes as people read them. */
export const bytes = (n: number) => (n > 1e6 ? `${(n / 1e6).toFixed(1)} MB` : `${Math.ceil(n / 1000)} kB`);

export class Ordering {
  known = $state.raw<Deliveries>({ presets: [], kept: [], sources: [], folders: false });
  /** what is written: one of the known ones, or changed */
  preset = $state.raw<FilePreset | null>(null);
  /** chosen sheets; none: all */
  sheets = $state.raw<string[]>([]);
  /** texels a side, or a share of each sheet's own (below nought: −2 is half); 0: as the preset says */
  size = $state(0);
  folder = $state('');
  plan = $state.raw<PlannedFile[]>([]);
  /** files that are in the folder already */
  there = $state.raw<string[]>([]);
  warnings = $state.raw<DeliveryWarning[] | null>(null);
  notes = $state.raw<DeliveryNote[]>([]);
  /** files of a delivery held against the surface */
  compared = $state.raw<{ note: DeliveryNote; files: ComparedFile[] | null } | null>(null);
  error = $state('');
  /** the table is open */
  open = $state(true);

  constructor(
    readonly id: string,
    readonly project: string,
  ) {}

  get ours() {
    return (this.known.presets?.length ?? 0) - (this.known.kept?.length ?? 0);
  }

  /** the preset is none of the known ones any more */
  get changed() {
    const said = JSON.stringify(this.preset);
    return !!this.preset && !this.known.presets!.some((p) => JSON.stringify(p) === said);
  }

  get order(): Order {
    const p = this.preset;
    const size = this.size > 0 ? { size: this.size, share: 0 } : this.size < 0 ? { size: 0, share: -this.size } : {};
    return {
      maps: [],
      glb: false,
      sheets: this.sheets,
      preset: p ? ({ ...p, ...size } as FilePreset) : undefined,
      project: this.project,
      folder: this.folder || undefined,
    };
  }

  async load(name?: string) {
    try {
      this.known = await api.presets(this.id);
      this.preset = this.known.presets!.find((p) => p.name === name) ?? this.preset ?? this.known.presets![0];
      await this.list();
    } catch (e) {
      this.error = (e as Error).message;
    }
  }

  async list() {
    this.notes = await api.notes(this.id).catch(() => this.notes);
  }

  /** Keeps the changed preset in the stock, under its name; one of the same name there is changed. */
  async keep() {
    const p = this.preset!;
    const i = this.known.presets!.findIndex((o, k) => k >= this.ours && o.name === p.name);
    try {
      await api.keepPreset(p, i < 0 ? '' : this.known.kept![i - this.ours]);
      await this.load(p.name);
    } catch (e) {
      this.error = (e as Error).message;
    }
  }

  /** Takes a kept preset out of the stock; what it returns puts it back. */
  async dropPreset(i: number): Promise<() => Promise<void>> {
    const gone = this.known.kept![i - this.ours];
    const p = this.known.presets![i];
    await api.dropStock(gone);
    if (this.preset?.name === p.name) this.preset = null;
    await this.load();
    return async () => {
      await api.restoreStock(gone);
      await this.load(p.name);
    };
  }

  private asked = 0;

  /** Plans the order, and looks for what is to be warned of. */
  async look(o: Order) {
    if (!o.preset) return;
    const ask = ++this.asked;
    this.warnings = null;
    try {
      const planned = await api.plan(this.id, o);
      if (ask !== this.asked) return;
      [this.plan, this.there, this.error] = [planned.files ?? [], planned.there ?? [], ''];
    } catch (e) {
      if (ask === this.asked) [this.plan, this.there, this.error] = [[], [], (e as Error).message];
      return;
    }
    const list = await api.warnings(this.id, o).catch(() => []);
    if (ask === this.asked) this.warnings = list;
  }

  /** Holds the files of a delivery against the surface. */
  async compare(note: DeliveryNote) {
    this.compared = { note, files: null };
    this.open = true;
    try {
      const files = await api.compared(this.id, note.id);
      if (this.compared?.note === note) this.compared = { note, files };
    } catch (e) {
      this.error = (e as Error).message;
      this.compared = null;
    }
  }
}
