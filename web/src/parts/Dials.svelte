<script lang="ts">
  // The dials of a group: named controls that move settings inside it.
  import type { Dial, Layer } from '../api/client';
  import type { Op, Session } from '../lib/session.svelte';
  import { byHand } from '../lib/dials';

  import { LineUp, spread } from '../lib/lineup.svelte';
  import { reseeded } from '../lib/materials';
  import type { UI } from '../lib/ui.svelte';

  let { session, ui, layer }: { session: Session; ui: UI; layer: Layer } = $props();
  function lineUpDial(d: Dial) {
    const list = spread(d.value, 0, 1, { n: 5 }).map((v) => ({
      label: `${d.name} ${Math.round(v * 100)}`,
      op: turn(d.name, v),
    }));
    ui.lineup = new LineUp(`${d.name} of ${layer.name}`, list);
  }
  const seed = () => 1 + Math.floor(Math.random() * 9999);
  function lineUpSeeds() {
    const others = Array.from({ length: 5 }, (_, i) => ({
      label: `Seed ${i + 2}`,
      op: reseeded(session, layer, seed()),
    }));
    ui.lineup = new LineUp(`Seeds of ${layer.name}`, [{ label: 'As it is' }, ...others]);
  }
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
        <button
          class="plain quiet number"
          title="Line up values of this dial"
          aria-label={`Line up ${d.name}`}
          onclick={() => lineUpDial(d)}>{Math.round(at * 100)}</button
        >
      {/if}
    </label>
  {/each}
  <p class="below">
    <button
      class="chip"
      title="The same material with other noises"
      onclick={() => session.op(reseeded(session, layer, seed()))}>Another seed</button
    >
    <button class="chip" title="Compare six seeds" onclick={lineUpSeeds}>Line up seeds</button>
    <button
      class="chip"
      title="Compare it with other materials of the stock"
      onclick={() => ((ui.shelf = 'materials'), (ui.stock = true))}>Others …</button
    >
  </p>
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
  .below {
    display: flex;
    gap: 5px;
    padding-top: 2px;
  }
  .number {
    text-align: right;
  }
  input {
    accent-color: var(--plum);
    min-width: 0;
  }
</style>
