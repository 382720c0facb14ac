<script lang="ts">
  // The stack as a cut through the surface, outermost layer on top. Its left edge
  // holds the real colours of the last drilled point.
  import type { Row, Session } from '../lib/session.svelte';
  import { addLayer, chosen, moveLayers, type Reach } from '../lib/stack';
  import { keyOf, stock } from '../lib/stock.svelte';
  import type { UI } from '../lib/ui.svelte';
  import { Readiness } from '../lib/ready.svelte';
  import WayIn from './WayIn.svelte';
  import LayerRow from './LayerRow.svelte';
  import { keyNow } from '../lib/shortcuts.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  // svelte-ignore state_referenced_locally
  const ready = new Readiness(session);
  $effect(() => ready.look());
  /** layers are there, and nothing of them can be seen; a material's own panel says so by itself, the way in, too */
  const unseen = $derived(ready.bare && (session.doc?.layers?.length ?? 0) > 1 && !session.layer(ui.selected)?.made);
  let reach = $state('');
  let dragging = $state('');
  let target = $state<{ id: string; where: 'above' | 'into' | 'below' } | null>(null);

  /** what a layer is found by: its name, channels, what it covers, its steps */
  const words = (r: Row) =>
    [
      r.layer.name,
      r.layer.kind,
      ...session.channels.filter((c) => r.layer.channels?.[c.channel]?.on).map((c) => c.label),
      ...(r.layer.reach.parts ?? []),
      ...(r.layer.reach.sheets ?? []),
    ]
      .join(' ')
      .toLowerCase();
  const rows = $derived.by(() => {
    const find = ui.find.trim().toLowerCase();
    const hit = new Set(session.rows.filter((r) => words(r).includes(find)).map((r) => r.layer.id));
    // groups around what is found stay, so that one sees where it lies
    for (const r of session.rows)
      if (hit.has(r.layer.id)) for (let g = r.parent; g; g = session.place(g)!.parent) hit.add(g);
    const folded = (r: Row): boolean => !!r.parent && (!ui.opened.has(r.parent) || folded(session.place(r.parent)!));
    const list = session.rows.filter((r) => (find ? hit.has(r.layer.id) : !folded(r)));
    return order(list);
  });
  /** outermost first, but a group above what it holds */
  function order(list: Row[]): Row[] {
    const by = new Map<string, Row[]>();
    for (const r of list) by.set(r.parent, [...(by.get(r.parent) ?? []), r]);
    const out: Row[] = [];
    const into = (parent: string) =>
      [...(by.get(parent) ?? [])].reverse().forEach((r) => {
        out.push(r);
        into(r.layer.id);
      });
    into('');
    return out;
  }
  const limit = (): Reach =>
    reach.startsWith('part ') ? { parts: [reach.slice(5)] } : reach ? { sheets: [reach.slice(6)] } : {};
  const sheets = $derived(Object.keys(session.doc?.sheets ?? {}));

  function choose(e: MouseEvent, r: Row) {
    const id = r.layer.id;
    if (e.shiftKey && ui.selected) {
      const at = (x: string) => rows.findIndex((q) => q.layer.id === x);
      const [a, b] = [at(ui.selected), at(id)].sort((x, y) => x - y);
      ui.many = rows
        .slice(a, b + 1)
        .map((q) => q.layer.id)
        .filter((x) => x !== ui.selected);
    } else if (e.ctrlKey || e.metaKey) {
      if (id === ui.selected) return;
      ui.many = ui.many.includes(id) ? ui.many.filter((x) => x !== id) : [...ui.many, id];
    } else ui.choose(id);
  }
  function over(e: DragEvent, r: Row) {
    if (!dragging && !ui.held) return;
    e.preventDefault();
    const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
    const y = (e.clientY - box.top) / box.height;
    const group = r.layer.kind === 'group';
    const where = group && y > 0.3 && y < 0.7 ? 'into' : y < 0.5 ? 'above' : 'below';
    target = { id: r.layer.id, where: group && where === 'below' && ui.opened.has(r.layer.id) ? 'into' : where };
  }
  /** A material from the stock falls between the layers. */
  function putHeld(r: Row) {
    const held = ui.held!;
    ui.held = null;
    const { where } = target!;
    const into = where === 'into';
    const index = into ? -1 : r.index + (where === 'above' ? 1 : 0);
    target = null;
    stock.used(keyOf(held.material));
    held.putAt(into ? r.layer.id : r.parent, index).catch((e) => (session.message = e.message));
  }
  function drop(r: Row) {
    if (ui.held && target) return putHeld(r);
    const all = [ui.selected, ...ui.many].includes(dragging)
      ? chosen(session, ui)
      : session.rows.filter((q) => q.layer.id === dragging);
    const list = all.filter((q) => q.layer.id !== r.layer.id);
    if (target && list.length) {
      if (target.where === 'into') moveLayers(session, list, r.layer.id, (r.layer.layers ?? []).length);
      else moveLayers(session, list, r.parent, r.index + (target.where === 'above' ? 1 : 0));
      if (target.where === 'into') ui.opened.add(r.layer.id);
    }
    dragging = '';
    target = null;
  }
  function paste() {
    const p = session.place(ui.selected);
    session.change({ t: 'paste', parent: p?.parent ?? '', index: p ? p.index + 1 : -1 });
  }
