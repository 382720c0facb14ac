<script lang="ts">
  // Parts by name, or islands and faces by number: chosen from a list or on the model.
  import { faceCount, toggleFace } from '../lib/stack';
  import type { UI } from '../lib/ui.svelte';
  interface Props {
    ui: UI;
    name: string;
    label: string;
    value: (string | number)[];
    commit: (v: unknown) => void;
  }
  let { ui, name, label, value, commit }: Props = $props();
  const flip = (v: string | number) => (value.includes(v) ? value.filter((x) => x !== v) : [...value, v]);
  const pick = () =>
    (ui.taking = {
      label: `pick ${label}; Esc ends it`,
      take: (p) => {
        if (name === 'faces') commit(toggleFace(value as number[], p.triangle));
        else commit(flip(name === 'islands' ? p.island : p.part));
        setTimeout(pick); // goes on until it is stopped
      },
    });
</script>

<span class="picks">
  {#if name === 'faces'}
    <span class="quiet">{faceCount(value as number[])} faces</span>
  {:else}
    {#each value as v (v)}
      <button class="chip" title="Take it off" onclick={() => commit(flip(v))}
        >{name === 'islands' ? Number(v) + 1 : v} ✕</button
      >
    {/each}
  {/if}
  {#if name === 'parts'}
    <select
      class="pick"
      aria-label={`Add to ${label}`}
      value=""
      onchange={(e) => {
        if (e.currentTarget.value) commit(flip(e.currentTarget.value));
        e.currentTarget.value = '';
      }}
    >
      <option value="">+</option>
      {#each ui.parts.filter((p) => !value.includes(p)) as p (p)}<option>{p}</option>{/each}
    </select>
  {/if}
  <button class="chip" aria-label={`Pick ${label} on the model`} onclick={pick}>pick</button>
</span>

<style>
  .picks {
    display: flex;
    flex-wrap: wrap;
    gap: 3px;
    max-height: 96px;
    overflow: auto;
  }
  .chip {
    padding: 0 6px;
  }
</style>
