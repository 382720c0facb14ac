<script lang="ts">
  import { api, type Edit, type Finding } from '../../api/client';
  import type { Hand, Prep } from '../../lib/prep.svelte';
  import NumberField from '../../parts/NumberField.svelte';
  import Findings from './Findings.svelte';
  import Looks from './Looks.svelte';
  import Owners from './Owners.svelte';
  import SheetTable from './SheetTable.svelte';
  let { prep, id, findings }: { prep: Prep; id: string; findings: Finding[] } = $props();
  const hands: [Hand, string, string][] = [
    ['look', 'Look', 'Clicks do nothing'],
    ['edge', 'Edge', 'A click takes the nearest edge'],
    ['loop', 'Loop', 'A click takes the whole loop that an edge lies in'],
    ['path', 'Path', 'Two clicks take the shortest way between them; each further click goes on'],
    ['island', 'Islands', 'A click chooses an island'],
  ];
  let turn = $state(90);
  let factor = $state(1.5);
  let onto = $state('');
  /** the sheets that are split or joined */
  let sheets = $state<string[]>([]);
  let joined = $state('');
  function take(hand: Hand) {
    prep.hand = hand;
    prep.corner = -1;
    if (hand === 'island') prep.look = 'islands';
    else if (hand !== 'look' && !prep.look)
      prep.look = 'plain'; // edges are seen on grey
    else if (hand === 'look' && prep.look === 'plain') prep.look = '';
    prep.show();
    prep.drawLines();
  }
  const names = $derived([
    ...new Set([
      ...(prep.report?.sheets ?? []).map((s) => s.sheet),
      ...findings.filter((f) => f.kind === 'noUV').map((f) => f.sheet!),
    ]),
  ]);
  const laid = $derived((prep.report?.sheets ?? []).map((s) => s.sheet));
  const unwrap = (auto: boolean) =>
    prep.run(() => api.unwrap(id, { ...prep.unwrap, auto, sheets: prep.sheets, seams: prep.seams }));
  const edit = (e: Partial<Edit>) =>
    prep.run(async () => {
      await api.islands(id, {
        islands: prep.islands,
        pinned: prep.pinned,
        size: prep.unwrap.size,
        margin: prep.unwrap.margin,
        ...e,
      } as Edit);
      if (e.kind === 'sheet' || e.kind === 'split' || e.kind === 'join') prep.islands = [];
      if (e.kind === 'split' || e.kind === 'join') sheets = [];
    });
</script>

<Looks
  {prep}
  list={[
    ['checker', 'Checker', 'Squares that can be read: stretch, size and mirroring'],
    ['density', 'Density', 'Texels a metre: verdigris sparse, grey even, brick dense'],
    ['angle', 'Angles', 'How far circles become ellipses'],
    ['area', 'Areas', 'Size on the sheet against size on the model'],
    ['islands', 'Islands', 'A colour for each island'],
  ]}
