<script lang="ts">
  // The stamp press: stamps are made from shapes, shown as a lit relief while one works
  // on them, and kept as their recipes.
  import { onMount, untrack } from 'svelte';
  import {
    api,
    type KnownStamp,
    type PressInfo,
    type PressRepeat,
    type PressShape,
    type PressTreat,
    type Recipe,
  } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import NumberField from './NumberField.svelte';
  import PressSettingField from './PressSetting.svelte';

  let { session, ui }: { session: Session; ui: UI } = $props();
  const copy = <T,>(v: T): T => JSON.parse(JSON.stringify(v));
  const blank: Recipe = { name: 'New stamp', shapes: [{ kind: 'disc', level: 1, wide: 1.6 }], after: [] } as Recipe;
  let info = $state.raw<PressInfo | null>(null);
  let error = $state('');
  let done = $state('');
  let recipe = $state.raw<Recipe>(read());
  let past = $state.raw<Recipe[]>([]);
  let future = $state.raw<Recipe[]>([]);
  /** what is open: shape 0, 1 …, or a treatment */
  let open = $state<{ list: 'shapes' | 'after'; at: number }>({ list: 'shapes', at: 0 });
  let look = $state('relief');
  let size = $state(1024);
  let find = $state('');
  let picture = $state('');
  let busy = $state(false);
  let root: HTMLElement;
  let plate: HTMLElement | undefined = $state();

  function read(): Recipe {
    try {
      return JSON.parse(localStorage.getItem('press') ?? '') as Recipe;
    } catch {
      return copy(blank);
    }
  }
  const load = () =>
    api.press().then(
      (p) => (info = p),
      (e) => (error = e.message),
    );
  onMount(() => {
    load();
    root.focus();
    return () => {
      URL.revokeObjectURL(picture);
    };
  });

  const list = $derived((open.list === 'shapes' ? recipe.shapes : recipe.after) ?? []);
  const item = $derived(list[open.at] as (PressShape & PressTreat) | undefined);
  const kinds = $derived((open.list === 'shapes' ? info?.shapes : info?.treats) ?? []);
  const kind = $derived(kinds.find((k) => k.kind === item?.kind));
  const repeat = $derived(open.list === 'shapes' ? (item as PressShape | undefined)?.repeat : undefined);
  const known = $derived(
    (info?.list ?? []).filter((s) => `${s.recipe.name} ${s.group}`.toLowerCase().includes(find.trim().toLowerCase())),
  );

  /** Puts another recipe in place of this one, as a step that can be undone. */
  function put(r: Recipe, from: Recipe = recipe) {
    past = [...past.slice(-99), from];
    future = [];
    recipe = r;
    before = null;
    localStorage.setItem('press', JSON.stringify(r));
  }
  /** the recipe before a drag began */
  let before: Recipe | null = null;
  function step(from: 'past' | 'future') {
    const stack = from === 'past' ? past : future;
    if (!stack.length) return;
    const r = stack[stack.length - 1];
    if (from === 'past') [past, future] = [past.slice(0, -1), [...future, recipe]];
    else [future, past] = [future.slice(0, -1), [...past, recipe]];
    recipe = r;
    localStorage.setItem('press', JSON.stringify(r));
    const n = (r[open.list] ?? []).length;
    open = { list: open.list, at: Math.min(open.at, Math.max(n - 1, 0)) };
  }
  function changed(change: (r: Recipe) => void): Recipe {
    const r = copy(recipe);
    change(r);
    return r;
  }
  const change = (f: (r: Recipe) => void) => put(changed(f), before ?? recipe);
  function show(f: (r: Recipe) => void) {
    before ??= recipe;
    recipe = changed(f);
  }
  const setting = (name: string, v: unknown) => (r: Recipe) => {
    const it = r[open.list]![open.at] as unknown as Record<string, unknown>;
    it[name] = v;
  };

  function addShape(k: string) {
    const d = info!.shapes!.find((s) => s.kind === k)!;
    const s: Record<string, unknown> = { kind: k, level: 1, wide: 1 };
    for (const p of d.settings ?? []) if (['text', 'outline'].includes(p.kind)) s[p.name] = copy(p.default);
    change((r) => (r.shapes = [...(r.shapes ?? []), s as unknown as PressShape]));
    open = { list: 'shapes', at: recipe.shapes!.length - 1 };
  }
  function addTreat(k: string) {
    const d = info!.treats!.find((s) => s.kind === k)!;
    const t: Record<string, unknown> = { kind: k };
    for (const p of d.settings ?? []) if (p.kind !== 'file') t[p.name] = copy(p.default);
    change((r) => (r.after = [...(r.after ?? []), t as unknown as PressTreat]));
    open = { list: 'after', at: recipe.after!.length - 1 };
  }
  function drop(l: 'shapes' | 'after', i: number) {
    change((r) => r[l]!.splice(i, 1));
    if (open.list === l && open.at >= i) open = { list: l, at: Math.max(open.at - 1, 0) };
  }
  function shift(l: 'shapes' | 'after', i: number, d: number) {
    const n = (recipe[l] ?? []).length;
    if (i + d < 0 || i + d >= n) return;
    change((r) => {
      const all = r[l] as unknown[];
      [all[i], all[i + d]] = [all[i + d], all[i]];
    });
    open = { list: l, at: i + d };
  }
  function double(i: number) {
    change((r) => r.shapes!.splice(i + 1, 0, copy(r.shapes![i])));
    open = { list: 'shapes', at: i + 1 };
  }

  // the picture: small while something is dragged, then in full
  let asked: AbortController | undefined;
  let rough = $state(false);
  $effect(() => {
    const [r, l] = [recipe, look];
    untrack(() => ask(r, l, before ? 160 : 420));
  });
  async function ask(r: Recipe, l: string, n: number) {
    asked?.abort();
    const mine = (asked = new AbortController());
    try {
      const blob = await api.pressPicture(r, l, n, mine.signal);
      if (mine.signal.aborted) return;
      URL.revokeObjectURL(picture);
      picture = URL.createObjectURL(blob);
      error = '';
      rough = n < 420;
      if (rough) ask(r, l, 420);
    } catch (e) {
      if (!mine.signal.aborted) error = (e as Error).message;
    }
  }

  async function act(what: () => Promise<string>) {
    [busy, error, done] = [true, '', ''];
    try {
      done = await what();
    } catch (e) {
      error = (e as Error).message;
    }
    busy = false;
  }
  const asTip = () =>
    act(async () => {
      const p = await api.stampPicture(session.id, recipe, size);
      const b = ui.brush;
      b.kit = { flow: 1, ...b.kit, spacing: Math.max(b.kit?.spacing ?? 0, 1.1), picture: p.picture, tip: '' };
      b.name = recipe.name;
      if (ui.tool !== 'erase') ui.tool = 'brush';
      ui.press = false;
      return '';
    });
  const keep = () =>
    act(async () => {
      await api.keepStamp(recipe);
      await load();
      return `${recipe.name} is kept in the stock.`;
    });
  const bring = () =>
    act(async () => {
      const p = await api.stampPicture(session.id, recipe, size);
      return `${p.name} is among the project's pictures.`;
    });
  const deliver = () =>
    act(async () => {
      const url = URL.createObjectURL(await api.pressPNG(recipe, size));
      const a = document.createElement('a');
      a.href = url;
      a.download = `${recipe.name.toLowerCase().replace(/[^a-z0-9]+/g, '-')}.png`;
      a.click();
      setTimeout(() => URL.revokeObjectURL(url), 10_000);
      return `${a.download}: ${size} × ${size}, 16 bits.`;
    });
  function take(s: KnownStamp) {
    put(copy(s.recipe));
    open = { list: 'shapes', at: 0 };
  }

  // the open shape is moved on the picture, an outline's points too
  let held: { x: number; y: number; px: number; py: number; point: number } | null = null;
  const place = (e: PointerEvent | MouseEvent) => {
    const r = plate!.getBoundingClientRect();
    return [((e.clientX - r.left) / r.width) * 2 - 1, 1 - ((e.clientY - r.top) / r.height) * 2] as const;
  };
  const shape = $derived(open.list === 'shapes' ? (item as PressShape | undefined) : undefined);
  const outline = $derived(
    shape?.kind === 'outline' && !shape.repeat ? ((shape.points ?? []) as unknown as number[][]) : null,
  );
  /** from a shape's own places to the stamp's, and back */
  const frame = $derived.by(() => {
    const t = ((shape?.turn ?? 0) * Math.PI) / 180;
    const [w, h] = [(shape?.wide || 1) / 2, (shape?.tall || shape?.wide || 1) / 2];
    const [c, s] = [Math.cos(t), Math.sin(t)];
    const [x, y] = [shape?.x ?? 0, shape?.y ?? 0];
    return {
      out: (p: number[]) => [x + c * p[0] * w - s * p[1] * h, y + s * p[0] * w + c * p[1] * h],
      in: (p: readonly number[]) => [(c * (p[0] - x) + s * (p[1] - y)) / w, (c * (p[1] - y) - s * (p[0] - x)) / h],
    };
  });
  function down(e: PointerEvent, point = -1) {
    if (!shape || e.button) return;
    e.preventDefault();
    plate!.setPointerCapture(e.pointerId);
    const [px, py] = place(e);
    held = { x: shape.x ?? 0, y: shape.y ?? 0, px, py, point };
  }
  function move(e: PointerEvent) {
    if (!held) return;
    const [px, py] = place(e);
    const round = (v: number) => Math.min(Math.max(Math.round(v * 200) / 200, -2), 2);
    const { x, y, point } = held;
    const from = held;
    if (point >= 0) {
      const p = frame.in([px, py]).map((v) => Math.min(Math.max(Math.round(v * 100) / 100, -4), 4));
      show((r) => ((r.shapes![open.at].points as unknown as number[][])[point] = p));
    } else
      show((r) => {
        r.shapes![open.at].x = round(x + px - from.px);
        r.shapes![open.at].y = round(y + py - from.py);
      });
  }
  function up() {
    if (held && before) put(recipe, before);
    held = null;
  }
  function addPoint(i: number, e: MouseEvent) {
    const p = frame.in(place(e)).map((v) => Math.round(v * 100) / 100);
    change((r) => (r.shapes![open.at].points as unknown as number[][]).splice(i + 1, 0, p));
  }
  function dropPoint(i: number) {
    if ((outline?.length ?? 0) > 3) change((r) => (r.shapes![open.at].points as unknown as number[][]).splice(i, 1));
  }
  const svg = (p: number[]) => [(p[0] + 1) * 50, (1 - p[1]) * 50];

  function keys(e: KeyboardEvent) {
    if (e.key === 'Escape') ui.press = false;
    if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z') {
      step(e.shiftKey ? 'future' : 'past');
      e.preventDefault();
    }
    e.stopPropagation();
  }
  const repeats: [PressRepeat['kind'] | '', string][] = [
    ['', 'once'],
    ['row', 'in a row'],
    ['circle', 'in a circle'],
    ['field', 'in a field'],
  ];
  function setRepeat(k: string) {
    change(
      (r) =>
        (r.shapes![open.at].repeat = k
          ? ({ count: 5, step: 0.4, rows: 3, turn: true, angle: 0, ...repeat, kind: k } as PressRepeat)
          : undefined),
    );
  }
  const setPart = (part: Partial<PressRepeat>) => (r: Recipe) =>
    (r.shapes![open.at].repeat = { ...r.shapes![open.at].repeat!, ...part });
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<section class="press" aria-label="Stamp press" bind:this={root} tabindex="-1" onkeydown={keys}>
  <header>
    <h2 class="font-semibold">Stamp press</h2>
    <input
      class="name"
      aria-label="Name of the stamp"
      value={recipe.name}
      maxlength="80"
      onchange={(e) => change((r) => (r.name = e.currentTarget.value))}
    />
    <button class="chip" disabled={!past.length} onclick={() => step('past')}>Back</button>
    <button class="chip" disabled={!future.length} onclick={() => step('future')}>On</button>
    <button class="chip" onclick={() => (put(copy(blank)), (open = { list: 'shapes', at: 0 }))}>New</button>
    <span class="grow"></span>
    <select class="pick" aria-label="Size of the stamp" bind:value={size}>
      {#each [256, 512, 1024, 2048, 4096] as n (n)}<option value={n}>{n} × {n}</option>{/each}
    </select>
    <button class="chip lead" disabled={busy} onclick={asTip} title="The brush stamps it: set its size and values there"
      >Stamp with it</button
    >
    <button class="chip" disabled={busy || !recipe.name.trim()} onclick={keep}>Keep in the stock</button>
    <button class="chip" disabled={busy} onclick={bring} title="For streams and as a channel's source"
      >To the pictures</button
    >
    <button class="chip" disabled={busy} onclick={deliver} title="A greyscale picture of 16 bits">PNG</button>
    <button class="chip" onclick={() => (ui.press = false)} aria-label="Close the press">✕</button>
  </header>
  <div class="bench">
    <div class="parts">
      {@render rows('shapes')}
      <select
        class="pick add"
        aria-label="Add a shape"
        value=""
        onchange={(e) => (addShape(e.currentTarget.value), (e.currentTarget.value = ''))}
      >
        <option value="">+ shape</option>
        {#each info?.shapes ?? [] as k (k.kind)}<option value={k.kind} title={k.help}>{k.kind}</option>{/each}
      </select>
      <h3 class="quiet">then, all of it</h3>
      {@render rows('after')}
      <select
        class="pick add"
        aria-label="Add a treatment"
        value=""
        onchange={(e) => (addTreat(e.currentTarget.value), (e.currentTarget.value = ''))}
      >
        <option value="">+ treatment</option>
        {#each info?.treats ?? [] as k (k.kind)}<option value={k.kind} title={k.help}>{k.kind}</option>{/each}
      </select>
    </div>
    <div class="seen">
      <div class="looks" role="group" aria-label="Look">
        {#each info?.looks ?? ['relief'] as l (l)}
          <button aria-pressed={look === l} onclick={() => (look = l)}>{l}</button>
        {/each}
      </div>
      <div class="room">
        <div
          class="plate"
          role="application"
          aria-label="The stamp; drag to move the open shape"
          bind:this={plate}
          onpointerdown={(e) => down(e)}
          onpointermove={move}
          onpointerup={up}
          onpointercancel={up}
        >
          {#if picture}<img src={picture} alt={`The stamp as ${look}`} data-rough={rough} draggable="false" />{/if}
          {#if outline}
            <svg viewBox="0 0 100 100" aria-hidden="true">
              {#each outline as p, i (i)}
                {@const a = svg(frame.out(p))}
                {@const b = svg(frame.out(outline[(i + 1) % outline.length]))}
                <line
                  x1={a[0]}
                  y1={a[1]}
                  x2={b[0]}
                  y2={b[1]}
                  role="presentation"
                  onpointerdown={(e) => e.stopPropagation()}
                  onclick={(e) => addPoint(i, e)}
                />
              {/each}
              {#each outline as p, i (i)}
                {@const a = svg(frame.out(p))}
                <circle
                  cx={a[0]}
                  cy={a[1]}
                  r="1.6"
                  role="presentation"
                  onpointerdown={(e) => (e.stopPropagation(), down(e, i))}
                  ondblclick={() => dropPoint(i)}
                />
              {/each}
            </svg>
          {/if}
        </div>
      </div>
      {#if error}<p class="error" role="alert">{error}</p>{:else if done}<p class="quiet" role="status">{done}</p>{/if}
    </div>
    <div class="settings" aria-label="Settings of the open part" role="group">
      {#if item && kind}
        <h3 class="font-semibold">{item.kind}</h3>
        <p class="quiet text-sm">{kind.help}</p>
        <div class="grid">
          {#each kind.settings ?? [] as s (s.name)}
            <PressSettingField
              {s}
              value={(item as unknown as Record<string, unknown>)[s.name]}
              preview={(v) => show(setting(s.name, v))}
              commit={(v) => change(setting(s.name, v))}
              fail={(why) => (error = why)}
            />
          {/each}
          {#if open.list === 'shapes'}
            <span class="quiet">laid</span>
            <select
              class="pick"
              aria-label="Repeated"
              value={repeat?.kind ?? ''}
              onchange={(e) => setRepeat(e.currentTarget.value)}
            >
              {#each repeats as [k, says] (k)}<option value={k}>{says}</option>{/each}
            </select>
            {#if repeat}
              <span class="quiet">how often</span>
              <NumberField
                label="How often"
                value={repeat.count}
                min={1}
                max={64}
                whole
                preview={(v) => show(setPart({ count: v }))}
                commit={(v) => change(setPart({ count: v }))}
              />
              {#if repeat.kind === 'field'}
                <span class="quiet">rows</span>
                <NumberField
                  label="Rows"
                  value={repeat.rows ?? 1}
                  min={1}
                  max={32}
                  whole
                  preview={(v) => show(setPart({ rows: v }))}
                  commit={(v) => change(setPart({ rows: v }))}
                />
              {/if}
              <span class="quiet">{repeat.kind === 'circle' ? 'radius' : 'distance'}</span>
              <NumberField
                label={repeat.kind === 'circle' ? 'Radius of the circle' : 'Distance'}
                value={repeat.step}
                min={0.01}
                max={2}
                scale={100}
                unit="%"
                preview={(v) => show(setPart({ step: v }))}
                commit={(v) => change(setPart({ step: v }))}
              />
              <span class="quiet">from angle</span>
              <NumberField
                label="Angle of the row"
                value={repeat.angle ?? 0}
                min={-180}
                max={180}
                unit="°"
                preview={(v) => show(setPart({ angle: v }))}
                commit={(v) => change(setPart({ angle: v }))}
              />
              {#if repeat.kind === 'circle'}
                <span class="quiet">turned outward</span>
                <input
                  type="checkbox"
                  aria-label="Turned outward"
                  checked={repeat.turn}
                  onchange={(e) => change(setPart({ turn: e.currentTarget.checked }))}
                />
              {/if}
            {/if}
          {/if}
        </div>
        {#if open.list === 'shapes'}<button class="chip" onclick={() => double(open.at)}>Double</button>{/if}
      {:else}
        <p class="quiet">Add a shape to begin with, or take a stamp from below.</p>
      {/if}
    </div>
  </div>
  <div class="shelf">
    <div class="flex flex-col gap-1">
      <input class="find" placeholder="find" aria-label="Find a stamp" bind:value={find} />
      <span class="quiet text-sm">{known.length} stamps</span>
    </div>
    <div class="strip" role="list" aria-label="Stamps">
      {#each known as s (s.id)}
        <div role="listitem" class="cell">
          <button onclick={() => take(s)} aria-label={`Take ${s.recipe.name}`} title={`${s.recipe.name} · ${s.group}`}>
            <img
              src={s.group === 'kept'
                ? `/api/stock/${s.id}/picture`
                : `/api/press/stamps/${encodeURIComponent(s.id)}/picture`}
              alt=""
              width="68"
              height="68"
              loading="lazy"
            />
          </button>
          {#if s.group === 'kept'}
            <button
              class="away"
              aria-label={`Delete ${s.recipe.name}`}
              onclick={() =>
                act(async () => {
                  await api.dropStock(s.id);
                  await load();
                  return `${s.recipe.name} was deleted from the stock.`;
                })}>✕</button
            >
          {/if}
        </div>
      {/each}
    </div>
  </div>
</section>

{#snippet rows(l: 'shapes' | 'after')}
  {#each recipe[l] ?? [] as s, i (i)}
    {@const is = open.list === l && open.at === i}
    <div class="row" class:is class:off={s.off}>
      <input
        type="checkbox"
        aria-label={`Use ${s.kind} ${i + 1}`}
        checked={!s.off}
        onchange={(e) => change((r) => (r[l]![i].off = !e.currentTarget.checked || undefined))}
      />
      <button class="plain grow truncate" aria-expanded={is} onclick={() => (open = { list: l, at: i })}
        >{(s as PressShape).text || s.kind}<span class="quiet pl-2"
          >{l === 'shapes' && i ? ((s as PressShape).combine ?? 'highest') : ''}</span
        ></button
      >
      {#if is}
        <button class="plain" aria-label="Up" disabled={!i} onclick={() => shift(l, i, -1)}>↑</button>
        <button class="plain" aria-label="Down" onclick={() => shift(l, i, 1)}>↓</button>
        <button class="plain" aria-label={`Take ${s.kind} away`} onclick={() => drop(l, i)}>✕</button>
      {/if}
    </div>
  {/each}
{/snippet}

<style>
  .press {
    position: absolute;
    inset: 44px 0 0 344px;
    z-index: 8;
    background: var(--panel);
    display: grid;
    grid-template-rows: auto 1fr auto;
    outline: none;
    border-left: 1px solid var(--line);
  }
  header {
    display: flex;
    gap: 6px;
    align-items: center;
    padding: 7px 12px;
    border-bottom: 1px solid var(--line);
    flex-wrap: wrap;
  }
  .name {
    width: 140px;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 4px 8px;
  }
  .lead {
    border-color: var(--plum);
  }
  .bench {
    display: grid;
    grid-template-columns: 206px minmax(0, 1fr) 268px;
    min-height: 0;
  }
  .parts,
  .settings {
    overflow: auto;
    padding: 8px 10px;
    display: flex;
    flex-direction: column;
    gap: 2px;
  }
  .parts {
    border-right: 1px solid var(--line);
  }
  .settings {
    border-left: 1px solid var(--line);
    gap: 6px;
  }
  .parts h3 {
    padding-top: 10px;
    font-size: 13px;
  }
  .row {
    display: flex;
    gap: 6px;
    align-items: center;
    min-height: 30px;
    padding: 0 4px;
    border-left: 3px solid transparent;
  }
  .row.is {
    background: var(--plum-soft);
    border-left-color: var(--plum);
  }
  .row.off {
    opacity: 0.5;
  }
  .row .plain {
    min-height: 28px;
    min-width: 18px;
  }
  .add {
    color: var(--quiet);
    align-self: start;
  }
  .seen {
    display: grid;
    grid-template-rows: auto 1fr auto;
    justify-items: center;
    padding: 8px;
    gap: 6px;
    min-height: 0;
    background: #4a4a4a;
  }
  .looks {
    display: flex;
    background: var(--panel);
    border: 1px solid var(--line);
    border-radius: 4px;
  }
  .looks button {
    min-height: 28px;
    padding: 0 10px;
    color: var(--quiet);
  }
  .looks button[aria-pressed='true'] {
    color: var(--text);
    box-shadow: inset 0 -2px var(--verdigris);
  }
  .room {
    container-type: size;
    width: 100%;
    height: 100%;
    display: grid;
    place-items: center;
  }
  .plate {
    position: relative;
    width: min(100cqw, 100cqh);
    aspect-ratio: 1;
    touch-action: none;
    cursor: move;
  }
  .plate img,
  .plate svg {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    object-fit: contain;
  }
  .plate line {
    stroke: var(--plum);
    stroke-width: 0.7;
    cursor: copy;
  }
  .plate circle {
    fill: var(--plum);
    stroke: #222;
    stroke-width: 0.4;
    cursor: grab;
  }
  .grid {
    display: grid;
    grid-template-columns: 88px 1fr;
    gap: 3px 8px;
    align-items: center;
    font-size: 13px;
  }
  .error {
    border-left: 4px solid var(--brick);
    padding: 2px 8px;
    background: var(--panel);
  }
  .shelf {
    border-top: 1px solid var(--line);
    display: grid;
    grid-template-columns: 110px 1fr;
    gap: 10px;
    padding: 8px 12px;
  }
  .find {
    width: 100%;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 4px 8px;
  }
  .strip {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    overflow-y: auto;
    max-height: 148px;
  }
  .cell {
    position: relative;
  }
  .cell button:first-child {
    display: block;
    border: 1px solid transparent;
    border-radius: 3px;
    overflow: hidden;
  }
  .cell button:first-child:hover {
    border-color: var(--plum);
  }
  .away {
    position: absolute;
    right: 1px;
    top: 1px;
    min-width: 22px;
    background: color-mix(in srgb, var(--panel) 80%, transparent);
    border-radius: 3px;
  }
</style>
