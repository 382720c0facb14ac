<script lang="ts">
  // Keys that work everywhere on the page. Those of a number row are held: while
  // one is down the view shows that channel alone.
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  const typing = (e: Event) =>
    e.target instanceof HTMLElement && !!e.target.closest('input, textarea, select, [contenteditable]');
  const channels = $derived([...session.about.channels!.map((c) => c.channel), 'normal']);

  function down(e: KeyboardEvent) {
    if (typing(e)) return;
    const k = e.key.toLowerCase();
    if (e.ctrlKey || e.metaKey) {
      if (k === 'z') {
        e.preventDefault();
        if (e.shiftKey) session.redo();
        else session.undo();
      }
      return;
    }
    if (e.repeat) return;
    const n = Number(e.key);
    if (n >= 1 && n <= channels.length) show(channels[n - 1]);
    else if (k === 'm') show('mask');
    else if (k === 'x') show('form');
    else if (k === 'o') ui.tool = 'orbit';
    else if (k === 'p') ui.tool = 'brush';
    else if (k === 'e') ui.tool = 'erase';
    else if (k === 'd') ui.tool = 'drill';
  }
  function show(what: string) {
    ui.alone = what;
    session.alone(what === 'mask' ? 'mask' : what === 'height' ? 'height' : '', ui.selected);
  }
  function up() {
    if (!ui.alone) return;
    ui.alone = '';
    session.alone('');
  }
</script>

<svelte:window onkeydown={down} onkeyup={up} onblur={up} />
