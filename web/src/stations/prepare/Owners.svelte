<script lang="ts">
  // Pairs of islands that have texels in common: which one owns them, to be changed.
  import type { Prep } from '../../lib/prep.svelte';
  let { prep }: { prep: Prep } = $props();
  const pairs = $derived((prep.report?.sheets ?? []).flatMap((s) => s.shared ?? []));
  let all = $state(false);
  const shown = $derived(all ? pairs : pairs.slice(0, 5));
  const name = (part: string, island: number) => `${part} · island ${island + 1}`;
</script>

{#if pairs.length}
  <h3 class="font-semibold">Shared texels</h3>
  <p class="quiet">
    What is painted on either of two islands shows on both. Patterns, wear and bakes are made at the owner's place.
  </p>
  <ul aria-label="Shared texels">
    {#each shown as p (`${p.owner}-${p.other}`)}
      <li>
        <span class="pair" title={`${p.texels.toLocaleString()} texels`}
          >{name(p.ownerPart, p.owner)} <span class="quiet">owns those of</span> {name(p.otherPart, p.other)}</span
        >
        <button
          class="chip"
          title={`Let ${name(p.otherPart, p.other)} own the ${p.texels.toLocaleString()} texels`}
          onclick={() => prep.setOwner(p)}>Exchange</button
        >
      </li>
    {/each}
  </ul>
  {#if pairs.length > shown.length}<button class="chip" onclick={() => (all = true)}
      >{pairs.length - shown.length} more</button
    >{/if}
{/if}

<style>
  li {
    display: flex;
    align-items: center;
    gap: 8px;
    min-height: 32px;
    padding: 3px 0;
  }
  .pair {
    flex: 1;
    min-width: 0;
    line-height: 1.35;
  }
  h3 {
    margin-top: 8px;
  }
  ul {
    margin-bottom: 8px;
  }
</style>
