<script lang="ts">
  // What a layer covers: chips that can be taken off, a list to add from, and
  // picking on the model.
  import type { Layer } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import { toHex } from '../lib/color';
  import { faceCount, toggleFace, type Reach } from '../lib/stack';
  import type { UI } from '../lib/ui.svelte';
  import { keyNow } from '../lib/shortcuts.svelte';

  let { session, ui, layer, parts }: { session: Session; ui: UI; layer: Layer; parts: string[] } = $props();
  const r = $derived(layer.reach);
  const sheets = $derived(Object.keys(session.doc?.sheets ?? {}));
  const faces = $derived(faceCount(r.faces));
  /** what it leaves out */
  type Off = NonNullable<Reach['off']>;
  const off = $derived((r.off ?? {}) as Off);
  const but = (o: Off): Reach => {
    const list = Object.entries(o).filter(([, v]) => (v as unknown[] | null)?.length);
    return { ...r, off: list.length ? (Object.fromEntries(list) as Off) : undefined };
  };
  const offFaces = $derived(faceCount(off.faces));
  const offs = $derived([
    ...(off.parts ?? []).map((n) => ({
      kind: 'part',
      label: n,
      without: but({ ...off, parts: off.parts!.filter((p) => p !== n) }),
    })),
    ...(off.sheets ?? []).map((n) => ({
      kind: 'sheet',
      label: n,
      without: but({ ...off, sheets: off.sheets!.filter((p) => p !== n) }),
    })),
    ...(off.islands ?? []).map((n) => ({
      kind: 'island',
      label: String(n + 1),
      without: but({ ...off, islands: off.islands!.filter((p) => p !== n) }),
    })),
    ...(offFaces
      ? [{ kind: '', label: `${offFaces} face${offFaces === 1 ? '' : 's'}`, without: but({ ...off, faces: [] }) }]
      : []),
  ]);
  const chips = $derived([
    ...(r.parts ?? []).map((n) => ({
      kind: 'part',
      label: n,
      without: { ...r, parts: r.parts!.filter((p) => p !== n) },
    })),
    ...(r.sheets ?? []).map((n) => ({
      kind: 'sheet',
      label: n,
      without: { ...r, sheets: r.sheets!.filter((p) => p !== n) },
    })),
    ...(r.islands ?? []).map((n) => ({
      kind: 'island',
      label: String(n + 1),
      without: { ...r, islands: r.islands!.filter((p) => p !== n) },
    })),
    ...(r.ids ?? []).map((c) => ({
      kind: 'ID',
      label: toHex(c.color as number[]),
      without: { ...r, ids: r.ids!.filter((o) => o !== c) },
    })),
    ...(faces ? [{ kind: '', label: `${faces} face${faces === 1 ? '' : 's'}`, without: { ...r, faces: [] } }] : []),
  ]);
  const set = (value: Reach) => session.op({ kind: 'layer.set', target: layer.id, path: 'reach', value });
  const flip = <T,>(list: T[] | null | undefined, v: T) =>
    (list ?? []).includes(v) ? list!.filter((x) => x !== v) : [...(list ?? []), v];
  function add(e: Event) {
    const el = e.currentTarget as HTMLSelectElement;
    const [kind, ...name] = el.value.split(' ');
    const n = name.join(' ');
    el.value = '';
    if (kind === 'part') set({ ...r, parts: flip(r.parts, n) });
    if (kind === 'sheet') set({ ...r, sheets: flip(r.sheets, n) });
  }
  const picking = $derived(ui.tool === 'reach');
  $effect(() => {
    ui.onReach = (p) => {
      if (ui.clickedOff) {
        if (ui.reachKind === 'part') set(but({ ...off, parts: flip(off.parts, p.part) }));
        else if (ui.reachKind === 'sheet') set(but({ ...off, sheets: flip(off.sheets, p.sheet) }));
        else if (ui.reachKind === 'island') set(but({ ...off, islands: flip(off.islands, p.island) }));
        else if (ui.reachKind === 'face') set(but({ ...off, faces: toggleFace(off.faces ?? [], p.triangle) }));
        else session.message = 'An ID colour cannot be left out; take the others in.';
        return;
      }
      if (ui.reachKind === 'part') set({ ...r, parts: flip(r.parts, p.part) });
      else if (ui.reachKind === 'sheet') set({ ...r, sheets: flip(r.sheets, p.sheet) });
      else if (ui.reachKind === 'island') set({ ...r, islands: flip(r.islands, p.island) });
      else if (ui.reachKind === 'id') {
        if (!p.idColor) {
          session.message = `${p.sheet} has no ID map; bake one in Prepare, or make one from a layer there.`;
          return;
        }
        const c = toHex(p.idColor);
        const others = (r.ids ?? []).filter((o) => toHex(o.color as number[]) !== c);
        const fresh = others.length === (r.ids ?? []).length;
        set({ ...r, ids: fresh ? [...others, { color: p.idColor, tolerance: 0.02 }] : others });
      } else set({ ...r, faces: toggleFace(r.faces ?? [], p.triangle) });
    };
  });
