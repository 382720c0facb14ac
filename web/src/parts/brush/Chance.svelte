<script lang="ts">
  // What differs from dab to dab.
  import type { UI } from '../../lib/ui.svelte';
  import KitNumber from './KitNumber.svelte';

  let { ui }: { ui: UI } = $props();
  const k = $derived(ui.brush.kit);
</script>

<div class="brush-grid">
  <KitNumber
    {ui}
    of="scatter"
    label="scatter"
    value={k?.scatter ?? 0}
    min={0}
    max={8}
    help="how far dabs fall from the line, in radii"
  />
  <KitNumber
    {ui}
    of="count"
    label="at once"
    value={k?.count || 1}
    min={1}
    max={16}
    scale={1}
    unit=""
    help="dabs at each place"
    whole
  />
  <KitNumber
    {ui}
    of="sizeJitter"
    label="size"
    value={k?.sizeJitter ?? 0}
    min={0}
    max={1}
    help="down to so much smaller"
  />
  <KitNumber {ui} of="angleJitter" label="angle" value={k?.angleJitter ?? 0} min={0} max={1} help="100 %: any way" />
  <KitNumber
    {ui}
    of="strengthJitter"
    label="strength"
    value={k?.strengthJitter ?? 0}
    min={0}
    max={1}
    help="down to so much weaker"
  />
  <KitNumber
    {ui}
    of="hueJitter"
    label="hue"
    value={k?.hueJitter ?? 0}
    min={0}
    max={1}
    help="of the colour circle, either way"
  />
  <KitNumber
    {ui}
    of="lightJitter"
    label="lightness"
    value={k?.lightJitter ?? 0}
    min={0}
    max={1}
    help="lighter or darker"
  />
</div>
