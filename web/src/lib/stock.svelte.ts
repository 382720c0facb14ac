// What the stock holds of materials, shared by those who show it; and what of the stock is liked,
// was used last, and lies in which collection.
import { api, type Collection, type MaterialInfo } from '../api/client';
import { newID } from './id';

const LAST = 48;
const LIKED = 'Favourites';

/** The name by which collections know a material: its item's, or its own when it ships. */
export const keyOf = (m: Pick<MaterialInfo, 'id' | 'name'>) => m.id || m.name;
/** The name by which they know another thing that ships: of its kind, so that it is no material's. */
export const shipped = (kind: string, name: string) => `${kind}: ${name}`;

class Stock {
  materials = $state.raw<MaterialInfo[]>([]);
  collections = $state.raw<Collection[]>([]);
  /** keys of what was used last, the latest first */
  last = $state.raw<string[]>(JSON.parse(localStorage.getItem('used') ?? '[]'));
  private asked: Promise<void> | null = null;

  /** Reads it anew. */
  async load() {
    const both = Promise.all([api.materials(), api.collections()]);
    this.asked = both.then(([m, c]) => {
      this.materials = m;
      this.collections = c;
    });
    return this.asked;
  }

  /** Reads it if nobody has. */
  need() {
    return (this.asked ??= this.load().catch(() => {
      this.asked = null; // it is tried again when it is needed again
    }));
  }

  used(key: string) {
    this.last = [key, ...this.last.filter((k) => k !== key)].slice(0, LAST);
    localStorage.setItem('used', JSON.stringify(this.last));
  }

  get liked(): Collection | undefined {
    return this.collections.find((c) => c.name === LIKED);
  }

  /** Puts keys into a collection, or takes them out when all are in it; it is made when it is not
   * there. It shows once it is kept. */
  toggle(name: string, keys: string[]): Promise<void> {
    const turn = this.turns.then(() => this.toggled(name, keys));
    this.turns = turn.catch(() => {}); // whoever asked is told
    return turn;
  }

  /** what is done to collections is done one after the other: each begins with what was kept */
  private turns: Promise<void> = Promise.resolve();

  private async toggled(name: string, keys: string[]) {
    const there = this.collections.find((c) => c.name === name);
    const items = there?.items ?? [];
    const all = keys.every((k) => items.includes(k));
    const next = all ? items.filter((k) => !keys.includes(k)) : [...new Set([...items, ...keys])];
    const c = { id: there?.id ?? newID(), name, items: next };
    await api.putCollection(c);
    this.collections = [...this.collections.filter((o) => o.id !== c.id), c].sort((a, b) =>
      a.name.localeCompare(b.name),
    );
  }

  like(key: string) {
    return this.toggle(LIKED, [key]);
  }

  /** Those of a list that lie on a shelf, in its order: '' is everything, 'last' what was used
   * last, else a collection by its id. */
  on<T>(shelf: string, all: T[], key: (t: T) => string): T[] {
    const chosen = shelf === 'last' ? this.last : this.collections.find((c) => c.id === shelf)?.items;
    if (!chosen) return all;
    const known = new Map(all.map((t) => [key(t), t]));
    return chosen.flatMap((k) => known.get(k) ?? []);
  }

  /** Deletes a collection; what lies in it stays. */
  async drop(c: Collection) {
    await api.dropStock(c.id);
    await this.load();
  }
}

export const stock = new Stock();
