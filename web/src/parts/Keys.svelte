<script lang="ts">
  // Keys that work everywhere on the page, and the sheet that tells them. Those of
  // the number row, M and X are held: while one is down the view shows that alone.
  import type { Session } from '../lib/session.svelte';
  import { find, shortcuts } from '../lib/shortcuts';
  import type { UI } from '../lib/ui.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  const typing = (e: Event) =>
    e.target instanceof HTMLElement &&
    !!e.target.closest('input:not([type="checkbox"]), textarea, select, [contenteditable]');
  // a list that was used with the pointer gives the keys back
  let pointed = false;
  const changed = (e: Event) => pointed && e.target instanceof HTMLSelectElement && e.target.blur();
  // arrow keys belong to the control that has the focus
  const control = (e: Event) =>
    e.target instanceof HTMLElement && !!e.target.closest('[role="slider"], circle, [role="tab"]');
  const channels = $derived(session.channels.map((c) => c.channel));
  const groups = [...new Set(shortcuts.map((s) => s.group))];
  let held = $state('');

  function down(e: KeyboardEvent) {
    if (typing(e)) return;
    if (e.key === 'Escape') {
      ui.sheet = false;
      ui.taking = null;
      if (ui.tool === 'reach') ui.tool = 'orbit';
    }
    if (e.key.startsWith('Arrow') && control(e)) return;
    const s = find(e);
    if (s && (ui.station === 'Layer' || s.group === 'Ledger')) {
      if (e.repeat && !e.key.startsWith('Arrow')) return;
      e.preventDefault();
      s.run!(session, ui);
      return;
    }
    if (e.repeat || e.ctrlKey || e.metaKey || e.altKey) return;
    const n = Number(e.key);
    const k = e.key.toLowerCase();
    if (n >= 1 && n <= channels.length) ui.alone = held = channels[n - 1];
    else if (k === 'm') ui.alone = held = 'mask';
    else if (k === 'x') ui.alone = held = 'form';
  }
  function up() {
    if (!held) return;
    held = '';
    ui.alone = ui.pinned ? 'mask' : '';
  }
  // what no map of the page holds is asked from the server
  $effect(() => {
    ui.alone = ui.pinned ? 'mask' : '';
  });
  const asked = $derived(ui.alone === 'mask' || ui.alone === 'height' || ui.alone.startsWith('added.') ? ui.alone : '');
  $effect(() => {
    if (ui.alone === 'step') session.alone('step', ui.aloneStep);
    else if (asked) session.alone(asked, ui.selected);
    else session.alone(ui.solo ? 'layer' : '', ui.solo);
  });
</script>

<svelte:window
  onkeydown={(e) => ((pointed = false), down(e))}
  onkeyup={up}
  onblur={up}
  onpointerdown={() => (pointed = true)}
  onchange={changed}
/>
{#if ui.sheet}
  <div class="veil" role="presentation" onclick={() => (ui.sheet = false)}></div>
  <div class="sheet" role="dialog" aria-label="All keys">
    <header class="flex items-center">
      <h2 class="grow font-semibold">All keys</h2>
      <button class="chip" onclick={() => (ui.sheet = false)}>Close</button>
    </header>
    <div class="columns">
      {#each groups as g (g)}
        <section>
          <h3 class="quiet">{g}</h3>
          <dl>
            {#each shortcuts.filter((s) => s.group === g && s.keys) as s (s.keys)}<dt>{s.keys}</dt>
              <dd>{s.says}</dd>{/each}
          </dl>
        </section>
      {/each}
    </div>
  </div>
{/if}

<style>
  .veil {
    position: fixed;
    inset: 0;
    background: rgb(0 0 0 / 0.45);
    z-index: 50;
  }
  .sheet {
    position: fixed;
    z-index: 51;
    left: 50%;
    top: 50%;
    translate: -50% -50%;
    width: min(860px, 94vw);
    max-height: 88vh;
    overflow: auto;
    background: var(--panel);
    border: 1px solid var(--line);
    border-radius: 4px;
    padding: 14px 18px;
  }
  .columns {
    columns: 2;
    column-gap: 34px;
  }
  section {
    break-inside: avoid;
    padding-top: 10px;
  }
  dl {
    display: grid;
    grid-template-columns: 104px 1fr;
    gap: 3px 10px;
  }
  dt {
    font-weight: 600;
  }
</style>
