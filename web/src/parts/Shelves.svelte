<script lang="ts">
  // Which of the stock is listed: everything, what was used last, or a collection.
  import type { Snippet } from 'svelte';
  import { stock } from '../lib/stock.svelte';

  let {
    keys,
    shelf = $bindable(''),
    failed,
    children,
  }: {
    /** by which collections know what can be listed here */
    keys: string[];
    shelf: string;
    failed: (why: string) => void;
    children?: Snippet;
  } = $props();
  const here = $derived(new Set(keys));
  const count = (items: string[] | null | undefined) => (items ?? []).filter((k) => here.has(k)).length;
  /** those that hold something of this kind, or nothing yet */
  const collections = $derived(stock.collections.filter((c) => count(c.items) || !c.items?.length));
  const open = $derived(collections.find((c) => c.id === shelf));
</script>

<div class="shelves" role="group" aria-label="Shelves">
  <button class="chip" aria-pressed={shelf === ''} onclick={() => (shelf = '')}>everything</button>
  <button class="chip" aria-pressed={shelf === 'last'} onclick={() => (shelf = 'last')}>used last</button>
  {#each collections as c (c.id)}
    <button class="chip" aria-pressed={shelf === c.id} onclick={() => (shelf = c.id)}
      >{c.name} <span class="quiet">{count(c.items)}</span></button
    >
  {/each}
  {#if open}
    {@const c = open}
    <button
      class="plain quiet"
      title="Delete the collection; what lies in it stays"
      onclick={() => {
        stock.drop(c).catch((e) => failed(e.message));
        shelf = '';
      }}>delete the collection</button
    >
  {/if}
  {@render children?.()}
</div>

<style>
  .shelves {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
  }
  .chip[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
