<script lang="ts">
  // The dials of a group: named controls that move settings inside it.
  import type { Dial, Layer } from '../api/client';
  import type { Op, Session } from '../lib/session.svelte';
  import { byHand } from '../lib/dials';

  let { session, layer }: { session: Session; layer: Layer } = $props();
  const dials = $derived((layer.dials ?? []) as Dial[]);
  let turning = $state<{ name: string; value: number } | null>(null);
  const turn = (dial: string, value: number): Op => ({ kind: 'dial.turn', target: layer.id, dial, value });
  function keep(name: string, value: number) {
    turning = null;
    session.op(turn(name, value));
  }
</script>

<div class="dials" role="group" aria-label={`Dials of ${layer.name}`}>
  {#each dials as d (d.name)}
    {@const at = turning?.name === d.name ? turning.value : d.value}
    <label title={d.help}>
      <span>{d.name}</span>
      <input
        type="range"
        min="0"
        max="1"
        step="0.01"
        value={at}
        aria-label={d.name}
        oninput={(e) => {
          turning = { name: d.name, value: Number(e.currentTarget.value) };
          session.preview(turn(d.name, turning.value));
        }}
        onchange={(e) => keep(d.name, Number(e.currentTarget.value))}
        ondblclick={() => keep(d.name, d.usual)}
      />
      {#if byHand(layer, d) && !turning}
        <button class="plain quiet" title="Let the dial set it again" onclick={() => keep(d.name, d.value)}
          >set by hand</button
        >
      {:else}
        <span class="quiet number">{Math.round(at * 100)}</span>
      {/if}
    </label>
  {/each}
</div>

<style>
  .dials {
    display: grid;
    gap: 3px;
    padding: 4px 0;
  }
  label {
    display: grid;
    grid-template-columns: 92px 1fr 66px;
    align-items: center;
    gap: 8px;
    min-height: 28px;
  }
  .number {
    text-align: right;
  }
  input {
    accent-color: var(--plum);
    min-width: 0;
  }
</style>
