<script lang="ts">
  // What is shown alone, and what a click would do.
  import type { Prep } from '../../lib/prep.svelte';
  import type { Session } from '../../lib/session.svelte';
  import type { UI } from '../../lib/ui.svelte';

  let { session, ui, prep }: { session: Session; ui: UI; prep: Prep | null } = $props();
  const alone = $derived.by(() => {
    if (ui.alone === 'step') return 'result up to this step';
    if (ui.alone) return session.channels.find((c) => c.channel === ui.alone)?.label ?? ui.alone;
    return session.layer(ui.solo)?.name;
  });
  const marks = $derived.by(() => {
    if (!prep || prep.hand === 'look' || ui.station !== 'Prepare') return '';
    if (prep.hand === 'island') return 'A click chooses an island, or lets it go';
    const edge = { loop: 'a whole loop', path: prep.corner < 0 ? 'the start of a path' : 'the way to here' };
    const what = edge[prep.hand as keyof typeof edge] ?? 'an edge';
    return `A click ${prep.away ? 'takes away' : 'marks'} ${what} · Alt turns the view`;
  });
</script>

{#if ui.alone || ui.solo}<div class="hint">
    {alone} alone
    {#if !ui.alone}<button class="chip" onclick={() => (ui.solo = '')}>Show all</button>{/if}
  </div>{/if}
{#if ui.part && !ui.alone && !ui.solo}<div class="hint">
    {ui.part} alone
    <button class="chip" onclick={() => (ui.part = '')}>Show all</button>
  </div>{/if}
{#if marks}
  <div class="hint">{marks}</div>
{:else if ui.tool === 'lasso' && ui.station === 'Layer'}
  <div class="hint">
    Draw round what strokes may reach, or click corner by corner and end on the first · Alt turns the view
  </div>
{:else if ui.tool === 'line' && ui.station === 'Layer' && !ui.taking}
  <div class="hint">
    {#if ui.mode === 'flat'}Lines are drawn and taken up on the model{:else if ui.joining}Click the stroke that is
      joined to this one · Esc: none{:else if ui.stroke}Pull the line by its dots · Esc lets it go{:else}A click on a
      stroke of {session.layer(ui.selected)?.name ?? 'no layer'} takes it up; elsewhere it begins a line (with Shift anywhere)
      · Enter ends it, a click on its beginning closes it
      <button
        class="chip"
        aria-pressed={ui.straight}
        title="From place to place in straight lines, or smoothly"
        onclick={() => (ui.straight = !ui.straight)}>Straight</button
      >{/if}
  </div>
{:else if ui.taking}
  <div class="hint">
    Click on the model or the flat sheet to {ui.taking.label}
    <button class="chip" onclick={() => (ui.taking = null)}>Stop</button>
  </div>
{:else if ui.tool === 'reach' && ui.station === 'Layer'}
  <div class="hint">
    A click
    {#if ui.clickOff}leaves a {ui.reachKind} out of the reach of {session.layer(ui.selected)?.name ?? 'no layer'}, or
      covers it again · Shift takes one in{:else}takes a {ui.reachKind} into the reach of {session.layer(ui.selected)
        ?.name ?? 'no layer'}, or out of it · Shift leaves one out{/if}
  </div>
{/if}

<style>
  .chip[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
  }
  .hint {
    position: absolute;
    left: 50%;
    bottom: 12px;
    translate: -50% 0;
    background: var(--panel);
    border-left: 3px solid var(--ochre);
    padding: 2px 10px;
  }
</style>