</script>

<div class="reach" role="group" aria-label={`Reach of ${layer.name}`}>
  <span class="quiet">reach</span>
  {#each chips as c (c.kind + c.label)}
    <button
      class="chip"
      title="Take it off"
      aria-label={`Take ${c.kind} ${c.label} off the reach`}
      onclick={() => set(c.without)}
      ><span class="quiet">{c.kind}</span>
      {#if c.kind === 'ID'}<i class="swatch" style:background={c.label}></i>{/if}
      {c.label} ✕</button
    >
  {:else}<span>whole model</span>{/each}
  {#if offs.length}<span class="quiet">but</span>{/if}
  {#each offs as c (c.kind + c.label)}
    <button
      class="chip off"
      title="Cover it again"
      aria-label={`Cover ${c.kind} ${c.label} again`}
      onclick={() => set(c.without)}><span class="quiet">{c.kind}</span> {c.label} ✕</button
    >
  {/each}
  <select class="pick" aria-label="Add to the reach" value="" onchange={add}>
    <option value="">+</option>
    <optgroup label="parts">
      {#each parts.filter((p) => !(r.parts ?? []).includes(p)) as p (p)}<option value={`part ${p}`}>{p}</option>{/each}
    </optgroup>
    <optgroup label="sheets">
      {#each sheets.filter((p) => !(r.sheets ?? []).includes(p)) as p (p)}<option value={`sheet ${p}`}>{p}</option
        >{/each}
    </optgroup>
  </select>
  <button
    class="chip"
    aria-pressed={picking}
    title={`Click on the model to add to the reach, or to take off (${keyNow('r')})`}
    onclick={() => (ui.tool = picking ? 'orbit' : 'reach')}>pick on the model</button
  >
  {#if picking}
    <select class="pick" aria-label="What a click does" bind:value={ui.clickOff}>
      <option value={false}>takes in</option><option value={true}>leaves out</option>
    </select>
    <select class="pick" aria-label="A click picks" bind:value={ui.reachKind}>
      <option value="part">parts</option><option value="island">UV islands</option><option value="face">faces</option
      ><option value="sheet">sheets</option><option value="id">ID colours</option>
    </select>
  {/if}
</div>

<style>
  .reach {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    align-items: center;
    font-size: 12.5px;
    padding-top: 6px;
  }
  .chip {
    padding: 0 7px;
    white-space: nowrap;
  }
  .chip[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
  }
  .off {
    text-decoration: line-through;
    text-decoration-color: var(--ochre);
  }
  .swatch {
    display: inline-block;
    width: 10px;
    height: 10px;
    vertical-align: -1px;
  }
  .pick {
    max-width: 90px;
  }
</style>
