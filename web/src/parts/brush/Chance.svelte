<script lang="ts">
  // What differs from dab to dab.
  import type { Kit } from '../../api/client';
  import type { UI } from '../../lib/ui.svelte';
  import KitNumber from './KitNumber.svelte';

  let { ui }: { ui: UI } = $props();
  const k = $derived(ui.brush.kit);
  const shares: [keyof Kit, string, string][] = [
    ['sizeJitter', 'size', 'down to so much smaller'],
    ['angleJitter', 'angle', '100 %: any way'],
    ['strengthJitter', 'strength', 'down to so much weaker'],
    ['hueJitter', 'hue', 'of the colour circle, either way'],
    ['lightJitter', 'lightness', 'lighter or darker'],
  ];
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
  {#each shares as [of, label, help] (of)}
    <KitNumber {ui} {of} {label} {help} value={Number(k?.[of] ?? 0)} min={0} max={1} />
  {/each}
</div>
