<script lang="ts">
  // The line that is drawn: size, strength, what is laid and where it stays.
  import type { Session } from '../../lib/session.svelte';
  import type { Does, Within } from '../../lib/brush.svelte';
  import type { Target } from '../../lib/target';
  import type { UI } from '../../lib/ui.svelte';
  import Choice from '../Choice.svelte';
  import ColorField from '../ColorField.svelte';
  import NumberField from '../NumberField.svelte';
  import StencilPick from './StencilPick.svelte';

  let { session, ui, t }: { session: Session; ui: UI; t: Target } = $props();
  const b = $derived(ui.brush);
  const inMask = $derived(t.channels.includes('mask'));
  const materials = $derived(session.rows.map((r) => r.layer).filter((l) => l.kind === 'fill'));
  const material = $derived(materials.find((l) => l.id === b.of));
  /** Takes a fill layer as paint; the paint layer gets the channels that it has. */
  function takeMaterial(id: string) {
    b.of = id;
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
  /** parts of the model, by the place where a stroke begins */
  const areas = [
    ['part', 'the part'],
    ['island', 'the island'],
    ['sheet', 'the sheet'],
    ['face', 'the face'],
    ['id', 'its ID colour'],
  ] as const;
  /** what is done to what is there, instead of laying something */
  const doing = $derived(session.about.effects!.filter((e) => e.brush).map((e) => [e.name as Does, e.label] as const));
  /** two blend modes are called as two of these are */
  const asMode = (m: string) => (doing.some(([d]) => d === m) ? `${m} mode` : m);
  const modes = ['', 'multiply', 'screen', 'overlay', 'darken', 'lighten', 'add', 'subtract', 'soft light', 'color'];
  /** A blend mode by its name; of heights alone, what it comes to. */
  function saysMode(m: string): string {
    if (t.channels.join() !== 'height') return m || 'normal';
    return { '': 'to this height (normal)', add: 'raises by it (add)', subtract: 'lowers by it (subtract)' }[m] ?? m;
  }
</script>

<div class="brush-grid">
  {#if ui.tool === 'clone'}
    <span class="quiet" title="What was painted there, in this layer or hand step, is laid under the brush"
      >takes from</span
    >
    <span class="wide flex gap-1">
      <button class="chip" aria-pressed={ui.marking} onclick={() => (ui.marking = true)}
        >{ui.source ? 'mark anew' : 'mark a place'}</button
      >
      <Choice
        name="How the place goes with the strokes"
        value={ui.follows}
        options={[
          ['along', 'it moves along'],
          ['anew', 'each stroke begins there'],
          ['stays', 'each dab takes it'],
        ]}
        take={(v) => (ui.follows = v as UI['follows'])}
      />
    </span>
  {/if}
  {#if ui.tool !== 'fill'}
    <button
      class="quiet min-h-7 text-left"
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
        max={Math.max(0.5, b.largest)}
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
  {#if inMask && !t.decal}
    <span class="quiet">leaves</span>
    <span class="wide flex gap-1">
      <button class="chip" aria-pressed={b.mask < 0.5} class:on={b.mask < 0.5} onclick={() => (b.mask = 0)}>hide</button
      >
      <button class="chip" aria-pressed={b.mask >= 0.5} class:on={b.mask >= 0.5} onclick={() => (b.mask = 1)}
        >show</button
      >
    </span>
  {/if}
  {#if !inMask && materials.length}
    <Choice
      name="Material that is laid"
      label="material"
      help="A fill layer whose channels are laid as they are there, its patterns too"
      value={material?.id ?? ''}
      options={[['', 'these values'], ...materials.map((m) => [m.id, m.name] as const)]}
      take={takeMaterial}
    />
  {/if}
  {#each session.channels.filter((c) => !material && t.channels.includes(c.channel) && c.channel !== 'normal') as c (c.channel)}
    <span class="quiet">{c.label}</span>
    {#if c.channel === 'baseColor'}
      <ColorField label="Brush color" {ui} value={b.color} commit={(v) => (b.color = v)} />
    {:else if c.channel === 'emissive'}
      <ColorField label="Brush emissive" channel="emissive" {ui} value={b.emissive} commit={(v) => (b.emissive = v)} />
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
  <Choice
    name="What the brush does"
    label="lays"
    value={b.does || asMode(b.blend)}
    options={[...modes.map((m) => [asMode(m), saysMode(m)] as const), ...doing]}
    take={(v) => {
      b.does = doing.find(([d]) => d === v)?.[0] ?? '';
      b.blend = b.does ? '' : v.replace(' mode', '');
    }}
  />
  {#if ui.tool === 'fill'}
    <Choice
      name="What is filled"
      label="fills"
      help="A click fills it; dragged, it fades from where one pressed to where one lets go"
      value={b.filled}
      options={[...areas, ['all', 'everything']]}
      take={(v) => (b.filled = v as Within)}
    />
    <span class="quiet" title="A dragged fill fades by the way over the surface, not straight through space"
      >around bends</span
    >
    <label class="tick"><input type="checkbox" aria-label="Fades along the surface" bind:checked={b.around} /></label>
  {:else}
    <span class="quiet" title="Nothing behind, nothing that something else hides from the camera">only seen</span>
    <label class="tick"><input type="checkbox" aria-label="Only what is seen" bind:checked={b.seen} /></label>
    <Choice
      name="What a stroke stays in"
      label="stays in"
      help="By the place where the stroke begins"
      value={b.within}
      options={[['', 'anywhere'], ...areas]}
      take={(v) => (b.within = v as Within)}
    />
  {/if}
  <span class="pair">
    <span class="quiet" title="Only where that channel looks as it does where the stroke begins, at this layer"
      >where alike</span
    >
    <span class="wide flex items-center gap-1">
      <Choice
        name="By what places are alike"
        value={b.alike}
        options={[['', 'anything'], ...likenesses.map((c) => [c.channel, c.label] as const)]}
        take={(v) => (b.alike = v)}
      />
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
    <span class="quiet" title="From stamp to stamp along a straight line or an edge, when they are not counted"
      >each</span
    >
    <NumberField
      label="Distance in a row"
      value={b.rowApart}
      min={0}
      max={0.5}
      unit="mm"
      scale={1000}
      nought="by spacing"
      fallback={0}
      commit={(v) => (b.rowApart = v)}
    />
    <span class="pair">
      <span class="quiet" title="A picture held before the view: its light, or its colours, come through">stencil</span>
      <StencilPick {session} {ui} />
    </span>
    <span class="pair">
      <span class="quiet" title="The whole line through the edge that you click">along</span>
      <span class="wide flex gap-1">
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
    </span>
    <span class="pair">
      <span class="quiet">pen drives</span>
      <span class="wide flex gap-3">
        <label><input type="checkbox" bind:checked={b.penSize} /> size</label>
        <label><input type="checkbox" bind:checked={b.penFlow} /> strength</label>
      </span>
    </span>
  {/if}
</div>
