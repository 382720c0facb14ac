<script lang="ts">
  // The picture editor: a stand-in for the programs in which views are painted over. It opens a layered picture, and
  // sends it back to the project that it came from.
  import { onMount } from 'svelte';
  import { api, type Job } from '../api/client';
  import { MODES, modeName } from '../editor/compose';
  import { Easel, type Tool, type Touch } from '../editor/easel.svelte';
  import { read, write, type Node } from '../editor/ora';
  import { fromHex, toHex } from '../lib/color';
  import Alarm from '../parts/Alarm.svelte';
  import ColorField from '../parts/ColorField.svelte';
  import NumberField from '../parts/NumberField.svelte';

  let { job, dark = $bindable() }: { job: string; dark: boolean } = $props();
  const easel = new Easel();
  let from = $state.raw<Job | null>(null);
  let name = $state('');
  let failed = $state('');
  let busy = $state('');
  let back = $state.raw<Job | null>(null);
  let screen = $state<HTMLCanvasElement>();
  let holder: HTMLElement;
  let zoom = $state(1);
  let at = $state({ x: 0, y: 0 });
  let pointer = $state.raw<{ x: number; y: number } | null>(null);

  /** groups that are unfolded or folded by hand; else those that are hidden are folded */
  let folded = $state.raw(new Map<Node, boolean>());
  const isFolded = (n: Node) => folded.get(n) ?? n.hidden;

  const tools: [Tool, string, string][] = [
    ['brush', 'b', 'Lay colour'],
    ['erase', 'e', 'Take away what the layer has'],
    ['push', 'u', 'Push what the layer shows, within what is drawn round'],
    ['lasso', 'j', 'Draw round a region: only that is worked on; with Shift one more'],
    ['pick', 'k', 'Take a colour from the picture'],
    ['shift', 'h', 'Move the picture under the window; the wheel comes nearer'],
  ];

  async function load(bytes: Uint8Array, called: string) {
    name = called;
    easel.open(await read(bytes));
    fit();
  }
  async function openFile(list: FileList | null | undefined) {
    const f = list?.[0];
    if (!f) return;
    failed = '';
    try {
      from = null;
      await load(new Uint8Array(await f.arrayBuffer()), f.name);
    } catch (e) {
      failed = `${f.name}: ${(e as Error).message}`;
    }
  }
  onMount(async () => {
    if (!job) return;
    busy = 'Opening the picture …';
    try {
      const j = await api.job(job);
      const file = j.files?.[0];
      if (!file) throw new Error('The picture is not there any more; send the view out again.');
      const answer = await fetch(`/api/jobs/${j.id}/files/${encodeURIComponent(file.name)}`);
      if (!answer.ok) throw new Error('The picture could not be fetched; send the view out again.');
      from = j;
      await load(new Uint8Array(await answer.arrayBuffer()), file.name);
    } catch (e) {
      failed = (e as Error).message;
    }
    busy = '';
  });
  $effect(() => {
    if (screen) easel.show(screen);
  });

  /** The whole picture in the window. */
  function fit() {
    const p = easel.picture;
    if (!p || !holder) return;
    const [w, h] = [holder.clientWidth, holder.clientHeight];
    zoom = Math.min((w - 40) / p.w, (h - 40) / p.h, 4);
    at = { x: (w - p.w * zoom) / 2, y: (h - p.h * zoom) / 2 };
  }
  function nearer(by: number, x: number, y: number) {
    const to = Math.min(Math.max(zoom * by, 0.05), 32);
    at = { x: x - ((x - at.x) * to) / zoom, y: y - ((y - at.y) * to) / zoom };
    zoom = to;
  }
  const place = (e: PointerEvent | WheelEvent) => {
    const box = holder.getBoundingClientRect();
    return { x: e.clientX - box.left, y: e.clientY - box.top };
  };
  function touch(e: PointerEvent): Touch {
    const p = place(e);
    return {
      x: (p.x - at.x) / zoom,
      y: (p.y - at.y) / zoom,
      pressure: e.pointerType === 'pen' ? e.pressure : 1,
    };
  }

  /** what a press does until it ends, and whose pointer it is */
  let deed = $state('');
  let owner = -1;
  let round = $state.raw<Touch[]>([]);
  let more = false;
  function down(e: PointerEvent) {
    if (!easel.picture || owner >= 0) return; // a palm beside the pen
    (document.activeElement as HTMLElement | null)?.blur?.();
    holder.setPointerCapture(e.pointerId);
    owner = e.pointerId;
    if (e.button === 1 || easel.tool === 'shift') deed = 'shift';
    else if (e.button !== 0) owner = -1;
    else if (easel.tool === 'pick' || e.altKey) {
      deed = 'pick';
      easel.pick(touch(e));
    } else if (easel.tool === 'lasso') {
      deed = 'lasso';
      more = e.shiftKey;
      round = [touch(e)];
    } else {
      deed = 'work';
      easel.down(touch(e));
    }
  }
  function move(e: PointerEvent) {
    pointer = place(e);
    if (e.pointerId !== owner) return;
    if (deed === 'shift') at = { x: at.x + e.movementX, y: at.y + e.movementY };
    else if (deed === 'pick') easel.pick(touch(e));
    else {
      const list = (e.getCoalescedEvents?.() ?? []).map(touch);
      const all = list.length ? list : [touch(e)];
      if (deed === 'lasso') round = [...round, ...all];
      else if (deed === 'work') easel.move(all);
    }
  }
  function up(e: PointerEvent) {
    if (e.pointerId !== owner) return;
    if (deed === 'lasso') easel.select(round, more);
    if (deed === 'work') easel.up();
    [deed, owner, round] = ['', -1, []];
  }
  function lost(e: PointerEvent) {
    if (e.pointerId !== owner) return;
    if (deed === 'work') easel.cancel();
    [deed, owner, round] = ['', -1, []];
  }
  function keydown(e: KeyboardEvent) {
    if (e.target instanceof HTMLElement && e.target.closest('input, select, textarea')) return;
    const k = e.key.toLowerCase();
    if (e.ctrlKey || e.metaKey) {
      if (k === 's') (e.preventDefault(), void save());
      if (k === 'z') (e.preventDefault(), e.shiftKey ? easel.redo() : easel.undo());
      if (k === 'y') (e.preventDefault(), easel.redo());
      return;
    }
    const tool = tools.find((t) => t[1] === k);
    if (tool) easel.tool = tool[0];
    if (k === 'f') fit();
    if (k === 'escape') {
      if (deed === 'work') {
        easel.cancel();
        [deed, owner] = ['', -1];
      } else if (easel.outlines.length) easel.select([], false);
    }
    if (k === '[' || k === ']') easel.size = Math.min(Math.max(easel.size * (k === ']' ? 1.15 : 1 / 1.15), 1), 600);
  }

  async function bytes() {
    const p = easel.picture!;
    return write(p, easel.merged());
  }
  /** Sends the picture back to its project. */
  async function save() {
    if (!easel.picture || busy) return;
    if (!from) return void download();
    busy = 'Writing the picture …';
    failed = '';
    const upTo = easel.unsaved;
    try {
      const file = new Blob([(await bytes()) as BlobPart], { type: 'image/openraster' });
      busy = 'Taking it back …';
      let j = await api.takeView(from.project, file, name);
      while (['waiting', 'running', 'ready'].includes(j.state)) {
        await new Promise((r) => setTimeout(r, 250));
        j = await api.job(j.id);
      }
      if (j.state !== 'done') throw new Error(j.note || `it was ${j.state}`);
      back = j;
      easel.unsaved -= upTo;
    } catch (e) {
      failed = (e as Error).message;
    }
    busy = '';
  }
  async function download() {
    busy = 'Writing the picture …';
    try {
      const a = document.createElement('a');
      a.href = URL.createObjectURL(new Blob([(await bytes()) as BlobPart], { type: 'image/openraster' }));
      a.download = /\.ora$/i.test(name) ? name : `${name || 'picture'}.ora`;
      a.click();
      setTimeout(() => URL.revokeObjectURL(a.href), 10000);
      if (!from) easel.unsaved = 0;
    } catch (e) {
      failed = (e as Error).message;
    }
    busy = '';
  }
  const says = $derived(
    busy ||
      (easel.unsaved > 0
        ? 'not saved yet'
        : back
          ? `taken back ${new Date(back.at).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' })}`
          : ''),
  );
  const d = (list: Touch[]) => list.map((t) => `${t.x * zoom + at.x},${t.y * zoom + at.y}`).join(' ');
  const radius = $derived((easel.size / 2) * zoom);
