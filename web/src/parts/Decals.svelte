<script lang="ts">
  // The decals of a layer, topmost first, and what the chosen one is.
  import type { Decal, Layer } from '../api/client';
  import { placeDecal, replaceDecal, setDecal, sideways, tallOf } from '../lib/decals.svelte';
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import ColorField from './ColorField.svelte';
  import DirectionField from './DirectionField.svelte';
  import NumberField from './NumberField.svelte';
  import PlaceField from './PlaceField.svelte';
  import PictureField from './PictureField.svelte';
  import StampPick from './StampPick.svelte';

  let { session, ui, layer }: { session: Session; ui: UI; layer: Layer } = $props();
  const list = $derived([...((layer.decals ?? []) as Decal[])].reverse());
  const open = $derived(list.find((d) => d.id === ui.decal));
  let words = $state('');
  const change = (over: Partial<Decal>, label = '') => session.op(setDecal(layer, { ...open!, ...over }, label));
  const preview = (over: Partial<Decal>) => session.preview(setDecal(layer, { ...open!, ...over }));
  const move = (d: Decal, by: number) => {
    const at = (layer.decals ?? []).findIndex((x) => x!.id === d.id);
    session.op({ kind: 'decal.move', target: layer.id, decal: d.id, index: at + by });
  };
  function setWords() {
    const text = words.trim();
    if (text) placeDecal(session, ui, layer, { text });
    words = '';
  }
  /** Several: beside each other, a quarter of a width apart, or all around the middle of the model. */
  function repeat(kind: string) {
    const d = open!;
    if (!kind) return change({ row: undefined }, `${d.name}: once`);
    const at = ui.middle();
    const row =
      kind === 'row'
        ? { kind, count: 3, step: Number((d.wide * 1.25).toPrecision(3)), at: [0, 0, 0], axis: [0, 1, 0] }
        : kind === 'mirror'
          ? { kind, count: 2, step: 0, at, axis: sideways(d.nrm as number[]) }
          : { kind, count: 4, step: 0, at, axis: [0, 1, 0] };
    change({ row: row as Decal['row'] }, `${d.name}: several`);
  }
  /** Along a line of edges that is clicked: as many as stand well beside each other on it. */
  function along(kind: 'loop' | 'seam', says: string) {
    const d = open!;
    ui.taking = {
      label: `set “${d.name}” along ${says}`,
      take: (_, pos, nrm) =>
        session.edge(pos, nrm, kind, 0, ({ rail }) => {
          const points = (rail?.length ?? 0) / 6;
          if (points < 2)
            return void (session.message = `There is no line of edges at that place to set “${d.name}” along.`);
          // a line of very many edges is as smooth with fewer
          const every = Math.ceil(points / 2000);
          const line = Array.from({ length: points }, (_, i) => i)
            .filter((i) => i % every === 0 || i === points - 1)
            .flatMap((i) => rail!.slice(6 * i, 6 * i + 6))
            .map((v) => Number(v.toFixed(6)));
          let long = 0;
          for (let i = 6; i < line.length; i += 6)
            long += Math.hypot(line[i] - line[i - 6], line[i + 1] - line[i - 5], line[i + 2] - line[i - 4]);
          const count = Math.min(Math.max(Math.floor(long / (d.wide * 1.5)), 2), 64);
          const row = { kind: 'line', count, step: 0, at: [0, 0, 0], axis: [0, 1, 0], line };
          session.op(setDecal(layer, { ...d, row: row as Decal['row'] }, `${d.name}: along ${says}`));
        }),
    };
  }
  /** Turns it so that its foot lies along an edge that is clicked. */
  function alongEdge() {
    const d = open!;
    ui.taking = {
      label: `turn “${d.name}” along that edge`,
      take: (_, pos, nrm) =>
        session.edge(pos, nrm, 'edge', 0, ({ lines }) => {
          if ((lines?.length ?? 0) < 6) return void (session.message = 'There is no edge at that place.');
          const side = [3, 4, 5].map((i) => lines[i] - lines[i - 3]);
          const n = d.nrm!;
          // across the edge and along the surface, on the side where its head is now
          const up = [
            n[1] * side[2] - n[2] * side[1],
            n[2] * side[0] - n[0] * side[2],
            n[0] * side[1] - n[1] * side[0],
          ];
          const sign = up[0] * d.up![0] + up[1] * d.up![1] + up[2] * d.up![2] < 0 ? -1 : 1;
          const length = Math.hypot(...up);
          if (!(length > 0)) return void (session.message = 'That edge stands upright on the decal.');
          const to = up.map((v) => Number(((sign * v) / length).toFixed(4))) as Decal['up'];
          session.op(setDecal(layer, { ...d, up: to }, `${d.name} along an edge`));
        }),
    };
  }
  /** strokes that took off some of the open one */
  const erased = $derived(open ? (session.strokes[`${layer.id}/decal:${open.id}`] ?? 0) : 0);
  const row = (over: object) => ({ row: { ...open!.row!, ...over } as Decal['row'] });
  const hide = (d: Decal) =>
    session.op(setDecal(layer, { ...d, hidden: !d.hidden }, `${d.hidden ? 'Show' : 'Hide'} ${d.name}`));
  const lock = (d: Decal) =>
    session.op(setDecal(layer, { ...d, locked: !d.locked }, `${d.locked ? 'Unlock' : 'Lock'} ${d.name}`));
