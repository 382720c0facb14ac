<script lang="ts">
  import type { Session } from '../lib/session.svelte';
  let { session, close }: { session: Session; close: () => void } = $props();
</script>

<section aria-label="Ledger">
  <header class="flex items-center gap-2 p-2">
    <h2 class="grow font-semibold">Ledger</h2>
    <button class="chip" disabled={!session.undoLabel} onclick={() => session.undo()}>Undo</button>
    <button class="chip" disabled={!session.redoLabel} onclick={() => session.redo()}>Redo</button>
    <button class="chip" onclick={close}>Close</button>
  </header>
  {#if session.ledger.length === 0}
    <p class="quiet p-3">Nothing has been done in this project yet.</p>
  {/if}
  <ol>
    {#each session.ledger as l (l.seq)}
      <li>
        <span class="quiet w-10 text-right text-xs">{l.seq}</span>
        <span class="grow" class:quiet={l.kind !== 'do'}>{l.label}</span>
        <span class="quiet text-xs"
          >{l.mine ? '' : 'another window · '}{new Date(l.at).toLocaleTimeString([], {
            hour: '2-digit',
            minute: '2-digit',
          })}</span
        >
      </li>
    {/each}
  </ol>
</section>

<style>
  section {
    position: absolute;
    right: 0;
    top: 44px;
    bottom: 0;
    width: 340px;
    background: var(--panel);
    border-left: 1px solid var(--line);
    z-index: 15;
    display: flex;
    flex-direction: column;
  }
  ol {
    overflow: auto;
  }
  li {
    display: flex;
    gap: 8px;
    align-items: baseline;
    padding: 5px 10px;
    border-top: 1px solid var(--line);
  }
</style>
