<script lang="ts">
  // The brush, with a drawn preview of a stroke as it will be.
  import { api, type Brushes, type Drive, type Kit } from '../api/client';
  import { play, recordings } from '../lib/pen';
  import type { Session } from '../lib/session.svelte';
  import type { Target, UI } from '../lib/ui.svelte';
  import ColorField from './ColorField.svelte';
  import CurveField from './CurveField.svelte';
  import BrushShelf from './BrushShelf.svelte';
  import OtherSide from './OtherSide.svelte';
  import PictureField from './PictureField.svelte';
  import NumberField from './NumberField.svelte';

  let { session, ui, t }: { session: Session; ui: UI; t: Target } = $props();
  const b = $derived(ui.brush);
  const inMask = $derived(t.channels.includes('mask'));
  const k = $derived(b.kit);
  const materials = $derived(session.rows.map((r) => r.layer).filter((l) => l.kind === 'fill'));
  const material = $derived(materials.find((l) => l.id === b.of));
  /** Takes a fill layer as paint; the paint layer gets the channels that it has. */
  function takeMaterial(e: Event & { currentTarget: HTMLSelectElement }) {
    b.of = e.currentTarget.value;
    const from = session.layer(b.of);
    const to = session.layer(t.layer);
    if (!from || to?.kind !== 'paint') return;
    const missing = Object.entries(from.channels ?? {}).filter(([c, coat]) => coat.on && !to.channels?.[c]?.on);
    if (!missing.length) return;
    session.op({
      kind: 'batch',
      label: `${to.name}: channels of ${from.name}`,
      ops: missing.map(([c, coat]) => ({
        kind: 'layer.set',
        target: to.id,
        path: `channels.${c}`,
        value: { on: true, blend: coat.blend, amount: 1 },
      })),
    });
  }
  /** channels that go from 0 to 1 */
  const likenesses = $derived(session.channels.filter((c) => c.channel !== 'normal' && c.min >= 0 && c.max <= 1));
  type Tab = 'line' | 'tip' | 'chance' | 'pen' | 'twins';
  const tabs: [Tab, string, string][] = [
    ['line', 'Line', 'Size, strength and what is laid'],
    ['tip', 'Tip', 'The form that is set down, and how close'],
    ['chance', 'Chance', 'What differs from dab to dab'],
    ['pen', 'Pen', 'What pressure and tilt drive; what surfaces take paint'],
    ['twins', 'Twins', 'Symmetry: where each stroke is repeated'],
  ];
  let tab = $state<Tab>('line');
  let shelf = $state(false);
  let about = $state.raw<Brushes | null>(null);
  api.brushes().then(
    (x) => (about = x),
    () => {},
  );

  // a stroke as it will be, drawn by what draws strokes
  let picture = $state('');
  $effect(() => {
    const made = ui.madeBrush();
    made.values = inMask ? { mask: [b.mask] } : t.channels.includes('baseColor') ? { baseColor: [...b.color] } : {};
    if (t.channels.includes('height') && !inMask) made.values.height = [b.values.height ?? 0];
    const wait = setTimeout(() => {
      api.brushPicture(made).then(
        (url) => {
          URL.revokeObjectURL(picture);
          picture = url;
        },
        () => {},
      );
    }, 70);
    return () => clearTimeout(wait);
  });

  /** The kit, made where there is none: then the brush sets dabs. */
  function kit(): Kit {
    return (b.kit ??= { spacing: 0.08, flow: 1 } as Kit);
  }
  const set = <K extends keyof Kit>(key: K, v: Kit[K]) => (kit()[key] = v);
  const drives = $derived((k?.pen ?? []) as Drive[]);
  function drive(what: string, by: string) {
    const rest = drives.filter((d) => d.what !== what);
    const was = drives.find((d) => d.what === what);
    const full = what === 'angle' || what === 'hue' ? 0.25 : 1;
    set('pen', by ? [...rest, { from: 0.1, to: full, bend: 1, ...was, by, what } as Drive] : rest);
  }
  function bend(what: string, part: Partial<Drive>) {
    set(
      'pen',
      drives.map((d) => (d.what === what ? { ...d, ...part } : d)),
    );
  }
  const straight = () => [
    [0, 0],
    [1, 1],
  ];
  /** A curve has two points at least. */
  const pair = (c: number[][]) => (c.length > 1 ? c : [...c, [1, c[0][1]]].map((p, i) => [i, p[1]]));
  let played = $state(recordings[0].name);
  let playing = $state(false);
  async function practise() {
    const canvas = document.querySelector<HTMLElement>('canvas[data-settled]');
    const r = recordings.find((x) => x.name === played);
    if (!canvas || !r) return;
    playing = true;
    const b = canvas.getBoundingClientRect();
    const side = Math.min(b.width, b.height) * 0.22;
    await play(r, canvas, new DOMRect(b.left + b.width / 2 - side / 2, b.top + b.height / 2 - side / 2, side, side));
    playing = false;
  }
  /** A blend mode by its name; of heights alone, what it comes to. */
  function saysMode(m: string): string {
    if (t.channels.join() !== 'height') return m || 'normal';
    return { '': 'to this height (normal)', add: 'raises by it (add)', subtract: 'lowers by it (subtract)' }[m] ?? m;
  }
  const modes = ['', 'multiply', 'screen', 'overlay', 'darken', 'lighten', 'add', 'subtract', 'soft light', 'color'];