</script>

{#snippet number(
  label: string,
  value: number,
  [min, max]: [number, number],
  [unit, scale]: [string, number],
  fallback: number,
  over: (v: number) => Partial<Decal>,
  whole = false,
  nought = '',
)}
  <NumberField
    {label}
    {value}
    {min}
    {max}
    {unit}
    {scale}
    {whole}
    nought={nought || undefined}
    {fallback}
    preview={(v) => preview(over(v))}
    commit={(v) => change(over(v), `${label} of ${open!.name}`)}
  />
{/snippet}
{#snippet metres(label: string, name: 'wide' | 'tall' | 'depth', value: number, help: string)}
  <label class="field" title={help}>
    <span class="quiet">{label}</span>
    {@render number(label, value, [0.0001, ui.extent * 4], ['mm', 1000], ui.extent / 6, (v) => ({ [name]: v }))}
  </label>
{/snippet}

<div class="decals">
  <form class="tools" onsubmit={(e) => (e.preventDefault(), setWords())}>
    <input
      class="words"
      bind:value={words}
      maxlength="200"
      placeholder="words to set"
      aria-label="Words to set"
      onkeydown={(e) => e.stopPropagation()}
    />
    <button class="chip" type="submit" disabled={!words.trim()} title="Then click where they go">Set words</button>
  </form>
  <div class="tools">
    <span class="quiet">or a picture</span>
    <PictureField
      {session}
      value=""
      label="picture to set"
      commit={(picture, name) => picture && placeDecal(session, ui, layer, { picture, name })}
    />
    <StampPick
      {session}
      label="A stamp to set"
      take={(picture, name) => placeDecal(session, ui, layer, { picture, name, cover: 'light' })}
    />
  </div>
  <ul aria-label={`Decals of ${layer.name}, topmost first`}>
    {#each list as d, i (d.id)}
      <li class:on={d.id === ui.decal} class:off={d.hidden}>
        <button class="name" aria-pressed={d.id === ui.decal} onclick={() => (ui.decal = ui.decal === d.id ? '' : d.id)}
          >{d.name}</button
        >
        <button class="chip mini" disabled={i === 0} aria-label={`Move ${d.name} up`} onclick={() => move(d, 1)}
          >↑</button
        >
        <button
          class="chip mini"
          disabled={i === list.length - 1}
          aria-label={`Move ${d.name} down`}
          onclick={() => move(d, -1)}>↓</button
        >
        <button class="chip" onclick={() => hide(d)}>{d.hidden ? 'Show' : 'Hide'}</button>
        <button class="chip" onclick={() => lock(d)}>{d.locked ? 'Unlock' : 'Lock'}</button>
        <button
          class="chip mini"
          aria-label={`Take ${d.name} off`}
          onclick={() => session.op({ kind: 'decal.remove', target: layer.id, decal: d.id })}>✕</button
        >
      </li>
    {:else}
      <li class="quiet">Nothing is set yet. Type some words or choose a picture, then click on the model.</li>
    {/each}
  </ul>
  {#if open}
    {#if open.locked}
      <p class="quiet">“{open.name}” is locked.</p>
    {:else}
      <div class="one" role="group" aria-label={`Decal ${open.name}`}>
        {#if open.text}
          <textarea
            rows="2"
            maxlength="200"
            aria-label="Words"
            value={open.text}
            onkeydown={(e) => e.stopPropagation()}
            onchange={(e) =>
              e.currentTarget.value.trim()
                ? change(
                    { text: e.currentTarget.value, name: e.currentTarget.value.trim().split('\n')[0] },
                    `Words of ${open.name}`,
                  )
                : (e.currentTarget.value = open.text!)}></textarea>
          <div class="tools">
            <select
              class="pick"
              aria-label="Font"
              value={open.font || 'bold'}
              onchange={(e) => change({ font: e.currentTarget.value as Decal['font'] })}
            >
              {#each ['bold', 'regular', 'mono'] as f (f)}<option>{f}</option>{/each}
            </select>
            <ColorField
              label="Colour of the words"
              channel="baseColor"
              {ui}
              value={open.color!}
              preview={(v) => preview({ color: v as Decal['color'] })}
              commit={(v) => change({ color: v as Decal['color'] }, `Colour of ${open.name}`)}
            />
          </div>
          <div class="grid">
            <label class="field" title="how much farther apart letters lie, in heights of a capital">
              <span class="quiet">Apart</span>
              {@render number('Letters apart', open.apart ?? 0, [-0.3, 3], ['%', 100], 0, (apart) => ({ apart }))}
            </label>
            <label class="field" title="what holds the closed parts of letters that are cut out of a sheet">
              <span class="quiet">Bridges</span>
              {@render number('Bridges', open.gaps ?? 0, [0, 0.5], ['%', 100], 0, (gaps) => ({ gaps }))}
            </label>
          </div>
        {:else}
          <PictureField
            {session}
            value={open.picture ?? ''}
            label="picture of the decal"
            commit={(picture) => picture && change({ picture }, `Picture of ${open.name}`)}
          />
          <div class="tools">
            <label class="quiet" for="decal-cover">covers</label>
            <select
              id="decal-cover"
              class="pick"
              value={open.cover ?? ''}
              onchange={(e) =>
                change({ cover: e.currentTarget.value as Decal['cover'] }, `What of ${open.name} covers`)}
            >
              <option value="">where it is there</option>
              <option value="light">where it is light</option>
              <option value="dark">where it is dark</option>
              <option value="key">all but a colour</option>
            </select>
            {#if open.cover === 'key'}
              <ColorField
                label="Key colour"
                channel="baseColor"
                {ui}
                value={open.key!}
                preview={(v) => preview({ key: v as Decal['key'] })}
                commit={(v) => change({ key: v as Decal['key'] }, `Key colour of ${open.name}`)}
              />
            {/if}
          </div>
        {/if}
        <div class="grid">
          {@render metres('Width', 'wide', open.wide, 'from side to side')}
          {@render metres('Height', 'tall', tallOf(session.id, open), 'from foot to head')}
          {#if !open.wrapped}
            {@render metres('Depth', 'depth', open.depth, 'before and behind its middle')}
            <label class="field" title="by how much the surface may turn away from it">
              <span class="quiet">Facing</span>
              {@render number('Facing', open.facing, [1, 180], ['°', 1], 75, (facing) => ({ facing }))}
            </label>
          {/if}
          <label class="field">
            <span class="quiet">Amount</span>
            {@render number('Decal amount', open.amount, [0, 1], ['%', 100], 1, (amount) => ({ amount }))}
          </label>
          <button
            class="chip"
            disabled={!open.tall}
            title="As tall as its picture or its words have it"
            onclick={() => change({ tall: 0 }, `Form of ${open.name}`)}>Own form</button
          >
        </div>
        <div class="tools">
          <button
            class="chip"
            aria-pressed={!!open.wrapped}
            title="It follows the surface around bends and keeps its size"
            onclick={() => change({ wrapped: !open.wrapped }, `${open.name}: ${open.wrapped ? 'flat' : 'wrapped'}`)}
            >Wrapped</button
          >
          <button
            class="chip"
            aria-pressed={!!open.flip}
            title="Left is right"
            onclick={() => change({ flip: !open.flip }, `${open.name}: mirrored`)}>Mirrored</button
          >
          <button
            class="chip"
            hidden={open.wrapped}
            aria-pressed={!!open.through}
            title="What lies behind something else has it too"
            onclick={() => change({ through: !open.through }, `${open.name}: through what lies before`)}>Through</button
          >
          <button
            class="chip"
            aria-pressed={ui.corners}
            title="Each corner is pulled by itself, as a picture seen from the side"
            onclick={() => (ui.corners = !ui.corners)}>Corners</button
          >
          {#if open.corners?.length}
            <button
              class="chip"
              title="Its corners where they lay"
              onclick={() => change({ corners: undefined }, `${open.name}: straight corners`)}>Straight</button
            >
          {/if}
          <button class="chip" onclick={() => change({ up: [0, 1, 0] }, `${open.name} upright`)}>Upright</button>
          <button class="chip" title="Then click near the edge that its foot is to lie along" onclick={alongEdge}
            >Along an edge</button
          >
          <button class="chip" onclick={() => replaceDecal(session, ui, layer, open)}>Set elsewhere</button>
        </div>
        <div class="tools">
          <label class="quiet" for="decal-row">set</label>
          <select
            id="decal-row"
            class="pick"
            value={open.row?.kind ?? ''}
            onchange={(e) => {
              const to = e.currentTarget.value;
              e.currentTarget.value = open.row?.kind ?? ''; // until it is so
              if (to === 'loop') along(to, 'an edge loop');
              else if (to === 'seam') along(to, 'a seam');
              else repeat(to);
            }}
          >
            <option value="">once</option>
            <option value="row">in a row</option>
            <option value="axis">round an axis</option>
            <option value="mirror">on the other side, too</option>
            {#if open.row?.kind === 'line'}<option value="line">along a line</option>{/if}
            <option value="loop">along an edge loop …</option>
            <option value="seam">along a seam …</option>
          </select>
          {#if open.row && open.row.kind !== 'mirror'}
            <div class="w-14">
              {@render number(
                'How many',
                open.row.count,
                [2, 64],
                ['', 1],
                3,
                (v) => row({ count: Math.round(v) }),
                true,
              )}
            </div>
            <div class="w-20">
              {#if open.row.kind === 'row'}
                {@render number(
                  'From one to the next',
                  open.row.step,
                  [0, ui.extent * 4],
                  ['mm', 1000],
                  open.wide * 1.25,
                  (step) => row({ step }),
                )}
              {:else if open.row.kind === 'line'}
                {@render number(
                  'From one to the next',
                  open.row.step,
                  [0, ui.extent * 4],
                  ['mm', 1000],
                  0,
                  (step) => row({ step }),
                  false,
                  'evenly',
                )}
              {:else}
                {@const even = 360 / open.row.count}
                {@render number('From one to the next', open.row.step || even, [1, 180], ['°', 1], even, (step) =>
                  row({ step }),
                )}
              {/if}
            </div>
          {/if}
          {#if open.row}
            {#if open.row.kind === 'axis' || open.row.kind === 'mirror'}
              <PlaceField
                {ui}
                label="the axis"
                value={open.row.at!}
                commit={(v) => change(row({ at: v }), `Axis of ${open.name}`)}
              />
              <DirectionField
                label="direction of the axis"
                value={open.row.axis!}
                preview={(v) => preview(row({ axis: v }))}
                commit={(v) => change(row({ axis: v }), `Axis of ${open.name}`)}
              />
            {/if}
          {/if}
        </div>
        <div class="grid">
          <label class="field" title="how much of it has flaked off; of words each letter by itself">
            <span class="quiet">Worn</span>
            {@render number('Worn', open.worn ?? 0, [0, 1], ['%', 100], 0, (worn) => ({ worn }))}
          </label>
          <label class="field" title="where it has flaked off">
            <span class="quiet">Seed</span>
            {@render number(
              'Seed of the wear',
              open.seed ?? 0,
              [0, 9999],
              ['', 1],
              0,
              (v) => ({ seed: Math.round(v) }),
              true,
            )}
          </label>
        </div>
        <div class="tools">
          <button
            class="chip"
            aria-pressed={ui.tool === 'erase'}
            title="The eraser takes this decal off where it goes, with any tip; the brush puts it back"
            onclick={() => (ui.tool = ui.tool === 'erase' ? 'orbit' : 'erase')}>Erase by hand</button
          >
          {#if erased}
            <button
              class="chip"
              title="Puts back all that was taken off by hand"
              onclick={() =>
                session.op({ ...setDecal(layer, open, `${open.name}: whole again`), whole: true } as ReturnType<
                  typeof setDecal
                >)}>Whole again ({erased} {erased === 1 ? 'stroke' : 'strokes'})</button
            >
          {/if}
        </div>
        <p class="quiet text-xs">
          Its middle moves it, the ball at its head turns it (with Ctrl in steps), a corner sizes it; on the flat sheet,
          too. With <em>Corners</em> each corner is pulled by itself.
        </p>
      </div>
    {/if}
  {/if}
</div>

<style>
  .decals {
    font-size: 13px;
  }
  .tools {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px;
    padding: 3px 0;
  }
  .words,
  textarea {
    flex: 1;
    min-width: 0;
    width: 100%;
    min-height: 28px;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 3px 8px;
    font: inherit;
  }
  .tools .words {
    width: auto;
  }
  ul {
    margin: 4px 0;
  }
  li {
    display: flex;
    align-items: center;
    gap: 2px;
    min-height: 30px;
    padding-left: 6px;
    border-left: 2px solid transparent;
  }
  li.on {
    border-left-color: var(--plum);
  }
  li.off .name {
    opacity: 0.55;
  }
  .name {
    flex: 1;
    min-width: 0;
    min-height: 28px;
    text-align: left;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  li .chip:not(.mini) {
    padding: 0 5px;
  }
  .grid {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 4px 8px;
    padding: 4px 0;
  }
  .field {
    display: grid;
    grid-template-columns: 52px 1fr;
    align-items: center;
    gap: 4px;
  }
  .chip[aria-pressed='true'] {
    box-shadow: inset 0 -2px var(--verdigris);
  }
</style>
