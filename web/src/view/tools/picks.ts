// Single clicks that pick something on the model: edges and islands in Prepare, what a part
// of the page waits for, the reach, the place that cloning takes from.
import type { Prep } from '../../lib/prep.svelte';
import { main, type Bench, type Claim, type Press, type Tool } from './tool';

/** Marks edges and chooses islands in Prepare. */
export class Mark implements Tool {
  constructor(
    private readonly b: Bench,
    private readonly prep: Prep | null,
  ) {}

  down(p: Press): Claim {
    const { prep } = this;
    if (!prep || prep.hand === 'look' || this.b.ui.station !== 'Prepare' || !main(p)) return 'no';
    const h = this.b.stage.pick(p.x, p.y);
    if (!h) return 'turn';
    prep.click(h.pos.toArray(), h.nrm.toArray());
    return 'spent';
  }
}

/** Takes a place for what waits for one, or for the reach. */
export class Take implements Tool {
  constructor(private readonly b: Bench) {}

  down(p: Press): Claim {
    const { ui, session, stage } = this.b;
    const { taking } = ui;
    if (p.e.button !== 0 || !(taking || (ui.tool === 'reach' && ui.station === 'Layer'))) return 'no';
    const h = stage.pick(p.x, p.y);
    if (!h) return 'turn';
    const off = ui.clickOff !== p.e.shiftKey;
    session.pick(h.pos.toArray(), h.nrm.toArray(), (found) => {
      ui.clickedOff = off;
      if (taking) {
        ui.taking = null;
        taking.take(found, h.pos.toArray(), h.nrm.toArray());
      } else ui.onReach(found);
    });
    return 'spent';
  }
}

/** Marks where cloning takes from. */
export class Source implements Tool {
  constructor(private readonly b: Bench) {}

  down(p: Press): Claim {
    const { ui, stage } = this.b;
    if (ui.tool !== 'clone' || !ui.painting || !main(p) || !(ui.marking || !ui.source)) return 'no';
    const h = stage.pick(p.x, p.y);
    if (h) ui.source = { at: h.pos.toArray(), nrm: h.nrm.toArray() };
    ui.marking = !h;
    return 'spent';
  }
}
