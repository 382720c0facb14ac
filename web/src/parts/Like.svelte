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
    flex: none;
    width: 28px;
    height: 28px;
    margin: -3px;
    line-height: 26px;
    text-align: center;
    font-size: 14px;
    border-radius: 50%;
    color: var(--ochre);
  }
</style>
