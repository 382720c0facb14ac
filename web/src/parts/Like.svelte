<script lang="ts">
  // A thing of the stock is a favourite, or not.
  import { stock } from '../lib/stock.svelte';

  let { key, name, failed }: { key: string; name: string; failed: (why: string) => void } = $props();
  const liked = $derived(!!stock.liked?.items?.includes(key));
</script>

<button
  class="plain like"
  aria-label={`${name} is a favourite`}
  title="A favourite"
  aria-pressed={liked}
  onclick={() => stock.like(key).catch((e) => failed(e.message))}>{liked ? '★' : '☆'}</button
>

<style>
  .like {
    width: 22px;
    height: 22px;
    line-height: 20px;
    font-size: 14px;
    border-radius: 50%;
    color: var(--ochre);
  }
</style>
