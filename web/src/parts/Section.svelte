<script lang="ts">
  // The stack as a cut through the surface, outermost layer on top. Its left edge
  // holds the real colours of the last drilled point.
  import type { Session } from '../lib/session.svelte';
  import { addLayer, type UI } from '../lib/ui.svelte';
  import LayerRow from './LayerRow.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  let reach = $state('');
  let dragging = $state('');
  let target = $state(-1);

  const layers = $derived([...(session.doc?.layers ?? [])].reverse());
  const sheets = $derived(Object.keys(session.doc?.sheets ?? {}));

  function drop(at: number) {
    const from = layers.findIndex((l) => l.id === dragging);
    const n = layers.length;
    if (from >= 0 && from !== at) session.op({ kind: 'layer.move', target: dragging, index: n - 1 - at });
    dragging = '';
    target = -1;
  }
</script>

<div class="flex h-full flex-col">
  <header class="flex h-9 items-center gap-2 border-b px-3" style:border-color="var(--line)">
    <h2 class="grow font-semibold">Section</h2>
    <label class="quiet text-sm" for="reach">new layers reach</label>
    <select id="reach" class="pick" style="max-width: 110px" bind:value={reach}>
      <option value="">whole model</option>
      {#each sheets as s (s)}<option value={s}>{s}</option>{/each}
    </select>
  </header>
  <ol class="min-h-0 grow overflow-auto" aria-label="Layers, outermost first">
    {#each layers as l, i (l.id)}
      <li
        class:drop={target === i}
        draggable={ui.selected !== l.id || undefined}
        ondragstart={() => (dragging = l.id)}
        ondragover={(e) => dragging && (e.preventDefault(), (target = i))}
        ondrop={(e) => (e.preventDefault(), drop(i))}
        ondragend={() => ((dragging = ''), (target = -1))}
      >
        <LayerRow {session} {ui} layer={l} place={layers.length - 1 - i} count={layers.length} />
      </li>
    {:else}
      <li class="quiet p-4">The surface is bare. Add a fill layer below, then give it a mask.</li>
    {/each}
  </ol>
  <footer class="flex gap-2 border-t p-2" style:border-color="var(--line)">
    <button class="chip" onclick={() => addLayer(session, ui, 'fill', reach ? { sheets: [reach] } : {})}
      >+ Fill layer</button
    >
    <button class="chip" onclick={() => addLayer(session, ui, 'paint', reach ? { sheets: [reach] } : {})}
      >+ Paint layer</button
    >
  </footer>
</div>

<style>
  .drop {
    box-shadow: inset 0 2px var(--plum);
  }
</style>
