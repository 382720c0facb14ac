<script lang="ts">
  // The stamps that ship with the application and those that were kept.
  import type { KnownStamp } from '../../api/client';
  import type { Press } from '../../lib/press.svelte';

  let { press, drop }: { press: Press; drop: (s: KnownStamp) => void } = $props();
  let find = $state('');
  const known = $derived(
    (press.info?.list ?? []).filter((s) =>
      `${s.recipe.name} ${s.group}`.toLowerCase().includes(find.trim().toLowerCase()),
    ),
  );
  const picture = (s: KnownStamp) =>
    s.group === 'kept' ? `/api/stock/${s.id}/picture` : `/api/press/stamps/${encodeURIComponent(s.id)}/picture`;
</script>

<div class="shelf">
  <div class="flex flex-col gap-1">
    <input class="find" placeholder="find" aria-label="Find a stamp" bind:value={find} />
    <span class="quiet text-sm">{known.length} stamps</span>
  </div>
  <div class="strip" role="list" aria-label="Stamps">
    {#each known as s (s.id)}
      <div role="listitem" class="cell">
        <button
          onclick={() => press.take(s.recipe)}
          aria-label={`Take ${s.recipe.name}`}
          title={`${s.recipe.name} · ${s.group}`}
        >
          <img src={picture(s)} alt="" width="68" height="68" loading="lazy" />
        </button>
        {#if s.group === 'kept'}
          <button class="away" aria-label={`Delete ${s.recipe.name}`} onclick={() => drop(s)}>✕</button>
        {/if}
      </div>
    {/each}
  </div>
</div>

<style>
  .shelf {
    border-top: 1px solid var(--line);
    display: grid;
    grid-template-columns: 110px 1fr;
    gap: 10px;
    padding: 8px 12px;
  }
  .find {
    width: 100%;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 4px 8px;
  }
  .strip {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    overflow-y: auto;
    max-height: 148px;
  }
  .cell {
    position: relative;
  }
  .cell button:first-child {
    display: block;
    border: 1px solid transparent;
    border-radius: 3px;
    overflow: hidden;
  }
  .cell button:first-child:hover {
    border-color: var(--plum);
  }
  .away {
    position: absolute;
    right: 1px;
    top: 1px;
    min-width: 22px;
    background: color-mix(in srgb, var(--panel) 80%, transparent);
    border-radius: 3px;
  }
</style>
