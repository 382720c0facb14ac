<script lang="ts">
  // What a material reads and the project has not baked; one click bakes it.
  import type { Layer } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { Readiness } from '../lib/ready.svelte';
  import { keyOf, stock } from '../lib/stock.svelte';

  let { session, layer }: { session: Session; layer: Layer } = $props();
  /** which map gives what an agent reads */
  const FROM: Record<string, string> = {
    edges: 'curvature',
    creases: 'curvature',
    curvature: 'curvature',
    occlusion: 'ao',
    thickness: 'thickness',
    'sky exposure': 'sky',
  };
  $effect(() => void stock.need());
  const made = $derived(layer.made);
  const needs = $derived(
    stock.materials.find((m) => made && (made.item ? keyOf(m) === made.item : m.name === made.name))?.needs ?? [],
  );
  // svelte-ignore state_referenced_locally
  const ready = new Readiness(session);
  $effect(() => ready.look());
  const lacking = $derived(ready.lacking([...new Set(needs.flatMap((n) => FROM[n] ?? []))]));
  const label = (m: string) => session.about.baked?.find((k) => k.name === m)?.label ?? m;
</script>

{#if ready.bare}
  <p class="needs">
    The model has no UVs, so nothing that lies on it is seen yet.
    <button class="chip" disabled={ready.asked || ready.unwrapping} onclick={() => ready.unwrap()}
      >{ready.unwrapping ? 'Unwrapping …' : 'Unwrap it'}</button
    >
  </p>
{:else if lacking.length}
  <p class="needs">
    It reads {lacking.map(label).join(', ')}, which {lacking.length === 1 ? 'is' : 'are'} not baked, and does with less.
    <button class="chip" disabled={ready.asked || ready.baking} onclick={() => ready.bake(lacking)}
      >{ready.baking ? 'Baking …' : 'Bake them'}</button
    >
  </p>
{/if}

<style>
  .needs {
    border-left: 3px solid var(--ochre);
    padding: 2px 8px;
    font-size: 13px;
  }
</style>
