<script lang="ts">
  // The ID map: baked from materials, parts or vertex colours, or made from the
  // stream of a layer.
  import { api } from '../../api/client';
  import type { Prep } from '../../lib/prep.svelte';
  import type { Session } from '../../lib/session.svelte';
  import Looks from './Looks.svelte';
  let { session, prep, id }: { session: Session; prep: Prep; id: string } = $props();
  let layer = $state('');
  let sheet = $state('');
  const names = $derived((prep.report?.sheets ?? []).map((s) => s.sheet));
  const baked = $derived(session.doc?.prepared?.baked ?? {});
  const layers = $derived(session.rows.map((r) => r.layer).filter((l) => l.channels?.baseColor?.stream?.length));
  const target = $derived(sheet || names[0] || '');
  const make = () =>
    prep.run(async () => {
      await api.ids(id, { layer: layer || layers[0].id, channel: 'baseColor', sheet: target, size: 1024 });
      prep.look = 'baked.id';
      await prep.show();
    });
  const fromBake = () => {
    prep.maps = ['id'];
    return prep.run(() => api.bake(id, { ...prep.order(), maps: ['id'], sheets: [] }));
  };
</script>

{#if names.some((n) => baked[n]?.id)}<Looks {prep} list={[['baked.id', 'Show the IDs']]} />{/if}
<p class="quiet mb-2 text-sm">
  A flat colour for everything that is to be chosen together. A reach takes a colour with the Reach tool; the step “ID
  colour” makes a mask of one.
</p>
<h3>From the model</h3>
<div class="row">
  <select class="pick grow" aria-label="What IDs tell apart" bind:value={prep.settings.id}>
    <option value="material">materials</option>
    <option value="part">parts</option>
    <option value="color">vertex colours</option>
  </select>
  <button class="chip" disabled={!names.length} onclick={fromBake}>Bake IDs</button>
</div>
<h3>From a layer's colours</h3>
{#if layers.length}
  <div class="row">
    <select class="pick grow" aria-label="Layer that IDs come from" bind:value={layer}>
      {#each layers as l (l.id)}<option value={l.id}>{l.name}</option>{/each}
    </select>
    <select class="pick grow" aria-label="Sheet that gets the IDs" bind:value={sheet}>
      {#each names as n (n)}<option value={n}>{n}</option>{/each}
    </select>
    <button class="chip" disabled={!target} onclick={make}>Make the ID map</button>
  </div>
{:else}
  <p class="quiet text-sm">
    Give a fill layer a stream in its base color – a picture, levels, another picture laid over it as a difference, a
    threshold, a ramp of flat colours – and it can be kept here as the ID map. The layer may be hidden.
  </p>
{/if}
