<script lang="ts">
  // Mirroring afterwards: two picked faces give the whole correspondence between two
  // halves or parts that are built alike; strokes are brought over by it.
  import type { Session } from '../lib/session.svelte';
  import type { Target, UI } from '../lib/ui.svelte';

  let { session, ui, t }: { session: Session; ui: UI; t: Target } = $props();
  const sides = $derived(session.sides);
  function pick() {
    session.sides = null;
    ui.pair = null;
    ui.taking = {
      label: 'pick a face of the side that is painted',
      take: (a) => {
        // the click that picked the first has not ended yet
        setTimeout(() => {
          ui.taking = {
            label: 'pick the same face on the other side',
            take: (b) => {
              ui.pair = { a: a.triangle, b: b.triangle };
              ask('show');
            },
          };
        });
      },
    };
  }
  function ask(kind: string) {
    if (!ui.pair) return;
    session.send({ t: 'sides', id: 3, kind, seq: ui.pair.a, index: ui.pair.b, layer: t.layer, step: t.step });
  }
  const does: [string, string, string][] = [
    ['copy', 'Copy', 'The strokes of this side are laid on the other too'],
    ['flip', 'Flip', 'The strokes of this side go over to the other'],
    ['exchange', 'Exchange', 'Both sides change places'],
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
      {#if sides.of !== undefined}{sides.count} of {sides.of} faces have a counterpart{sides.count < sides.of
          ? '; the others are shown'
          : ''}
      {:else}{sides.strokes} stroke{sides.strokes === 1 ? '' : 's'} came over{sides.left
          ? `; ${sides.left} lie partly on what has no counterpart`
          : ''}{/if}
    </span>
  {/if}
</span>

<style>
  .sides {
    grid-column: 2 / -1;
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    align-items: center;
  }
</style>
