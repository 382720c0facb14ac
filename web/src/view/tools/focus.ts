// A click picks what is sharp.
import type { Claim, Press, Tool } from './tool';
import type { Stage } from '../stage';
import type { UI } from '../../lib/ui.svelte';

export class Focus implements Tool {
  constructor(private readonly b: { stage: Stage; ui: UI }) {}

  down(p: Press): Claim {
    const { ui, stage } = this.b;
    if (!ui.focusing || ui.station !== 'Judge' || p.e.button !== 0) return 'no';
    const far = stage.depthAt(p.x, p.y);
    if (far !== null) ui.look.focus = Math.round(far * 10_000) / 10_000;
    if (far !== null && !ui.look.fStop) ui.look.fStop = 2.8;
    ui.focusing = far === null;
    return 'spent';
  }
}