</script>

<svelte:window onkeydown={keydown} onbeforeunload={(e) => easel.unsaved > 0 && e.preventDefault()} />
<div
  class="frame"
  role="presentation"
  ondragover={(e) => e.preventDefault()}
  ondrop={(e) => (e.preventDefault(), openFile(e.dataTransfer?.files))}
>
  <header>
    <a href="#/" class="font-semibold" style:color="var(--plum)" title="All projects">Velvet Grime</a>
    <span class="quiet">/</span>
    <h1 class="truncate font-semibold">Picture editor{name ? `: ${name}` : ''}</h1>
    <span class="grow"></span>
    <span class="says" class:off={easel.unsaved > 0} role="status">{says}</span>
    <button
      class="chip"
      disabled={!easel.done.length}
      title={`Undo: ${easel.done.at(-1)?.label ?? ''} (Ctrl Z)`}
      onclick={() => easel.undo()}>Undo</button
    >
    <button
      class="chip"
      disabled={!easel.undone.length}
      title={`Redo: ${easel.undone.at(-1)?.label ?? ''} (Ctrl Shift Z)`}
      onclick={() => easel.redo()}>Redo</button
    >
    <label class="chip grid cursor-pointer place-content-center"
      >Open a file<input
        class="sr-only"
        type="file"
        accept=".ora"
        onchange={(e) => openFile(e.currentTarget.files)}
      /></label
    >
    <button class="chip" disabled={!easel.picture || !!busy} onclick={download}>Download</button>
    {#if from}
      <button
        class="chip strong"
        disabled={!easel.picture || !!busy}
        title="Back to the project it came from (Ctrl S)"
        onclick={save}>Save</button
      >
      <a class="chip grid place-content-center" href={`#/project/${from.project}`}>To the project</a>
    {/if}
    <button class="chip" onclick={() => (dark = !dark)} title="Light or dark surroundings"
      >{dark ? 'Light' : 'Dark'}</button
    >
  </header>
  <aside aria-label="Layers">
    <div class="flex items-center gap-2 pb-1">
      <h2 class="grow font-semibold">Layers</h2>
      <button class="chip" disabled={!easel.picture} onclick={() => easel.add()}>+ layer</button>
    </div>
    {#key easel.changes}
      {#if easel.picture}<ul aria-label="Layers of the picture">{@render rows(easel.picture.nodes)}</ul>{/if}
    {/key}
    {#if back?.note}
      <p class="note" role="status">{back.note}</p>
    {/if}
  </aside>
  <main
    bind:this={holder}
    aria-label="The picture"
    class:work={['brush', 'erase', 'push'].includes(easel.tool)}
    class:shift={easel.tool === 'shift'}
    onpointerdown={down}
    onpointermove={move}
    onpointerup={up}
    onpointercancel={lost}
    onpointerleave={() => (pointer = null)}
    onwheel={(e) => {
      e.preventDefault();
      const p = place(e);
      nearer(Math.exp(-e.deltaY * 0.0015), p.x, p.y);
    }}
  >
    {#if easel.picture}
      <canvas
        bind:this={screen}
        width={easel.picture.w}
        height={easel.picture.h}
        class:sharp={zoom > 2}
        style:transform={`translate(${at.x}px, ${at.y}px) scale(${zoom})`}
      ></canvas>
      <svg aria-hidden="true">
        {#each easel.outlines as o, i (i)}<polygon class="round" points={d(o)} />{/each}
        {#if round.length}<polyline class="round" points={d(round)} />{/if}
        {#if pointer && ['brush', 'erase', 'push'].includes(easel.tool)}
          <circle class="cursor under" cx={pointer.x} cy={pointer.y} r={Math.max(radius, 2)} />
          <circle class="cursor" cx={pointer.x} cy={pointer.y} r={Math.max(radius, 2)} />
        {/if}
      </svg>
    {:else if !busy && !failed}
      <p class="empty">
        Open a layered picture (.ora), or drop one here.<br />A project's view comes here by
        <b>Paint over</b>.
      </p>
    {/if}
    {#if failed || easel.message}
      <Alarm says={failed || easel.message} close={() => ([failed, easel.message] = ['', ''])} />
    {/if}
  </main>
  <footer aria-label="Brush">
    <div class="flex gap-1" role="toolbar" aria-label="Tools">
      {#each tools as [tool, key, help] (tool)}
        <button
          class="tool"
          aria-pressed={easel.tool === tool}
          title={`${help} (${key.toUpperCase()})`}
          onclick={() => (easel.tool = tool)}>{tool[0].toUpperCase() + tool.slice(1)}</button
        >
      {/each}
      <button class="tool" title="All of the picture in the window (F)" onclick={fit}>Frame</button>
    </div>
    <div class="settings">
      {#if easel.tool === 'lasso'}
        {@render number('Soft edge', easel.feather, 0, 200, 'px', 1, (v) => ((easel.feather = v), easel.soften()), 6)}
        <button class="chip" disabled={!easel.outlines.length} onclick={() => easel.select([], false)}
          >Everything</button
        >
        <span class="quiet"
          >{easel.outlines.length
            ? 'Only what is drawn round is worked on.'
            : 'Draw round what is to be worked on.'}</span
        >
      {:else if easel.tool === 'push'}
        {@render number('Size', easel.size, 2, 600, 'px', 1, (v) => (easel.size = v), 40, true)}
        {@render number('Strength', easel.strength, 0.05, 1, '%', 100, (v) => (easel.strength = v), 1)}
        <span class="quiet">What is drawn round is pushed alone.</span>
      {:else if easel.tool === 'brush' || easel.tool === 'erase'}
        {#if easel.tool === 'brush'}
          <span class="flex items-center gap-1"
            >Colour <ColorField
              label="Colour"
              value={fromHex(easel.color) ?? [0, 0, 0]}
              preview={(v) => (easel.color = toHex(v))}
              commit={(v) => (easel.color = toHex(v))}
            /></span
          >
        {/if}
        {@render number('Size', easel.size, 1, 600, 'px', 1, (v) => (easel.size = v), 40, true)}
        {@render number('Hardness', easel.hardness, 0, 1, '%', 100, (v) => (easel.hardness = v), 0.6)}
        {@render number('Flow', easel.flow, 0.02, 1, '%', 100, (v) => (easel.flow = v), 0.8)}
        {@render number('Opacity', easel.opacity, 0.02, 1, '%', 100, (v) => (easel.opacity = v), 1)}
        <label class="check"><input type="checkbox" bind:checked={easel.pressesSize} /> pressure sizes</label>
        <label class="check"><input type="checkbox" bind:checked={easel.pressesFlow} /> pressure flows</label>
      {:else if easel.tool === 'pick'}
        <span class="quiet">Takes the colour that is seen; Alt does that with any brush.</span>
        <span class="swatch" style:background={easel.color}></span>{easel.color}
      {/if}
    </div>
  </footer>
</div>

{#snippet number(
  label: string,
  value: number,
  min: number,
  max: number,
  unit: string,
  scale: number,
  set: (v: number) => void,
  fallback: number,
  log = false,
)}
  <span class="flex items-center gap-1"
    >{label}<span class="w-20"
      ><NumberField {label} {value} {min} {max} {unit} {scale} {fallback} {log} preview={set} commit={set} /></span
    ></span
  >
{/snippet}

{#snippet rows(list: Node[])}
  {#each list as n (n)}
    {@const own = easel.own.includes(n.name)}
    <li class:chosen={easel.chosen === n}>
      <button
        class="eye"
        aria-label={`${n.hidden ? 'Show' : 'Hide'} ${n.name}`}
        aria-pressed={!n.hidden}
        onclick={() => easel.set(n, { hidden: !n.hidden }, `${n.hidden ? 'Show' : 'Hide'} ${n.name}`)}
        >{n.hidden ? '○' : '●'}</button
      >
      <button
        class="plain name"
        aria-current={easel.chosen === n}
        title={n.name}
        onclick={() => ((easel.chosen = n), (easel.message = ''))}>{n.name || 'without a name'}</button
      >
      {#if n.layers}
        <button
          class="chip small"
          aria-expanded={!isFolded(n)}
          aria-label={`Layers of ${n.name}`}
          onclick={() => (folded = new Map(folded).set(n, !isFolded(n)))}>{n.layers.length}</button
        >
      {/if}
      {#if own}<span class="quiet small">the view</span>{/if}
      {#if easel.chosen === n && !own}
        <div class="of">
          <input
            class="field"
            aria-label="Name of the layer"
            value={n.name}
            maxlength="100"
            onchange={(e) => easel.set(n, { name: e.currentTarget.value }, 'Name a layer')}
          />
          <span class="w-16"
            ><NumberField
              label={`Opacity of ${n.name}`}
              value={n.opacity}
              min={0}
              max={1}
              unit="%"
              scale={100}
              fallback={1}
              preview={(v) => easel.preview(n, { opacity: v })}
              commit={(v) => easel.set(n, { opacity: v }, `Opacity of ${n.name}`)}
            /></span
          >
          <select
            class="pick"
            aria-label={`Blend mode of ${n.name}`}
            value={n.mode}
            onchange={(e) => easel.set(n, { mode: e.currentTarget.value }, `Blend mode of ${n.name}`)}
          >
            {#each Object.keys(MODES) as m (m)}<option value={m}>{modeName(m)}</option>{/each}
            {#if !MODES[n.mode]}<option value={n.mode}>{n.mode}</option>{/if}
          </select>
          <span class="grow"></span>
          <button class="chip" aria-label={`Move ${n.name} up`} onclick={() => easel.step(n, -1)}>↑</button>
          <button class="chip" aria-label={`Move ${n.name} down`} onclick={() => easel.step(n, 1)}>↓</button>
          <button class="chip" aria-label={`Delete ${n.name}`} onclick={() => easel.remove(n)}>✕</button>
        </div>
      {/if}
      {#if n.layers && !isFolded(n)}
        <ul>{@render rows(n.layers)}</ul>
      {/if}
    </li>
  {/each}
{/snippet}

<style>
  .frame {
    display: grid;
    height: 100%;
    grid-template: 44px 1fr auto / 264px 1fr;
    grid-template-areas: 'top top' 'side view' 'work work';
  }
  header {
    grid-area: top;
    display: flex;
    align-items: center;
    gap: 8px;
    padding: 0 14px;
    background: var(--panel);
    border-bottom: 1px solid var(--line);
    min-width: 0;
  }
  .says {
    color: var(--verdigris);
    white-space: nowrap;
  }
  .says.off {
    color: var(--ochre);
  }
  .strong {
    border-color: var(--plum);
    background: var(--plum-soft);
  }
  aside {
    grid-area: side;
    background: var(--panel);
    border-right: 1px solid var(--line);
    padding: 8px 10px;
    overflow: auto;
    min-height: 0;
  }
  main {
    grid-area: view;
    position: relative;
    overflow: hidden;
    touch-action: none;
    background: var(--bg);
  }
  main.work {
    cursor: none;
  }
  main.shift {
    cursor: grab;
  }
  canvas {
    position: absolute;
    left: 0;
    top: 0;
    transform-origin: 0 0;
    /* what is clear */
    background: repeating-conic-gradient(#4b4b4b 0 25%, #535353 0 50%) 0 0 / 24px 24px;
  }
  canvas.sharp {
    image-rendering: pixelated;
  }
  svg {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    pointer-events: none;
  }
  .round {
    fill: none;
    stroke: var(--ochre);
    stroke-width: 1.5;
    stroke-dasharray: 5 4;
  }
  .cursor {
    fill: none;
    stroke: #fff;
  }
  .cursor.under {
    stroke: #000;
    stroke-width: 3;
    opacity: 0.5;
  }
  footer {
    grid-area: work;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 6px 16px;
    padding: 6px 14px;
    min-height: 44px;
    background: var(--panel);
    border-top: 1px solid var(--line);
  }
  .settings {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 12px;
    font-size: 13px;
  }
  .tool {
    min-height: 28px;
    padding: 0 11px;
    border-radius: 3px;
  }
  .tool[aria-pressed='true'] {
    background: var(--raised);
    box-shadow: inset 0 -2px var(--verdigris);
  }
  ul ul {
    margin-left: 14px;
    width: 100%;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px;
    border-top: 1px solid var(--line);
    padding: 2px 0;
    font-size: 13px;
  }
  li.chosen {
    box-shadow: inset 3px 0 var(--plum);
    padding-left: 6px;
  }
  .name {
    flex: 1;
    min-width: 0;
    min-height: 28px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .eye {
    width: 28px;
    min-height: 28px;
    color: var(--verdigris);
  }
  .eye[aria-pressed='false'] {
    color: var(--quiet);
  }
  .of .chip {
    padding: 0 7px;
  }
  .of .pick {
    max-width: 80px;
  }
  .of {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    width: 100%;
    align-items: center;
    padding-bottom: 4px;
  }
  .field {
    flex: 1 0 100%;
    min-width: 0;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 2px 6px;
  }
  .small {
    font-size: 12px;
  }
  .check {
    display: flex;
    align-items: center;
    gap: 4px;
  }
  .swatch {
    width: 22px;
    height: 22px;
    border-radius: 3px;
    border: 1px solid var(--line);
  }
  .note {
    margin-top: 10px;
    padding: 6px 8px;
    border-left: 4px solid var(--ochre);
    font-size: 13px;
    white-space: pre-line;
  }
  .empty {
    display: grid;
    height: 100%;
    place-content: center;
    text-align: center;
    color: var(--quiet);
  }
  main :global(.alarm) {
    top: 12px;
  }
</style>
