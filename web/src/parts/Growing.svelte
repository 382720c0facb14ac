<script lang="ts" generics="T">
  // A list of which so much is drawn as was scrolled to: thousands of items open as quickly
  // as a few. What it shows begins anew when the list is another.
  import type { Snippet } from 'svelte';

  interface Props {
    items: T[];
    key: (t: T) => string;
    item: Snippet<[T]>;
  }
  let { items, key, item }: Props = $props();
  const STEP = 48;
  let many = $state(STEP);
  let end = $state<HTMLElement>();
  $effect(() => {
    void items;
    many = STEP;
  });
  $effect(() => {
    if (!end) return;
    const o = new IntersectionObserver(
      (seen) => {
        if (seen.some((s) => s.isIntersecting) && many < items.length) many += STEP;
      },
      { rootMargin: '800px 0px' },
    );
    o.observe(end);
    return () => o.disconnect();
  });
</script>

<div class="shelf">
  {#each items.slice(0, many) as t (key(t))}
    {@render item(t)}
  {/each}
</div>
<!-- another one each time it was reached, so that it is seen anew -->
{#key many}
  <div bind:this={end}></div>
{/key}

<style>
  .shelf {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 10px;
  }
  .shelf > :global(*) {
    content-visibility: auto; /* what is scrolled away costs no drawing */
    contain-intrinsic-size: auto 130px;
  }
</style>