</script>

<section class="brush" aria-label="Brush">
  <div class="head">
    <h3 class="font-semibold">
      {{ erase: 'Eraser', fill: 'Fill', clone: 'Clone', smear: 'Smear' }[ui.tool as string] ?? 'Brush'}
    </h3>
    <button
      class="shown"
      onclick={() => (shelf = !shelf)}
      aria-label={`Brushes: ${b.name}`}
      title={`${b.name}; a click takes another brush`}
    >
      {#if picture}<img src={picture} alt="Preview of a stroke" />{/if}
      <span>{b.name}</span>
    </button>
    <span class="quiet says" title={t.text}>{t.text}</span>
    <div class="tabs" role="tablist" aria-label="Settings of the brush">
      {#each tabs as [id, label, help] (id)}
        <button role="tab" aria-selected={tab === id} title={help} onclick={() => (tab = id)}>{label}</button>
      {/each}
    </div>
  </div>
  {#if tab === 'line'}
    <div class="grid">
      {#if ui.tool === 'clone'}
        <span class="quiet" title="What was painted there, in this layer or hand step, is laid under the brush"
          >takes from</span
        >
        <span class="flex gap-1">
          <button class="chip" aria-pressed={ui.marking} onclick={() => (ui.marking = true)}
            >{ui.source ? 'mark anew' : 'mark a place'}</button
          >
          <select
            class="pick"
            aria-label="How the place goes with the strokes"
            value={ui.follows}
            onchange={(e) => (ui.follows = e.currentTarget.value as UI['follows'])}
          >
            <option value="along">it moves along</option>
            <option value="anew">each stroke begins there</option>
            <option value="stays">each dab takes it</option>
          </select>
        </span>
      {/if}
      {#if ui.tool !== 'fill'}
        <button
          class="quiet text-left"
          title={b.onScreen
            ? 'Fixed on the screen; a click fixes it on the model'
            : 'Fixed on the model; a click fixes it on the screen'}
          aria-label="Size fixed on the screen"
          aria-pressed={b.onScreen}
          onclick={() => (b.onScreen = !b.onScreen)}>{b.onScreen ? 'size, screen' : 'size, model'}</button
        >
        {#if b.onScreen}
          <NumberField
            label="Brush size on the screen"
            value={b.pixels}
            min={1}
            max={400}
            log
            unit="px"
            scale={2}
            fallback={24}
            commit={(v) => (b.pixels = v)}
            preview={(v) => (b.pixels = v)}
          />
        {:else}
          <NumberField
            label="Brush size"
            value={b.size}
            min={0.0002}
            max={0.5}
            log
            unit="mm"
            scale={2000}
            fallback={0.008}
            commit={(v) => (b.size = v)}
            preview={(v) => (b.size = v)}
          />
        {/if}
      {/if}
      <span class="quiet">strength</span>
      <NumberField
        label="Strength"
        value={b.strength}
        min={0}
        max={1}
        unit="%"
        scale={100}
        fallback={1}
        commit={(v) => (b.strength = v)}
        preview={(v) => (b.strength = v)}
      />
      {#if ui.tool !== 'fill'}
        <span class="quiet">hardness</span>
        <NumberField
          label="Hardness"
          value={b.hardness}
          min={0}
          max={1}
          unit="%"
          scale={100}
          fallback={0.4}
          commit={(v) => (b.hardness = v)}
          preview={(v) => (b.hardness = v)}
        />
      {/if}
      {#if inMask}
        <span class="quiet">leaves</span>
        <span class="flex gap-1">
          <button class="chip" aria-pressed={b.mask < 0.5} class:on={b.mask < 0.5} onclick={() => (b.mask = 0)}
            >hide</button
          >
          <button class="chip" aria-pressed={b.mask >= 0.5} class:on={b.mask >= 0.5} onclick={() => (b.mask = 1)}
            >show</button
          >
        </span>
      {/if}
      {#if !inMask && materials.length}
        <span class="quiet" title="A fill layer whose channels are laid as they are there, its patterns too"
          >material</span
        >
        <select class="pick" aria-label="Material that is laid" value={material?.id ?? ''} onchange={takeMaterial}>
          <option value="">these values</option>
          {#each materials as m (m.id)}<option value={m.id}>{m.name}</option>{/each}
        </select>
      {/if}
      {#each session.channels.filter((c) => !material && t.channels.includes(c.channel) && c.channel !== 'normal') as c (c.channel)}
        <span class="quiet">{c.label}</span>
        {#if c.channel === 'baseColor'}
          <ColorField label="Brush color" {ui} value={b.color} commit={(v) => (b.color = v)} />
        {:else if c.channel === 'emissive'}
          <ColorField
            label="Brush emissive"
            channel="emissive"
            {ui}
            value={b.emissive}
            commit={(v) => (b.emissive = v)}
          />
        {:else if c.components === 3}
          <span class="quiet">the brush's color</span>
        {:else}
          <NumberField
            label={`Brush ${c.label}`}
            value={b.values[c.channel] ?? 0}
            min={c.channel === 'height' ? -0.01 : c.min}
            max={c.channel === 'height' ? 0.01 : c.max}
            unit={c.unit}
            scale={c.scale}
            commit={(v) => (b.values[c.channel] = v)}
          />
        {/if}
      {/each}
      <span class="quiet">lays</span>
      <select
        class="pick"
        aria-label="What the brush does"
        value={b.does || b.blend}
        onchange={(e) => {
          const v = e.currentTarget.value;
          const does = ['lighten', 'darken', 'soften', 'sharpen', 'pinch', 'flatten'].includes(v);
          b.does = does ? v : '';
          b.blend = does ? '' : v;
        }}
      >
        {#each modes as m (m)}<option value={m}>{saysMode(m)}</option>{/each}
        <option value="lighten">lifts what is there</option>
        <option value="darken">sinks what is there</option>
        <option value="soften">softens what is there</option>
        <option value="sharpen">sharpens what is there</option>
        <option value="pinch">draws it together</option>
        <option value="flatten">levels to where it began</option>
      </select>
      {#if ui.tool === 'fill'}
        <span class="quiet" title="A click fills it; dragged, it fades from where one pressed to where one lets go"
          >fills</span
        >
        <select class="pick" aria-label="What is filled" bind:value={b.filled}>
          <option value="part">the part</option><option value="island">the island</option><option value="sheet"
            >the sheet</option
          >
          <option value="face">the face</option><option value="id">its ID colour</option><option value="all"
            >everything</option
          >
        </select>
        <span class="quiet" title="A dragged fill fades by the way over the surface, not straight through space"
          >around bends</span
        >
        <input type="checkbox" aria-label="Fades along the surface" bind:checked={b.around} />
      {:else}
        <span class="quiet" title="Nothing behind, nothing that something else hides from the camera">only seen</span>
        <input type="checkbox" aria-label="Only what is seen" bind:checked={b.seen} />
        <span class="quiet" title="By the place where the stroke begins">stays in</span>
        <select class="pick" aria-label="What a stroke stays in" bind:value={b.within}>
          <option value="">anywhere</option><option value="part">the part</option><option value="island"
            >the island</option
          >
          <option value="sheet">the sheet</option><option value="face">the face</option>
          <option value="id">its ID colour</option>
        </select>
      {/if}
      <span class="quiet" title="Only where that channel looks as it does where the stroke begins, at this layer"
        >where alike</span
      >
      <span class="flex items-center gap-1">
        <select class="pick" aria-label="By what places are alike" bind:value={b.alike}>
          <option value="">anything</option>
          {#each likenesses as c (c.channel)}<option value={c.channel}>{c.label}</option>{/each}
        </select>
        {#if b.alike}
          <NumberField
            label="Tolerance"
            value={b.tolerance}
            min={0}
            max={1}
            unit="%"
            scale={100}
            commit={(v) => (b.tolerance = v)}
          />
        {/if}
      </span>
      {#if ui.tool !== 'fill'}
        <span class="quiet" title="How far the brush lags behind the hand">steady</span>
        <NumberField
          label="Steady hand"
          value={b.steady}
          min={0}
          max={0.95}
          unit="%"
          scale={100}
          fallback={0}
          commit={(v) => (b.steady = v)}
        />
        <span class="quiet" title="Stamps that a straight line sets from its beginning to its end (Shift and a click)"
          >row of</span
        >
        <NumberField
          label="Stamps in a row"
          value={b.row}
          min={0}
          max={200}
          whole
          nought="by spacing"
          fallback={0}
          commit={(v) => (b.row = v)}
        />
        <span class="quiet" title="The whole line through the edge that you click">along</span>
        <span class="flex gap-1">
          {#each [['loop', 'an edge loop'], ['seam', 'a seam']] as const as [kind, says] (kind)}
            <button
              class="chip"
              disabled={!t.ok}
              onclick={() =>
                (ui.taking = {
                  label: `lay the brush along ${says}`,
                  take: (_, pos, nrm) =>
                    session.edge(pos, nrm, kind, 0, (e) => {
                      const why = ui.along(e.rail ?? []);
                      if (why) session.message = `Nothing was laid along ${says}: ${why}.`;
                    }),
                })}>{says}</button
            >
          {/each}
        </span>
        <span class="quiet">pen drives</span>
        <span class="flex gap-3">
          <label><input type="checkbox" bind:checked={b.penSize} /> size</label>
          <label><input type="checkbox" bind:checked={b.penFlow} /> strength</label>
        </span>
      {/if}
    </div>
  {:else if tab === 'tip'}
    <div class="grid">
      <span class="quiet">tip</span>
      <select class="pick" aria-label="Tip" value={k?.tip ?? ''} onchange={(e) => set('tip', e.currentTarget.value)}>
        {#each about?.tips ?? [] as x (x.name)}<option value={x.name} title={x.help}>{x.name || 'round'}</option>{/each}
      </select>
      <span class="quiet" title="A picture of the project as the tip: white lays, black does not">stamp</span>
      <span class="stamp">
        <PictureField
          {session}
          label="picture for the tip"
          value={k?.picture ?? ''}
          commit={(v) => {
            set('picture', v || undefined);
            if (v && (k?.spacing ?? 0) < 0.5) set('spacing', 1.2);
          }}
        />
        <button class="chip" title="Make a stamp, or take one (Shift P)" onclick={() => (ui.press = true)}
          >press …</button
        >
      </span>
      {@render number(
        'spacing',
        'spacing',
        k?.spacing ?? 0,
        0.02,
        5,
        100,
        '%',
        'from dab to dab, in diameters',
        'swept',
      )}
      {@render number(
        'flow',
        'flow',
        k?.flow ?? 1,
        0,
        1,
        100,
        '%',
        'what one dab lays of what is missing to the strength',
      )}
      {@render number('round', 'roundness', k?.round || 1, 0.05, 1, 100, '%', 'height of a dab over its width')}
      {@render number('angle', 'angle', k?.angle ?? 0, -180, 180, 1, '°', 'a dab is turned so far')}
      <span class="quiet">turns</span>
      <span class="flex gap-3">
        <label
          ><input type="checkbox" checked={k?.along ?? false} onchange={(e) => set('along', e.currentTarget.checked)} /> with
          the stroke</label
        >
      </span>
      {#if !k?.tip && !k?.picture}
        <span class="quiet" title="What a dab lays from its middle to its rim">falloff</span>
        <select
          class="pick"
          aria-label="Falloff"
          value={k?.falloff ? 'curve' : ''}
          onchange={(e) =>
            set(
              'falloff',
              e.currentTarget.value
                ? [
                    [0, 1],
                    [0.5, 0.5],
                    [1, 0],
                  ]
                : undefined,
            )}
        >
          <option value="">by hardness</option><option value="curve">a curve</option>
        </select>
        {#if k?.falloff}
          <div class="curve">
            <CurveField
              label="Falloff from the middle to the rim"
              value={k.falloff as number[][]}
              preview={(v) => set('falloff', v)}
              commit={(v) => set('falloff', pair(v))}
            />
          </div>
        {/if}
      {/if}
      <span class="quiet">grain</span>
      <select
        class="pick"
        aria-label="Grain"
        value={k?.grain?.kind ?? ''}
        onchange={(e) => {
          const kind = e.currentTarget.value;
          set('grain', kind ? ({ size: 0.0015, amount: 0.8, ...k?.grain, kind } as Kit['grain']) : undefined);
        }}
      >
        <option value="">none</option>
        {#each about?.grains ?? [] as g (g)}<option value={g}>{g}</option>{/each}
      </select>
      {#if k?.grain}
        {@const g = k.grain}
        <span class="quiet" title="Where the grain lies: paint laid twice meets the same hills, or not">lies in</span>
        <select
          class="pick"
          aria-label="What the grain belongs to"
          value={g.in ?? ''}
          onchange={(e) => set('grain', { ...g, in: e.currentTarget.value || undefined } as Kit['grain'])}
        >
          <option value="">the surface</option><option value="line">the line, along it</option>
          <option value="tip">the tip, each dab</option>
        </select>
        <span class="quiet">its size</span>
        <NumberField
          label="Size of the grain"
          value={g.size}
          min={0.0001}
          max={0.1}
          log
          scale={1000}
          unit="mm"
          fallback={0.0015}
          commit={(v) => (g.size = v)}
        />
        <span class="quiet">its depth</span>
        <NumberField
          label="Depth of the grain"
          value={g.amount}
          min={0}
          max={1}
          scale={100}
          unit="%"
          fallback={0.8}
          commit={(v) => (g.amount = v)}
        />
      {/if}
      <span class="quiet">resting pen</span>
      <span class="flex gap-3">
        <label
          ><input type="checkbox" checked={k?.build ?? false} onchange={(e) => set('build', e.currentTarget.checked)} /> builds
          up</label
        >
      </span>
      {#if k}
        <button class="chip" onclick={() => (b.kit = null)} title="A round brush that is swept, without dabs"
          >Plain and round</button
        >
      {/if}
    </div>
  {:else if tab === 'chance'}
    <div class="grid">
      {@render number(
        'scatter',
        'scatter',
        k?.scatter ?? 0,
        0,
        8,
        100,
        '%',
        'how far dabs fall from the line, in radii',
      )}
      {@render number('count', 'at once', k?.count || 1, 1, 16, 1, '', 'dabs at each place', '', true)}
      {@render number('sizeJitter', 'size', k?.sizeJitter ?? 0, 0, 1, 100, '%', 'down to so much smaller')}
      {@render number('angleJitter', 'angle', k?.angleJitter ?? 0, 0, 1, 100, '%', '100 %: any way')}
      {@render number('strengthJitter', 'strength', k?.strengthJitter ?? 0, 0, 1, 100, '%', 'down to so much weaker')}
      {@render number('hueJitter', 'hue', k?.hueJitter ?? 0, 0, 1, 100, '%', 'of the colour circle, either way')}
      {@render number('lightJitter', 'lightness', k?.lightJitter ?? 0, 0, 1, 100, '%', 'lighter or darker')}
    </div>
  {:else if tab === 'pen'}
    <div class="flex items-center gap-2 pb-1 text-sm">
      <span class="quiet">practice pen</span>
      <select class="pick" aria-label="What the practice pen plays" bind:value={played}>
        {#each recordings as r (r.name)}<option value={r.name} title={r.help}>{r.name}</option>{/each}
      </select>
      <button
        class="chip"
        disabled={playing}
        onclick={practise}
        title="Plays a recorded stroke over the middle of the view">{playing ? 'plays …' : 'Play'}</button
      >
    </div>
    <div class="drives">
      {#each about?.driven ?? [] as what (what)}
        {@const d = drives.find((x) => x.what === what)}
        <span class="quiet">{what}</span>
        <select
          class="pick"
          aria-label={`What drives ${what}`}
          value={d?.by ?? ''}
          onchange={(e) => drive(what, e.currentTarget.value)}
        >
          <option value="">as set</option>
          {#each about?.drives ?? [] as by (by)}<option value={by}>{by}</option>{/each}
        </select>
        {#if d}
          <NumberField
            label={`${what} at nothing`}
            value={d.from}
            min={0}
            max={what === 'angle' || what === 'hue' ? 1 : 4}
            scale={100}
            unit="%"
            commit={(v) => bend(what, { from: v })}
          />
          <NumberField
            label={`${what} at full`}
            value={d.to}
            min={0}
            max={what === 'angle' || what === 'hue' ? 1 : 4}
            scale={100}
            unit="%"
            commit={(v) => bend(what, { to: v })}
          />
          <span class="flex items-center gap-1">
            {#if !d.curve}
              <NumberField
                label={`${what}, bend`}
                value={d.bend || 1}
                min={0.1}
                max={10}
                log
                commit={(v) => bend(what, { bend: v })}
              />
            {/if}
            <button
              class="chip"
              aria-pressed={!!d.curve}
              aria-label={`${what} by a curve`}
              title="A curve of one's own, from what the pen does to what it drives"
              onclick={() => bend(what, { curve: d.curve ? undefined : straight() })}>curve</button
            >
          </span>
          {#if d.curve}
            <div class="curve">
              <CurveField
                label={`Curve of ${what}`}
                value={d.curve as number[][]}
                preview={(curve) => bend(what, { curve })}
                commit={(curve) => bend(what, { curve: pair(curve) })}
              />
            </div>
          {/if}
        {:else}<span></span><span></span><span></span>{/if}
      {/each}
      <span class="quiet" title="Surfaces turned away further than this take no paint">takes paint</span>
      <select
        class="pick"
        aria-label="Which surfaces take paint"
        value={k?.through ? 'through' : 'facing'}
        onchange={(e) => set('through', e.currentTarget.value === 'through')}
      >
        <option value="facing">what faces the pen</option><option value="through">right through</option>
      </select>
      {#if !k?.through}
        <NumberField
          label="Faces the pen within"
          value={k?.facing || 90}
          min={5}
          max={180}
          unit="°"
          fallback={90}
          commit={(v) => set('facing', v)}
        />
        <NumberField
          label="Fades over"
          value={k?.fade || 30}
          min={1}
          max={90}
          unit="°"
          fallback={30}
          commit={(v) => set('fade', v)}
        />
      {:else}<span></span><span></span>{/if}
      <NumberField
        label="Depth of a dab"
        value={k?.depth || 1}
        min={0.02}
        max={4}
        log
        unit="× radius"
        fallback={1}
        commit={(v) => set('depth', v)}
      />
    </div>
  {:else}
    <div class="grid">
      <OtherSide {session} {ui} {t} />
      <span class="quiet">over planes</span>
      <span class="flex gap-1">
        {#each ['x', 'y', 'z'] as const as axis (axis)}
          <button
            class="chip"
            aria-label={`Mirror across ${axis}`}
            aria-pressed={ui.mirror[axis]}
            class:on={ui.mirror[axis]}
            onclick={() => (ui.mirror[axis] = !ui.mirror[axis])}>{axis}</button
          >
        {/each}
        <button
          class="chip"
          aria-pressed={!!ui.mirror.plane}
          class:on={!!ui.mirror.plane}
          title="A plane of any direction: click a face that looks straight across it"
          onclick={() =>
            ui.mirror.plane
              ? (ui.mirror.plane = null)
              : (ui.taking = {
                  label: 'pick a face that looks straight across the plane',
                  take: (_, __, nrm) => (ui.mirror.plane = nrm),
                })}>any</button
        >
      </span>
      <span class="quiet" title="Where planes and axis go through">through</span>
      <span class="flex gap-1">
        <button class="chip" class:on={!ui.mirror.at} aria-pressed={!ui.mirror.at} onclick={() => (ui.mirror.at = null)}
          >the middle</button
        >
        <button
          class="chip"
          class:on={!!ui.mirror.at}
          aria-pressed={!!ui.mirror.at}
          onclick={() =>
            (ui.taking = {
              label: 'pick where the symmetry goes through',
              take: (_, pos) => (ui.mirror.at = pos),
            })}>a place</button
        >
      </span>
      <span class="quiet" title="Strokes weaken near the planes, so that both sides do not meet as twins">fade</span>
      <NumberField
        label="Fade near the planes"
        value={ui.mirror.fade}
        min={0}
        max={0.5}
        scale={1000}
        unit="mm"
        nought="none"
        fallback={0}
        commit={(v) => (ui.mirror.fade = v)}
      />
      <span class="quiet">times around</span>
      <NumberField
        label="Times around the axis"
        value={ui.mirror.times}
        min={1}
        max={32}
        whole
        fallback={1}
        commit={(v) => (ui.mirror.times = v)}
      />
      <span class="quiet">the axis</span>
      <select class="pick" aria-label="Axis of the repeats" bind:value={ui.mirror.axis}>
        <option value="x">x</option><option value="y">y, upright</option><option value="z">z</option>
      </select>
    </div>
  {/if}
</section>
{#if shelf}<BrushShelf {ui} close={() => (shelf = false)} />{/if}

{#snippet number(
  key: keyof Kit,
  label: string,
  value: number,
  min: number,
  max: number,
  scale: number,
  unit: string,
  help: string,
  nought = '',
  whole = false,
)}
  <span class="quiet" title={help}>{label}</span>
  <NumberField
    {label}
    {value}
    {min}
    {max}
    {scale}
    {unit}
    {whole}
    {nought}
    fallback={min}
    commit={(v) => set(key, v as never)}
  />
{/snippet}

<style>
  .brush {
    flex: none;
    width: min(680px, 68%);
    border: 1px solid var(--verdigris);
    border-radius: 4px;
    background: var(--raised);
    padding: 3px 8px 4px;
    margin-left: auto;
    overflow: auto;
  }
  .head {
    position: sticky;
    top: 0;
    z-index: 1;
    display: flex;
    align-items: center;
    gap: 8px;
    margin: 0 -8px 4px;
    padding: 0 8px 3px;
    background: var(--raised);
  }
  .says {
    flex: 0 1 auto;
    max-width: 30%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-size: 12px;
  }
  .shown {
    position: relative;
    flex: 1 1 0;
    min-width: 90px;
    height: 34px;
    border: 1px solid var(--line);
    border-radius: 3px;
    overflow: hidden;
    background: #5c5c5c;
  }
  .shown:hover {
    border-color: var(--plum);
  }
  .shown img {
    width: 100%;
    height: 100%;
    object-fit: cover;
  }
  .shown span {
    position: absolute;
    left: 5px;
    bottom: 1px;
    font-size: 11.5px;
    padding: 0 4px;
    background: rgb(20 20 20 / 0.72);
    color: #eee;
  }
  .tabs {
    display: flex;
  }
  .tabs button {
    padding: 2px 8px;
    font-size: 12.5px;
    color: var(--quiet);
  }
  .tabs button[aria-selected='true'] {
    color: var(--text);
    box-shadow: inset 0 -2px var(--verdigris);
  }
  .drives {
    display: grid;
    grid-template-columns: auto 1.2fr 1fr 1fr 1fr;
    gap: 3px 6px;
    align-items: center;
    font-size: 12.5px;
  }
  .grid {
    display: grid;
    grid-template-columns: repeat(3, auto minmax(0, 1fr));
    gap: 3px 7px;
    align-items: center;
    font-size: 12.5px;
  }
  .stamp {
    grid-column: span 3;
    display: flex;
    align-items: center;
    gap: 6px;
  }
  .curve {
    grid-column: 1 / -1;
    justify-self: end;
    width: 250px;
  }
  .on {
    border-color: var(--verdigris);
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