</script>

<div class="section flex h-full flex-col">
  <header class="border-b px-3 py-1" style:border-color="var(--line)">
    <div class="flex items-center gap-2">
      <h2 class="font-semibold">Section</h2>
      <input
        type="search"
        class="find"
        bind:value={ui.find}
        placeholder="find by name, channel, part"
        aria-label="Find layers"
        onkeydown={(e) => (e.stopPropagation(), e.key === 'Escape' && (ui.find = ''))}
      />
    </div>
  </header>
  {#if unseen}
    <p class="unseen" role="status">
      No UVs yet: nothing laid on the model is seen.
      <button class="chip" disabled={ready.asked || ready.unwrapping} onclick={() => ready.unwrap()}
        >{ready.unwrapping ? 'Unwrapping …' : 'Unwrap'}</button
      >
    </p>
  {/if}
  <ol class="min-h-0 grow overflow-auto" aria-label="Layers, outermost first">
    {#each rows as r (r.layer.id)}
      <li
        class:above={target?.id === r.layer.id && target.where === 'above'}
        class:below={target?.id === r.layer.id && target.where === 'below'}
        class:into={target?.id === r.layer.id && target.where === 'into'}
        draggable={ui.selected !== r.layer.id || undefined}
        ondragstart={(e) => (e.stopPropagation(), (dragging = r.layer.id))}
        ondragover={(e) => over(e, r)}
        ondrop={(e) => (e.preventDefault(), drop(r))}
        ondragend={() => ((dragging = ''), (target = null))}
      >
        <LayerRow {session} {ui} row={r} choose={(e) => choose(e, r)} />
      </li>
    {:else}
      <li class="quiet p-4">
        {ui.find ? 'No layer is found by that.' : 'The surface is bare. Add a fill layer below, then give it a mask.'}
      </li>
    {/each}
    {#if (session.doc?.layers?.length ?? 2) < 2 && !ui.find}<li><WayIn {session} {ui} /></li>{/if}
  </ol>
  <footer class="border-t p-2" style:border-color="var(--line)">
    {#if ui.many.length}
      <div class="quiet pb-1 text-sm">{ui.many.length + 1} layers selected</div>
    {/if}
    <div class="new">
      <button
        class="chip"
        title={`New fill layer (${keyNow('n')})`}
        onclick={() => addLayer(session, ui, 'fill', limit())}>+ Fill layer</button
      >
      <button
        class="chip"
        title={`New paint layer (${keyNow('shift+n')})`}
        onclick={() => addLayer(session, ui, 'paint', limit())}>+ Paint layer</button
      >
      <button
        class="chip"
        title="A layer of pictures and words set on the surface"
        onclick={() => addLayer(session, ui, 'decals', limit())}>+ Decals</button
      >
      <button class="chip" onclick={() => addLayer(session, ui, 'group', {})}>+ Group</button>
    </div>
    <div class="flex flex-wrap items-center gap-1 pt-1">
      <button
        class="chip"
        disabled={!session.clip.length}
        title={session.clip.length
          ? `Paste ${session.clip.join(', ')} (${keyNow('ctrl+v')})`
          : `Nothing was copied yet (${keyNow('ctrl+c')} copies)`}
        onclick={paste}>Paste</button
      >
      <label class="quiet text-sm" for="reach" title="What layers that are added cover">reach</label>
      <select id="reach" class="pick" style="max-width: 118px" aria-label="New layers reach" bind:value={reach}>
        <option value="">whole model</option>
        <optgroup label="sheets"
          >{#each sheets as s (s)}<option value={`sheet ${s}`}>{s}</option>{/each}</optgroup
        >
        <optgroup label="parts"
          >{#each ui.parts as p (p)}<option value={`part ${p}`}>{p}</option>{/each}</optgroup
        >
      </select>
      <span class="grow"></span>
      <button
        class="chip"
        aria-pressed={ui.over}
        title={`Paint over the view in another program, and take it back as layers (${keyNow('shift+o')})`}
        onclick={() => ui.paintOver(!ui.over)}>Paint over</button
      >
    </div>
  </footer>
</div>

<style>
  .unseen {
    border-left: 3px solid var(--ochre);
    padding: 4px 10px;
    font-size: 13px;
  }
  .section {
    container: section / inline-size;
    position: relative;
  }
  @container section (min-width: 640px) {
    header,
    ol,
    footer {
      width: 50%;
    }
  }
  /* four in a row, however wide a font draws them */
  .new {
    display: grid;
    grid-template-columns: 5fr 6fr 5fr 5fr;
    gap: 4px;
  }
  .new .chip {
    padding: 0 2px;
    white-space: nowrap;
  }
  .above {
    box-shadow: inset 0 2px var(--plum);
  }
  .below {
    box-shadow: inset 0 -2px var(--plum);
  }
  .into {
    box-shadow: inset 0 0 0 2px var(--plum);
  }
  .find {
    flex: 1;
    min-width: 0;
    min-height: 28px;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 0 8px;
    font: inherit;
    font-size: 13px;
  }
</style>
