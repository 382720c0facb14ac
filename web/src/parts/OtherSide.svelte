<script lang="ts">
  // Mirroring afterwards: two picked faces give the whole correspondence between two
  // halves or parts that are built alike; strokes are brought over by it.
  import type { Live, Step } from '../api/client';
  import { newID, type Session } from '../lib/session.svelte';
  import type { Target } from '../lib/target';
  import type { UI } from '../lib/ui.svelte';

  let { session, ui, t }: { session: Session; ui: UI; t: Target } = $props();
  const sides = $derived(session.sides);
  function pick() {
    session.sides = null;
    ui.pair = null;
    ui.opposite = '';
    ui.taking = {
      label: 'pick a face of the side that is painted',
      take: (a, at, nrm) => {
        // the click that picked the first has not ended yet
        setTimeout(() => {
          ui.taking = {
            label: 'pick the same face on the other side',
            take: (b, to, toNrm) => {
              ui.pair = { a: a.triangle, b: b.triangle, at, nrm, to, toNrm };
              ask('show');
            },
          };
        });
      },
    };
  }
  function ask(kind: Live['SidesRequest']['kind']) {
    if (!ui.pair) return;
    session.correspond({ kind, seq: ui.pair.a, index: ui.pair.b, layer: t.layer, step: t.step });
  }
  /** The open stream, whatever it is made of, brought over by a step of its own. */
  function stream(way: string) {
    if (!ui.pair || !ui.selected) return;
    const id = newID();
    const params = { pair: [ui.pair.at, ui.pair.to], way };
    const newStep = { id, kind: 'other-side', on: true, amount: 1, params } as unknown as Step;
    session.op({ kind: 'step.add', target: ui.selected, path: ui.stream, index: -1, newStep });
    ui.step = id;
  }
  const does: ['copy' | 'flip' | 'exchange', string, string][] = [
    ['copy', 'Copy', 'The strokes of this side are laid on the other too'],
    ['flip', 'Flip', 'The strokes of this side go over to the other'],
    ['exchange', 'Exchange', 'Both sides change places'],
  ];
  const under: ['copy' | 'flip' | 'exchange', string, string][] = [
    ['copy', 'a copy', 'What lies on the other side is laid here too'],
    ['flip', 'it over', 'What lies on the other side comes here and leaves there'],
    ['exchange', 'both', 'Here and there change places'],
  ];
</script>

<span class="quiet" title="By the mesh's connectivity: it need not match in space">afterwards</span>
<span class="sides">
  <button class="chip" onclick={pick}>{ui.pair ? 'pick two others' : 'pick two faces'}</button>
  {#if ui.pair && sides}
    {#each does as [kind, label, help] (kind)}
      <button class="chip" title={help} disabled={!t.ok} onclick={() => ask(kind)}>{label}</button>
    {/each}
    <span class="quiet" role="status" aria-label="Counterparts">
      {#if sides.of !== undefined}{sides.count} of {sides.of} faces have a counterpart{(sides.count ?? 0) < sides.of
          ? '; the others are shown'
          : ''}
      {:else}{sides.strokes} stroke{sides.strokes === 1 ? '' : 's'} came over{sides.left
          ? `; ${sides.left} lie partly on what has no counterpart`
          : ''}{/if}
    </span>
  {/if}
</span>
{#if ui.pair && sides}
  <span class="quiet" title="As the surface is on the other side, wherever the brush goes; its rim fades"
    >brush brings</span
  >
  <span class="sides">
    <button
      class="chip"
      aria-pressed={ui.opposite === ''}
      class:on={ui.opposite === ''}
      onclick={() => (ui.opposite = '')}>nothing over</button
    >
    {#each under as [kind, label, help] (kind)}
      <button
        class="chip"
        title={help}
        aria-pressed={ui.opposite === kind}
        class:on={ui.opposite === kind}
        onclick={() => {
          ui.opposite = kind;
          ui.tool = 'brush';
        }}>{label}</button
      >
    {/each}
  </span>
  <span class="quiet" title="A step at the end of the open stream: generators and pictures come over too"
    >whole stream</span
  >
  <span class="sides">
    {#each does as [kind, label, help] (kind)}
      <button
        class="chip"
        title={help.replace('The strokes', 'All')}
        disabled={!ui.selected}
        onclick={() => stream(kind)}>{label} it</button
      >
    {/each}
  </span>
{/if}

<style>
  .sides {
    grid-column: 2 / -1;
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    align-items: center;
  }
</style>
