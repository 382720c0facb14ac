<script lang="ts">
  // The dials of a group: named controls that move settings inside it.
  import type { Dial, Layer, MaterialInfo } from '../api/client';
  import type { Op, Session } from '../lib/session.svelte';
  import { byHand } from '../lib/dials';
  import Needs from './Needs.svelte';
  import NewDial from './NewDial.svelte';

  import { LineUp, spread } from '../lib/lineup.svelte';
  import { enlarged, groupOf, inPlaceOf, reseeded } from '../lib/materials';
  import { stock } from '../lib/stock.svelte';
  import type { UI } from '../lib/ui.svelte';

  let { session, ui, layer }: { session: Session; ui: UI; layer: Layer } = $props();
  function lineUpDial(d: Dial) {
    const list = spread(d.value, 0, 1, { n: 5 }).map((v) => ({
      label: `${d.name} ${Math.round(v * 100)}`,
      op: turn(d.name, v),
    }));
    ui.lineup = new LineUp(`${d.name} of ${layer.name}`, list);
  }
  /** the version in the stock that follows the one that was taken */
  const newer = $derived(
    layer.made?.item
      ? stock.materials.find((m) => m.name === layer.made!.name && (m.version ?? 0) > (layer.made!.version || 1))
      : undefined,
  );
  $effect(() => {
    if (layer.made?.item) void stock.need();
  });
  let busy = $state(false);
  /** Shows both versions; the newer one is taken by a click. */
  async function compareNewer(m: MaterialInfo) {
    busy = true;
    try {
      const g = await groupOf(m, session.id, ui.extentOf(layer.reach), layer.made?.seed || undefined);
      ui.lineup = new LineUp(`Versions of ${layer.made!.name}`, [
        { label: `Version ${layer.made!.version || 1}, as it is` },
        { label: `Version ${m.version}`, op: inPlaceOf(session, layer, g), taken: () => ui.choose(g.id, true) },
      ]);
    } catch (e) {
      session.message = (e as Error).message;
    }
    busy = false;
  }
  const seed = () => 1 + Math.floor(Math.random() * 9999);
  async function lineUpSeeds() {
    const others = await Promise.all(
      Array.from({ length: 5 }, async () => {
        const n = seed();
        return { label: `Seed ${n}`, op: await reseeded(session, layer, n) };
      }),
    );
    ui.lineup = new LineUp(`Seeds of ${layer.name}`, [{ label: 'As it is' }, ...others]);
  }
  const dials = $derived((layer.dials ?? []) as Dial[]);
  let turning = $state<{ name: string; value: number } | null>(null);
  const turn = (dial: string, value: number): Op => ({ kind: 'dial.turn', target: layer.id, dial, value });
  function without(d: Dial) {
    const value = dials.filter((o) => o.name !== d.name);
    session.op({ kind: 'layer.set', target: layer.id, path: 'dials', value });
  }
  function keep(name: string, value: number) {
    turning = null;
    session.op(turn(name, value));
  }
</script>

<div class="dials" role="group" aria-label={`Dials of ${layer.name}`}>
  {#each dials as d (d.name)}
    {@const at = turning?.name === d.name ? turning.value : d.value}
    <label title={d.help}>
      <span class="name"
        >{d.name}<button
          class="plain quiet"
          aria-label={`Delete the dial ${d.name}`}
          title="Delete the dial; what it has set stays"
          onclick={() => without(d)}>✕</button
        ></span
      >
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
  <Needs {session} {layer} />
  {#if newer}
    {@const n = newer}
    <p class="newer">
      Version {n.version} of it is in the stock; this is version {layer.made?.version || 1}.
      <button class="chip" disabled={busy} onclick={() => compareNewer(n)}>Compare</button>
    </p>
  {/if}
  <div class="below">
    <button
      class="chip"
      title="The same material with other noises"
      onclick={async () => session.op(await reseeded(session, layer, seed()))}>Another seed</button
    >
    <button class="chip" title="Compare six seeds" onclick={lineUpSeeds}>Line up seeds</button>
    <button
      class="chip"
      title="What it is made of half as large again"
      onclick={() => session.op(enlarged(session, layer, 1.5))}>Larger</button
    >
    <button
      class="chip"
      title="What it is made of a third smaller"
      onclick={() => session.op(enlarged(session, layer, 1 / 1.5))}>Smaller</button
    >
    <button
      class="chip"
      title="Compare it with other materials of the stock"
      onclick={() => ((ui.shelf = 'materials'), (ui.stock = true))}>Others …</button
    >
    <NewDial {session} {layer} />
  </div>
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
  .newer {
    border-left: 3px solid var(--ochre);
    padding: 2px 8px;
    font-size: 13px;
  }
  .name button {
    margin-left: 4px;
    font-size: 11px;
    opacity: 0;
  }
  label:hover .name button,
  .name button:focus-visible {
    opacity: 1;
  }
  .below {
    display: flex;
    flex-wrap: wrap;
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