/>
{#if prep.look === 'density'}
  <div class="grid2">
    <span title="Grey is this much, verdigris less, ochre and brick more">wanted density</span>
    <NumberField
      label="wanted density"
      value={prep.target}
      min={0}
      max={100}
      unit="texels/mm"
      fallback={0}
      nought="the mean"
      commit={(v) => {
        prep.target = v;
        prep.show();
      }}
    />
  </div>
{/if}
<Findings {prep} {findings} />
<Owners {prep} />
<SheetTable {prep} />

<h3>Seams</h3>
<div class="row" role="group" aria-label="What a click on the model does">
  {#each hands as [hand, label, help] (hand)}
    <button class="chip" aria-pressed={prep.hand === hand} title={help} onclick={() => take(hand)}>{label}</button>
  {/each}
</div>
{#if prep.hand === 'edge' || prep.hand === 'loop' || prep.hand === 'path'}
  <div class="row">
    <label class="flex items-center gap-1"><input type="checkbox" bind:checked={prep.away} /> take away</label>
    <span class="quiet grow text-right">{prep.seams.length} marked</span>
    <button class="chip" disabled={!prep.seams.length} onclick={() => prep.setSeams([], 'Take away all seams')}
      >Clear</button
    >
  </div>
{/if}

<h3>Unwrap</h3>
<div class="row">
  <select
    class="pick grow"
    aria-label="Which sheets are unwrapped"
    value={prep.sheets[0] ?? ''}
    onchange={(e) => (prep.sheets = e.currentTarget.value ? [e.currentTarget.value] : [])}
  >
    <option value="">the whole model</option>
    {#each names as n (n)}<option value={n}>{n}</option>{/each}
  </select>
</div>
<div class="grid2">
  <span>sharp edges above</span>
  <NumberField
    label="sharp edges above"
    value={prep.unwrap.angle}
    min={5}
    max={180}
    unit="°"
    fallback={66}
    commit={(v) => (prep.unwrap.angle = v)}
  />
  <span title="Less makes more and flatter charts">charts may bend</span>
  <NumberField
    label="charts may bend"
    value={prep.unwrap.bend}
    min={0.01}
    max={0.5}
    fallback={0.1}
    commit={(v) => (prep.unwrap.bend = v)}
  />
  <span>margin at {prep.unwrap.size}</span>
  <NumberField
    label="margin"
    value={prep.unwrap.margin}
    min={0}
    max={64}
    whole
    unit="texels"
    fallback={8}
    commit={(v) => (prep.unwrap.margin = v)}
  />
</div>
<div class="row">
  <button class="chip strong" onclick={() => unwrap(true)} title="Find seams besides the marked ones, lay flat and pack"
    >Find seams and unwrap</button
  >
  <button class="chip" disabled={!prep.seams.length} onclick={() => unwrap(false)} title="Cut at the marked seams only"
    >Unwrap at my seams</button
  >
</div>

<h3>Islands {prep.islands.length ? `· ${prep.islands.length} chosen` : '· all'}</h3>
<div class="grid3">
  <NumberField label="turn by" value={turn} min={-180} max={180} unit="°" commit={(v) => (turn = v)} />
  <button class="chip" onclick={() => edit({ kind: 'turn', angle: turn })}>Turn</button>
  <NumberField label="scale by" value={factor} min={0.1} max={10} log commit={(v) => (factor = v)} />
  <button class="chip" onclick={() => edit({ kind: 'scale', factor })}>Scale</button>
</div>
<div class="row">
  {#each [['←', -0.02, 0], ['→', 0.02, 0], ['↑', 0, 0.02], ['↓', 0, -0.02]] as [label, x, y] (label)}
    <button
      class="chip"
      aria-label={`Move ${label}`}
      disabled={!prep.islands.length}
      onclick={() => edit({ kind: 'move', x: x as number, y: y as number })}>{label}</button
    >
  {/each}
  <button class="chip" onclick={() => edit({ kind: 'mirror' })} disabled={!prep.islands.length}>Mirror</button>
  <button
    class="chip"
    onclick={() => edit({ kind: 'straight' })}
    disabled={!prep.islands.length}
    title="The outline becomes a rectangle">Straighten</button
  >
</div>
<div class="row">
  <button class="chip" onclick={() => edit({ kind: 'even' })} title="The same texels a metre for all"
    >Even density</button
  >
  <button class="chip" onclick={() => edit({ kind: 'pack' })}>Pack</button>
  <button
    class="chip"
    aria-pressed={prep.islands.length > 0 && prep.islands.every((i) => prep.pinned.includes(i))}
    disabled={!prep.islands.length}
    title="Pinned islands stay where they are when the others are packed"
    onclick={() =>
      (prep.pinned = prep.islands.every((i) => prep.pinned.includes(i))
        ? prep.pinned.filter((i) => !prep.islands.includes(i))
        : [...new Set([...prep.pinned, ...prep.islands])])}
    >Pin{prep.pinned.length ? ` (${prep.pinned.length})` : ''}</button
  >
  <button
    class="chip"
    disabled={!prep.islands.length}
    onclick={() => {
      prep.islands = [];
      prep.show();
    }}>Choose none</button
  >
</div>
<div class="row">
  <input
    class="pick grow"
    list="sheet-names"
    placeholder="a sheet, or a new one's name"
    aria-label="Sheet to move to"
    bind:value={onto}
  />
  <datalist id="sheet-names"
    >{#each names as n (n)}<option value={n}></option>{/each}</datalist
  >
  <button class="chip" disabled={!onto || !prep.islands.length} onclick={() => edit({ kind: 'sheet', sheet: onto })}
    >Move there</button
  >
</div>

<h3>Sheets {sheets.length ? `· ${sheets.length} chosen` : ''}</h3>
<div class="row">
  {#each laid as n (n)}
    <button
      class="chip"
      aria-pressed={sheets.includes(n)}
      aria-label={`Choose sheet ${n}`}
      onclick={() => {
        sheets = sheets.includes(n) ? sheets.filter((s) => s !== n) : [...sheets, n];
        joined = sheets[0] ?? '';
      }}>{n}</button
    >
  {/each}
</div>
<div class="row">
  <button
    class="chip"
    disabled={!sheets.length}
    title="Each part on the chosen sheets gets a sheet of its own"
    onclick={() => edit({ kind: 'split', sheets })}>Split by parts</button
  >
  <input
    class="pick min-w-0 grow"
    placeholder="name of the joined sheet"
    aria-label="Name of the joined sheet"
    bind:value={joined}
  />
  <button
    class="chip"
    disabled={sheets.length < 2 || !joined.trim()}
    title="What lies on the chosen sheets goes to one, at one density"
    onclick={() => edit({ kind: 'join', sheets, sheet: joined.trim() })}>Join</button
  >
</div>

<style>
  .grid3 {
    display: grid;
    grid-template-columns: 1fr auto 1fr auto;
    gap: 4px;
    margin-bottom: 5px;
  }
  .strong {
    background: var(--plum-soft);
  }
</style>
