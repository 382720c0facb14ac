<script lang="ts">
  // Adds a channel of the project's own: a grey, or a colour.
  import { newID, type Session } from '../lib/session.svelte';
  let { session, layer, done }: { session: Session; layer: string; done: () => void } = $props();
  let label = $state('');
  let color = $state(false);
  function add() {
    const l = label.trim();
    if (!l) return;
    const channel = `added.${newID()}`;
    // the open layer has it at once
    const coat = { on: true, value: color ? [1, 1, 1] : [1], blend: 'normal', amount: 1 };
    session.op({
      kind: 'batch',
      label: `Channel ${l}`,
      ops: [
        { kind: 'channel.add', index: -1, value: { channel, label: l, color } },
        { kind: 'layer.set', target: layer, path: `channels.${channel}`, value: coat },
      ],
    });
    done();
  }
  const focus = (el: HTMLInputElement) => el.focus();
</script>

<form class="add" onsubmit={(e) => (e.preventDefault(), add())}>
  <input
    use:focus
    bind:value={label}
    placeholder="name of the channel"
    aria-label="Name of the channel"
    onkeydown={(e) => (e.stopPropagation(), e.key === 'Escape' && done())}
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
