// What the stock holds of materials, shared by those who show it; and which of it is liked, was
// used last, and lies in which collection.
import { api, type Collection, type MaterialInfo } from '../api/client';
import { newID } from './id';

const LAST = 24;
const LIKED = 'Favourites';

/** The name by which collections know a material: its item's, or its own when it ships. */
export const keyOf = (m: Pick<MaterialInfo, 'id' | 'name'>) => m.id || m.name;

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

  used(m: Pick<MaterialInfo, 'id' | 'name'>) {
    const key = keyOf(m);
    this.last = [key, ...this.last.filter((k) => k !== key)].slice(0, LAST);
    localStorage.setItem('used', JSON.stringify(this.last));
  }

  get liked(): Collection | undefined {
    return this.collections.find((c) => c.name === LIKED);
  }

  /** Puts keys into a collection, or takes them out when all are in it; it is made when it is not there. */
  async toggle(name: string, keys: string[]) {
    const there = this.collections.find((c) => c.name === name);
    const items = there?.items ?? [];
    const all = keys.every((k) => items.includes(k));
    const next = all ? items.filter((k) => !keys.includes(k)) : [...new Set([...items, ...keys])];
    const c = { id: there?.id ?? newID(), name, items: next };
    this.collections = [...this.collections.filter((o) => o.id !== c.id), c].sort((a, b) =>
      a.name.localeCompare(b.name),
    );
    await api.putCollection(c);
  }

  like(m: MaterialInfo) {
    return this.toggle(LIKED, [keyOf(m)]);
  }

  /** Deletes a collection; what lies in it stays. */
  async drop(c: Collection) {
    await api.dropStock(c.id);
    await this.load();
  }
}

export const stock = new Stock();
