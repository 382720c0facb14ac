// The recipe on the stamp press, with what was done to it: it is kept in the browser until it
// is kept in the stock.
import { api, type PressInfo, type PressRepeat, type PressShape, type PressTreat, type Recipe } from '../api/client';
import type { Session } from './session.svelte';
import type { UI } from './ui.svelte';

const copy = <T>(v: T): T => JSON.parse(JSON.stringify(v));
const blank: Recipe = { name: 'New stamp', shapes: [{ kind: 'disc', level: 1, wide: 1.6 }], after: [] } as Recipe;
const STEPS = 100; // that can be taken back

export type List = 'shapes' | 'after';
/** A change of a recipe, made on a copy. */
export type Change = (r: Recipe) => void;

function kept(): Recipe {
  try {
    return JSON.parse(localStorage.getItem('press') ?? '') as Recipe;
  } catch {
    return copy(blank);
  }
}

export class Press {
  recipe = $state.raw<Recipe>(kept());
  past = $state.raw<Recipe[]>([]);
  future = $state.raw<Recipe[]>([]);
  /** what is open: shape 0, 1 …, or a treatment */
  open = $state<{ list: List; at: number }>({ list: 'shapes', at: 0 });
  /** what the press knows: kinds, looks, stamps */
  info = $state.raw<PressInfo | null>(null);
  error = $state('');
  /** the recipe before a drag began; null when nothing is dragged */
  before: Recipe | null = null;

  item = $derived.by(() => {
    const list = (this.open.list === 'shapes' ? this.recipe.shapes : this.recipe.after) ?? [];
    return list[this.open.at] as (PressShape & PressTreat) | undefined;
  });
  kind = $derived.by(() => {
    const kinds = (this.open.list === 'shapes' ? this.info?.shapes : this.info?.treats) ?? [];
    return kinds.find((k) => k.kind === this.item?.kind);
  });
  /** the open shape, when one is open */
  shape = $derived(this.open.list === 'shapes' ? (this.item as PressShape | undefined) : undefined);
  /** its corners, when it is an outline that is laid once */
  outline = $derived(
    this.shape?.kind === 'outline' && !this.shape.repeat ? ((this.shape.points ?? []) as unknown as number[][]) : null,
  );

  /** Puts another recipe in place of this one, as a step that can be undone. */
  private put(r: Recipe, from: Recipe = this.recipe) {
    this.past = [...this.past.slice(1 - STEPS), from];
    this.future = [];
    this.before = null;
    this.set(r);
  }
  private set(r: Recipe) {
    this.recipe = r;
    localStorage.setItem('press', JSON.stringify(r));
  }
  private changed(f: Change): Recipe {
    const r = copy(this.recipe);
    f(r);
    return r;
  }

  change(f: Change) {
    this.put(this.changed(f), this.before ?? this.recipe);
  }
  /** Shows a change while something is dragged; kept by settle, or by the next change. */
  show(f: Change) {
    this.before ??= this.recipe;
    this.recipe = this.changed(f);
  }
  /** What was dragged is let go. */
  settle() {
    if (this.before) this.put(this.recipe, this.before);
  }

  /** Takes the last change back, or makes it again. */
  step(from: 'past' | 'future') {
    const list = this[from];
    if (!list.length) return;
    const r = list[list.length - 1];
    this[from] = list.slice(0, -1);
    const to = from === 'past' ? 'future' : 'past';
    this[to] = [...this[to], this.recipe];
    this.set(r);
    const n = (r[this.open.list] ?? []).length;
    this.open = { list: this.open.list, at: Math.min(this.open.at, Math.max(n - 1, 0)) };
  }

  /** Begins anew, or with a stamp that is there. */
  take(r: Recipe = blank) {
    this.put(copy(r));
    this.open = { list: 'shapes', at: 0 };
  }

  /** Sets something of what is open. */
  setting(name: string, v: unknown): Change {
    return (r) => {
      const it = r[this.open.list]![this.open.at] as unknown as Record<string, unknown>;
      it[name] = v;
    };
  }

  addShape(kind: string) {
    const d = this.info!.shapes!.find((s) => s.kind === kind)!;
    const s: Record<string, unknown> = { kind, level: 1, wide: 1 };
    for (const p of d.settings ?? []) if (['text', 'outline'].includes(p.kind)) s[p.name] = copy(p.default);
    this.change((r) => (r.shapes = [...(r.shapes ?? []), s as unknown as PressShape]));
    this.open = { list: 'shapes', at: this.recipe.shapes!.length - 1 };
  }
  addTreat(kind: string) {
    const d = this.info!.treats!.find((s) => s.kind === kind)!;
    const t: Record<string, unknown> = { kind };
    for (const p of d.settings ?? []) if (p.kind !== 'file') t[p.name] = copy(p.default);
    this.change((r) => (r.after = [...(r.after ?? []), t as unknown as PressTreat]));
    this.open = { list: 'after', at: this.recipe.after!.length - 1 };
  }
  drop(l: List, i: number) {
    const { open } = this;
    this.change((r) => r[l]!.splice(i, 1));
    if (open.list === l && open.at >= i) this.open = { list: l, at: Math.max(open.at - 1, 0) };
  }
  shift(l: List, i: number, d: number) {
    const n = (this.recipe[l] ?? []).length;
    if (i + d < 0 || i + d >= n) return;
    this.change((r) => {
      const all = r[l] as unknown[];
      [all[i], all[i + d]] = [all[i + d], all[i]];
    });
    this.open = { list: l, at: i + d };
  }
  double(i: number) {
    this.change((r) => r.shapes!.splice(i + 1, 0, copy(r.shapes![i])));
    this.open = { list: 'shapes', at: i + 1 };
  }

  setRepeat(kind: PressRepeat['kind'] | '') {
    const repeat = this.shape?.repeat;
    this.change(
      (r) =>
        (r.shapes![this.open.at].repeat = kind
          ? ({ count: 5, step: 0.4, rows: 3, turn: true, angle: 0, ...repeat, kind } as PressRepeat)
          : undefined),
    );
  }
  repeated(part: Partial<PressRepeat>): Change {
    return (r) => (r.shapes![this.open.at].repeat = { ...r.shapes![this.open.at].repeat!, ...part });
  }

  /** Changes the corners of the open outline. */
  corners(f: (points: number[][]) => void): Change {
    return (r) => f(r.shapes![this.open.at].points as unknown as number[][]);
  }
}

/** Gives the brush a stamp as its tip: it becomes a picture of the project, size texels a side. */
export async function stampAsTip(session: Session, ui: UI, r: Recipe, size: number) {
  const p = await api.stampPicture(session.id, r, size);
  const b = ui.brush;
  b.kit = { flow: 1, ...b.kit, spacing: Math.max(b.kit?.spacing ?? 0, 1.1), picture: p.picture, tip: '' };
  b.name = r.name;
  if (ui.tool !== 'erase') ui.tool = 'brush';
}
