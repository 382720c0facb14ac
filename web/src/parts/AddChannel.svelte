<script lang="ts">
  // Adds a channel of the project's own: a grey, or a colour.
  import { newID, type Session } from '../lib/session.svelte';
  let { session }: { session: Session } = $props();
  let open = $state(false);
  let label = $state('');
  let color = $state(false);
  function add() {
    const l = label.trim();
    if (!l) return;
    session.op({ kind: 'channel.add', index: -1, value: { channel: `added.${newID()}`, label: l, color } });
    open = false;
    label = '';
  }
  const focus = (el: HTMLInputElement) => el.focus();
</script>

{#if open}
  <form class="add" onsubmit={(e) => (e.preventDefault(), add())}>
    <input
      use:focus
      bind:value={label}
      placeholder="name of the channel"
      aria-label="Name of the channel"
      onkeydown={(e) => (e.stopPropagation(), e.key === 'Escape' && (open = false))}
    />
    <select
      class="pick"
      aria-label="Holds"
      value={color ? 'colours' : 'greys'}
      onchange={(e) => (color = e.currentTarget.value === 'colours')}
    >
      <option>greys</option><option>colours</option>
    </select>
    <button class="chip" disabled={!label.trim()}>Add</button>
  </form>
{:else}
  <button class="plain quiet text-xs" onclick={() => (open = true)}>+ a channel of your own</button>
{/if}

<style>
  .add {
    display: grid;
    grid-template-columns: 1fr auto auto;
    gap: 4px;
    padding: 4px 0;
  }
  input {
    min-width: 0;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 0 6px;
    font: inherit;
    font-size: 13px;
  }
</style>
