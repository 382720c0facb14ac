<script lang="ts">
  // What the pen drives, and what surfaces take paint.
  import type { Brushes, Drive } from '../../api/client';
  import { play, recordings } from '../../lib/pen';
  import type { UI } from '../../lib/ui.svelte';
  import Choice from '../Choice.svelte';
  import CurveField from '../CurveField.svelte';
  import NumberField from '../NumberField.svelte';
  import { pair, straight } from './curve';

  let { ui, about }: { ui: UI; about: Brushes | null } = $props();
  const k = $derived(ui.brush.kit);
  const drives = $derived((k?.pen ?? []) as Drive[]);
  function drive(what: string, by: string) {
    const rest = drives.filter((d) => d.what !== what);
    const was = drives.find((d) => d.what === what);
    const full = what === 'angle' || what === 'hue' ? 0.25 : 1;
    ui.brush.setKit('pen', by ? [...rest, { from: 0.1, to: full, bend: 1, ...was, by, what } as Drive] : rest);
  }
  function bend(what: string, part: Partial<Drive>) {
    ui.brush.setKit(
      'pen',
      drives.map((d) => (d.what === what ? { ...d, ...part } : d)),
    );
  }
  let played = $state(recordings[0].name);
  let playing = $state(false);
  async function practise() {
    const canvas = document.querySelector<HTMLElement>('canvas[data-settled]');
    const r = recordings.find((x) => x.name === played);
    if (!canvas || !r) return;
    playing = true;
    const took = ui.watchInk();
    const b = canvas.getBoundingClientRect();
    const side = Math.min(b.width, b.height) * 0.22;
    await play(r, canvas, new DOMRect(b.left + b.width / 2 - side / 2, b.top + b.height / 2 - side / 2, side, side));
    await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
    seen = said(took());
    playing = false;
  }
  /** how soon the last stroke was seen under the pen */
  let seen = $state('');
  function said(ms: number[]): string {
    if (!ms.length) return 'the server alone draws this brush';
    const sorted = ms.toSorted((a, b) => a - b);
    const of = (share: number) => Math.round(sorted[Math.min(Math.floor(sorted.length * share), sorted.length - 1)]);
    return `seen after ${of(0.5)} ms, 95 of 100 within ${of(0.95)}`;
  }
</script>

<div class="brush-drives">
  <div class="drive pen" style:grid-column={seen ? 'span 3' : undefined}>
    <span class="quiet">practice pen</span>
    <Choice
      name="What the practice pen plays"
      value={played}
      options={recordings.map((r) => [r.name, r.name, r.help] as const)}
      take={(v) => (played = v)}
    />
    <button
      class="chip"
      disabled={playing}
      onclick={practise}
      title="Plays a recorded stroke over the middle of the view">{playing ? 'plays …' : 'Play'}</button
    >
    {#if seen}<output class="quiet" title="From the pen to the frame that shows its ink, whatever the line does"
        >{seen}</output
      >{/if}
  </div>
  {#each about?.driven ?? [] as what (what)}
    {@const d = drives.find((x) => x.what === what)}
    <div class="drive" class:on={!!d}>
      <Choice
        name={`What drives ${what}`}
        label={what}
        value={d?.by ?? ''}
        options={[['', 'as set'], ...(about?.drives ?? []).map((by) => [by, by] as const)]}
        take={(by) => drive(what, by)}
      />
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
      {/if}
    </div>
  {/each}
  <div class="drive on paint">
    <Choice
      name="Which surfaces take paint"
      label="takes paint"
      help="Surfaces turned away further than this take no paint"
      value={k?.through ? 'through' : 'facing'}
      options={[
        ['facing', 'what faces the pen'],
        ['through', 'right through'],
      ]}
      take={(v) => ui.brush.setKit('through', v === 'through')}
    />
    {#if !k?.through}
      <NumberField
        label="Faces the pen within"
        value={k?.facing || 90}
        min={5}
        max={180}
        unit="°"
        fallback={90}
        commit={(v) => ui.brush.setKit('facing', v)}
      />
      <NumberField
        label="Fades over"
        value={k?.fade || 30}
        min={1}
        max={90}
        unit="°"
        fallback={30}
        commit={(v) => ui.brush.setKit('fade', v)}
      />
    {/if}
    <NumberField
      label="Depth of a dab"
      value={k?.depth || 1}
      min={0.02}
      max={4}
      log
      unit="× radius"
      fallback={1}
      commit={(v) => ui.brush.setKit('depth', v)}
    />
  </div>
</div>

<style>
  .brush-drives {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(140px, 1fr));
    gap: 2px 10px;
    font-size: 12.5px;
  }
  .drive {
    display: flex;
    align-items: center;
    gap: 6px;
    min-height: 28px;
  }
  .drive :global(.pick) {
    flex: none;
    min-width: 5.8em; /* the longest word of what a pen does */
  }
  .drive.on {
    grid-column: span 3;
  }
  .drive.paint {
    grid-column: 1 / -1;
  }
  .drive.paint :global(.pick) {
    min-width: 120px;
  }
  .drive :global(.quiet) {
    white-space: nowrap;
  }
  .drive.pen {
    grid-column: span 2;
  }
  .curve {
    width: 250px;
  }
</style>
