<script lang="ts">
  // Keys that work everywhere on the page; the guide tells them. Those of
  // the number row, M and X are held: while one is down the view shows that alone.
  import type { Session } from '../lib/session.svelte';
  import { pressed } from '../lib/judged';
  import { find } from '../lib/shortcuts.svelte';
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
    e.target instanceof HTMLElement && !!e.target.closest('[role="slider"], circle, [role="tab"], .glass');
  const channels = $derived(session.channels.map((c) => c.channel));
  let held = $state('');

  function down(e: KeyboardEvent) {
    if (typing(e)) return;
    if (e.key === 'Escape') {
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
    const digit = /^Digit([1-9])$/.exec(e.code);
    if (ui.station === 'Judge' && digit) {
      if (pressed(ui, session, Number(digit[1]), e.shiftKey)) e.preventDefault();
      return;
    }
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
