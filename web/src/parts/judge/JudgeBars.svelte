<script lang="ts">
  // Over the view in Judge: what one looks with at the left, what one takes away at the right.
  import type { Job } from '../../api/client';
  import type { Session } from '../../lib/session.svelte';
  import type { UI } from '../../lib/ui.svelte';
  import { keyNow } from '../../lib/shortcuts.svelte';
  import Icon from '../Icon.svelte';
  import NumberField from '../NumberField.svelte';
  import { LineUp } from '../../lib/lineup.svelte';
  import Stills from './Stills.svelte';
  let { ui, session, id, jobs }: { ui: UI; session: Session; id: string; jobs: Job[] } = $props();

  let quick = $state(false);
  let times = $state(2);
  let clear = $state(false);
  let said = $state('');
  const parts = $derived(ui.parts);

  /** states that this one can be compared with: before the last change, the beginning, and what is marked */
  const states = $derived.by(() => {
    const line = session.ledger.filter((l) => l.on);
    const marks = line.filter((l) => l.mark).map((l) => ({ seq: l.seq, label: l.mark! }));
    const out: { seq: number; label: string }[] = [];
    if (line.length > 1) out.push({ seq: line[1].seq, label: `before “${line[0].label}”` });
    if (line.length > 2) out.push({ seq: line.at(-1)!.seq, label: 'the beginning' });
    return [...out, ...marks.filter((m) => !out.some((o) => o.seq === m.seq))];
  });
  function differ(list: HTMLSelectElement) {
    const s = states.find((x) => String(x.seq) === list.value);
    list.value = '';
    if (s) ui.lineup = new LineUp('Difference', [{ label: s.label, seq: s.seq }, { label: 'now' }], 'divided');
  }

  async function picture(to: 'file' | 'clipboard') {
    const [w, h] = ui.judge!.size();
    said = 'drawing …';
    try {
      const blob = await ui.judge!.quick(w * times, h * times, clear);
      if (!blob) throw new Error('The view could not be drawn.');
      if (to === 'clipboard') {
        await navigator.clipboard.write([new ClipboardItem({ 'image/png': blob })]);
        said = 'in the clipboard';
        return;
      }
      const a = document.createElement('a');
      a.href = URL.createObjectURL(blob);
      a.download = `${document.title.split(' · ')[0] || 'view'}.png`;
      a.click();
      setTimeout(() => URL.revokeObjectURL(a.href), 10_000);
      said = 'written';
    } catch (e) {
      said = '';
      session.message = (e as Error).message;
    }
  }
</script>

{#if !ui.lineup}
  <div class="bar left-3" role="toolbar" aria-label="Looking">
    <button
      class="chip"
      aria-pressed={ui.tool === 'drill'}
      title="What every layer adds at a point ({keyNow('d')})"
      onclick={() => (ui.tool = ui.tool === 'drill' ? 'orbit' : 'drill')}><Icon of="drill" />Drill</button
    >
    <label
      class="pick-part"
      title="This state and another one: divided by a line, as their difference, or beside each other"
    >
      <Icon of="columns" />
      <select class="pick" aria-label="Difference with" value="" onchange={(e) => differ(e.currentTarget)}>
        <option value="">difference …</option>
        {#each states as s (s.seq)}<option value={s.seq}>{s.label}</option>{/each}
      </select>
    </label>
    <label class="pick-part" title="One part alone, framed">
      <Icon of="box" />
      <select class="pick" aria-label="Part alone" value={ui.part} onchange={(e) => (ui.part = e.currentTarget.value)}>
        <option value="">all parts</option>
        {#each parts as p (p)}<option value={p}>{p}</option>{/each}
      </select>
    </label>
    {#if ui.part}
      <label class="pick-part"><input type="checkbox" bind:checked={ui.look.ghosts} /> ghosts</label>
    {:else if parts.length > 1}
      <span class="pick-part" title="Parts move away from the middle">
        <span class="quiet">explode</span>
        <span class="w-16"
          ><NumberField
            label="Explode"
            value={ui.look.explode}
            min={0}
            max={3}
            fallback={0}
            preview={(v) => (ui.look.explode = v)}
            commit={(v) => (ui.look.explode = v)}
          /></span
        >
        <select class="pick" aria-label="Along" bind:value={ui.look.axis}>
          <option value="y">upright</option>
          <option value="x">x</option>
          <option value="z">z</option>
          <option value="all">all ways</option>
        </select>
      </span>
    {/if}
  </div>
  <div class="bar right-3" role="toolbar" aria-label="Pictures">
    <button class="chip" aria-expanded={quick} onclick={() => ((quick = !quick), (said = ''))}
      ><Icon of="copy" />Quick picture</button
    >
    <button class="chip" aria-expanded={ui.stills} onclick={() => (ui.stills = !ui.stills)}
      ><Icon of="eye" />Stills …</button
    >
  </div>
{/if}
{#if quick}
  <div class="sheet" role="group" aria-label="Quick picture">
    <label>
      <span class="quiet">size</span>
      <select class="pick" aria-label="Size of the picture" bind:value={times}>
        {#each [1, 2, 3, 4] as v (v)}<option value={v}>{v} × the window</option>{/each}
      </select>
    </label>
    <label><input type="checkbox" bind:checked={clear} /> nothing around it</label>
    <span class="flex gap-2">
      <button class="chip" onclick={() => picture('clipboard')}>to the clipboard</button>
      <button class="chip" onclick={() => picture('file')}>to a file</button>
    </span>
    <span class="quiet" aria-live="polite">{said}</span>
  </div>
{/if}
{#if ui.stills}<Stills {ui} {session} {id} {jobs} below={quick} />{/if}

<style>
  .bar {
    zoom: var(--scale);
    position: absolute;
    top: 10px;
    display: flex;
    gap: 4px;
    z-index: 2;
  }
  .bar .chip {
    background: color-mix(in srgb, var(--panel) 94%, transparent);
  }
  .pick-part {
    display: flex;
    align-items: center;
    gap: 4px;
    padding: 0 4px 0 8px;
    background: color-mix(in srgb, var(--panel) 94%, transparent);
    border: 1px solid var(--line);
    border-radius: 3px;
  }
  .pick-part select {
    max-width: 150px;
  }
  .pick-part option {
    background: var(--panel);
  }
  .sheet {
    zoom: var(--scale);
    position: absolute;
    top: 50px;
    right: 12px;
    z-index: 3;
    display: grid;
    gap: 6px;
    padding: 10px 12px;
    background: var(--panel);
    border: 1px solid var(--line);
    border-radius: 4px;
  }
</style>
