<script lang="ts">
  // Puts things of the stock into a collection, or takes them out when all are in it.
  import { stock } from '../lib/stock.svelte';
  import NameField from './NameField.svelte';

  let { keys, label, failed }: { keys: string[]; label: string; failed: (why: string) => void } = $props();
  let naming = $state(false);
  async function gather(name: string) {
    naming = false;
    if (name.trim()) await stock.toggle(name.trim(), keys).catch((e) => failed(e.message));
  }
</script>

{#if naming}
  <NameField value="" label="Name of the collection" done={(v) => gather(v ?? '')} />
{:else}
  <select
    class="pick"
    aria-label={label}
    value=""
    onchange={(e) => {
      const v = e.currentTarget.value;
      e.currentTarget.value = '';
      if (v === 'new') naming = true;
      else void gather(v.slice(2));
    }}
  >
    <option value="">into …</option>
    {#each stock.collections as c (c.id)}<option value={`c:${c.name}`}>{c.name}</option>{/each}
    <option value="new">a new collection</option>
  </select>
{/if}
