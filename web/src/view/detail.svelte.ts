// What is seen of the sheets and how finely, and what the server is told of it.
import type { Session } from '../lib/session.svelte';
import type { Shown } from './cells';
import { clearOn } from '../lib/stack';
import type { Tile } from './pages';
import type { Stage } from './stage';

/** width of a card over its height */
const CARD = 132 / 72;

export class Detail {
  /** sheet edges a metre, by the sheet's number; empty until they are known */
  densities = $state<number[]>([]);
  /** tiles of what is seen that are still to come, and of how many */
  left = $state(0);
  of = $state(0);
  private cells: readonly Shown[] = [];
  private seen: Tile[] = []; // at the last look
  private looking = 0; // which of the looks, 0: none
  private looks = 0;
  private again = false;

  constructor(
    private readonly stage: Stage,
    private readonly session: Session,
  ) {}

  /** Takes the pictures of a line-up: what is seen is theirs. They ask for the coarsest of what was seen
   * before, at once, and for the rest when it is known what each sees. */
  lineUp(cells: readonly Shown[]) {
    this.cells = cells;
    const size = Math.min(...this.seen.map((t) => t.size));
    const first = this.seen.filter((t) => t.size === size);
    if (first.length) for (const c of cells) c.see(first);
    void this.see();
  }

  /** Takes how densely the sheets cover the model, and tells what is seen first. */
  async begin(facts: Promise<{ sheets: { density: number }[] | null }>) {
    const known = await facts.catch(() => null);
    if (!known) return;
    this.densities = (known.sheets ?? []).map((s) => s.density / 1024);
    this.apply();
    await this.see(); // without any sheet, too: the server waits to be told
  }

  /** The name of a sheet on which nothing can be laid, since it has no UVs; '' of others. */
  bare(sheet: number): string {
    return this.densities[sheet] === 0 ? this.stage.worn.list[sheet].name : '';
  }

  /** The camera is elsewhere, or the sheets are others: finds what is seen, and tells. */
  async see() {
    this.again = true;
    if (this.looking) return;
    const own = (this.looking = ++this.looks);
    try {
      while (this.again && this.looking === own) {
        this.again = false;
        await this.look();
      }
    } finally {
      if (this.looking === own) this.looking = 0;
    }
  }

  /** The card lost what it held: a look that was under way is never answered. */
  anew() {
    this.looking = 0;
    this.session.lost();
    void this.see();
  }

  private async look() {
    const { stage, session } = this;
    if (!session.doc || !this.densities.length) return;
    let tiles = await stage.seen(0);
    const room = Math.min(...(this.cells.length ? this.cells : [stage]).map((c) => c.worn.pages?.room ?? Infinity));
    // more than there is room for is shown less finely
    for (let bias = 1; bias < 6 && tiles.length >= room; bias++) tiles = await stage.seen(bias);
    if (this.cells.length) return this.cells.forEach((c) => c.see(tiles));
    this.seen = tiles;
    stage.worn.see(tiles);
    session.view(stage.cardsCamera(CARD), stage.worn.pages.told(tiles), stage.worn.pages.heard);
    this.count();
  }

  /** Counts what is still to come. */
  count() {
    ({ left: this.left, of: this.of } = this.stage.worn.left);
  }

  /** Gives the sheets the sizes that the document has. */
  apply() {
    const { session, stage } = this;
    if (!session.doc) return;
    let other = false;
    stage.worn.list.forEach((sheet, i) => {
      const size = session.doc!.sheets?.[sheet.name]?.size;
      if (size && this.densities[i] > 0 && size !== sheet.size) {
        stage.worn.setSize(i, size);
        other = true;
      }
      stage.worn.setTransparent(i, clearOn(session.layers, sheet.name, stage.partsOn(i)));
      stage.worn.setPane(i, clearOn(session.layers, sheet.name, stage.partsOn(i), 'added.transmission'));
    });
    if (other) void this.see();
  }
}
