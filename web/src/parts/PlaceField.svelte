<script lang="ts">
  // A place on the model, or several: picked by clicks.
  import type { UI } from '../lib/ui.svelte';
  interface Props {
    ui: UI;
    label: string;
    value: number[] | number[][];
    many?: boolean;
    commit: (v: unknown) => void;
  }
  let { ui, label, value, many = false, commit }: Props = $props();
  const list = $derived((many ? value : []) as number[][]);
  const mm = (v: number[]) => v.map((c) => Math.round(c * 1000)).join(', ');
  const pick = () =>
    (ui.taking = {
      label: many ? `mark a point (${label})` : `set ${label}`,
      take: (_, pos) => commit(many ? [...list, pos] : pos),
    });
</script>

<span class="place">
  {#if many}
    {#each list as p, i (i)}
      <button
        class="chip"
        title={`${mm(p)} mm; click to take it away`}
        aria-label={`Take away point ${i + 1} of ${label}`}
        onclick={() => commit(list.filter((_, k) => k !== i))}>{i + 1} ✕</button
      >
    {/each}
  {:else}
    <span class="quiet" title="millimetres">{mm(value as number[])}</span>
  {/if}
  <button class="chip" aria-label={`Pick ${label} on the model`} title="Click on the model" onclick={pick}
    >{many ? '+ pick' : 'pick'}</button
  >
</span>

<style>
  .place {
    display: flex;
    flex-wrap: wrap;
    gap: 3px;
    align-items: center;
  }
  .chip {
    padding: 0 6px;
  }
</style>
