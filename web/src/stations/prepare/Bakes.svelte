<script lang="ts">
  import { api, type Finding, type Match } from '../../api/client';
  import { accepts } from '../../lib/forms';
  import type { Prep } from '../../lib/prep.svelte';
  import type { Session } from '../../lib/session.svelte';
  import NumberField from '../../parts/NumberField.svelte';
  import Findings from './Findings.svelte';
  import Looks from './Looks.svelte';
  let { session, prep, id, findings }: { session: Session; prep: Prep; id: string; findings: Finding[] } = $props();
  const kinds = $derived(session.about.baked ?? []);
  const baked = $derived(session.doc?.prepared?.baked ?? {});
  const dense = $derived(session.doc?.prepared?.dense ?? []);
  const have = $derived([...new Set(Object.values(baked).flatMap((b) => Object.keys(b)))].sort());
  const label = (name: string) => kinds.find((k) => k.name === name)?.label ?? name;
  const names = $derived((prep.report?.sheets ?? []).map((s) => s.sheet));
  let matches = $state.raw<Match[]>([]); // none: not known yet
  let busy = $state(false);
  let part = $state('');
  const needsDense = ['height', 'normal', 'misses'];
  const toggle = (list: string[], v: string) => (list.includes(v) ? list.filter((x) => x !== v) : [...list, v]);
  $effect(() => {
    const order = { ...prep.order() };
    if (!order.dense?.length) matches = [];
    else
      api.matches(id, order).then(
        (m) => (matches = m),
        (e) => (prep.error = e.message),
      );
  });
  const alone = $derived(matches.filter((m) => !m.dense?.length));
  async function bring(e: Event) {
    const input = e.currentTarget as HTMLInputElement;
    if (!input.files?.length) return;
    busy = true;
    await prep.run(() => api.dense(id, input.files!));
    busy = false;
    input.value = '';
  }
  // a dense model that comes in is one to bake from
  let known = $state.raw<string[] | null>(null);
  $effect(() => {
    const now = dense.map((d) => d.name);
    const fresh = now.filter((n) => known && !known.includes(n));
    if (fresh.length) prep.dense = [...new Set([...prep.dense, ...fresh])];
    if (known?.join('|') !== now.join('|')) known = now;
  });
  const forget = (name: string) => {
    prep.dense = prep.dense.filter((d) => d !== name);
    const prepared = { ...session.doc!.prepared, dense: dense.filter((d) => d.name !== name) };
    session.op({ kind: 'prepare.set', label: `Forget dense model ${name}`, value: { prepared } });
  };
  function cage(i: number, v: number) {
    const c = { ...(prep.settings.cage ?? {}) };
    const now = c[part] ?? [prep.settings.front, prep.settings.back];
    c[part] = i ? [now[0], v] : [v, now[1]];
    prep.settings.cage = c;
    if (prep.look === 'shell') prep.show();
  }
  function distance(key: 'front' | 'back', v: number) {
    if (part) cage(key === 'back' ? 1 : 0, v);
    else {
      prep.settings[key] = v;
      if (prep.look === 'shell') prep.show();
    }
  }
  const at = $derived((part && prep.settings.cage?.[part]) || [prep.settings.front, prep.settings.back]);
</script>

{#if have.length}
  <Looks {prep} list={have.map((m) => [`baked.${m}`, label(m)] as [string, string])} />
{/if}

<Findings {prep} {findings} />
<h3>Dense model</h3>
{#each dense as d (d.name)}
  <div class="row">
    <label class="flex grow items-center gap-1 truncate">
      <input
        type="checkbox"
        checked={prep.dense.includes(d.name)}
        onchange={() => (prep.dense = toggle(prep.dense, d.name))}
      />
      {d.name} <span class="quiet">{d.triangles.toLocaleString()} triangles</span>
    </label>
    <button class="chip" onclick={() => forget(d.name)} aria-label={`Forget ${d.name}`}>✕</button>
  </div>
{:else}<p class="quiet text-sm">None: the model measures itself. Normal and height need one.</p>{/each}
<label class="chip file">
  {busy ? 'Sending …' : 'Add a dense model …'}
  <input
    type="file"
    class="sr-only"
    multiple
    accept={accepts(session.about.forms, false)}
    onchange={bring}
    disabled={busy}
    aria-label="Add a dense model"
  />
</label>
{#if prep.dense.length}
  <div class="grid2 mt-2">
    <span>parts see</span>
    <select class="pick" aria-label="Which dense parts a part sees" bind:value={prep.settings.match}>
      <option value="all">every dense part</option>
      <option value="exact">those of their name</option>
      <option value="suffix">by a suffix</option>
    </select>
    {#if prep.settings.match === 'suffix'}
      <span>part ends in</span><input class="pick" aria-label="Suffix of parts" bind:value={prep.settings.lowSuffix} />
      <span>dense part ends in</span><input
        class="pick"
        aria-label="Suffix of dense parts"
        bind:value={prep.settings.highSuffix}
      />
    {/if}
  </div>
  {#if prep.settings.match !== 'all' && matches.length}
    <p class="text-sm {alone.length ? '' : 'quiet'}" class:warn={alone.length}>
      {alone.length
        ? `Without counterpart: ${alone.map((m) => m.part).join(', ')}`
        : `All ${matches.length} parts have their counterpart.`}
    </p>
  {/if}
  <h3>Cage</h3>
  <div class="grid2">
    <span>of</span>
    <select class="pick" aria-label="Cage of" bind:value={part}>
      <option value="">the whole model</option>
      {#each matches as m, i (i)}<option value={m.part}>{m.part}{prep.settings.cage?.[m.part] ? ' *' : ''}</option
        >{/each}
    </select>
    <span>before the surface</span>
    <NumberField
      label="before the surface"
      nought="a fiftieth"
      value={at[0]}
      min={0}
      max={1}
      scale={1000}
      unit="mm"
      fallback={0}
      commit={(v) => distance('front', v)}
    />
    <span>behind it</span>
    <NumberField
      label="behind it"
      nought="as before it"
      value={at[1]}
      min={0}
      max={1}
      scale={1000}
      unit="mm"
      fallback={0}
      commit={(v) => distance('back', v)}
    />
  </div>
  <Looks {prep} list={[['shell', 'Show the shell', 'Where the rays start']]} />
{/if}

<h3>Maps</h3>
<div class="row">
  {#each kinds.filter((k) => k.name !== 'misses') as k (k.name)}
    <button
      class="chip"
      aria-pressed={prep.maps.includes(k.name)}
      disabled={needsDense.includes(k.name) && !prep.dense.length}
      title={k.help}
      onclick={() => (prep.maps = toggle(prep.maps, k.name))}>{k.label}</button
    >
  {/each}
</div>
<div class="grid2">
  <span>on</span>
  <select
    class="pick"
    aria-label="Which sheets are baked"
    value={prep.sheets[0] ?? ''}
    onchange={(e) => (prep.sheets = e.currentTarget.value ? [e.currentTarget.value] : [])}
  >
    <option value="">every sheet</option>
    {#each names as n (n)}<option value={n}>{n}</option>{/each}
  </select>
  <span>size</span>
  <select class="pick" aria-label="Size of the maps" bind:value={prep.settings.size}>
    {#each [256, 512, 1024, 2048, 4096, 8192] as n (n)}<option value={n}>{n} × {n}</option>{/each}
  </select>
  <span>rays a texel</span>
  <NumberField
    label="rays a texel"
    value={prep.settings.samples}
    min={1}
    max={4096}
    whole
    log
    fallback={64}
    commit={(v) => (prep.settings.samples = v)}
  />
  <span>anti-aliasing</span>
  <select class="pick" aria-label="Anti-aliasing" bind:value={prep.settings.smooth}>
    <option value={1}>none</option><option value={2}>2 × 2</option><option value={4}>4 × 4</option>
  </select>
  <span>occlusion reaches</span>
  <NumberField
    label="occlusion reaches"
    nought="any distance"
    value={prep.settings.distance}
    min={0}
    max={10}
    scale={1000}
    unit="mm"
    fallback={0}
    commit={(v) => (prep.settings.distance = v)}
  />
  <span>occluded by</span>
  <select class="pick" aria-label="What occludes" bind:value={prep.settings.self}>
    <option value="all">the whole model</option><option value="part">its own part</option>
  </select>
  <span>curvature within</span>
  <NumberField
    label="curvature within"
    nought="a hundredth"
    value={prep.settings.radius}
    min={0}
    max={1}
    scale={1000}
    unit="mm"
    fallback={0}
    commit={(v) => (prep.settings.radius = v)}
  />
  <span>white thickness</span>
  <NumberField
    label="white thickness"
    nought="a fifth"
    value={prep.settings.thickness}
    min={0}
    max={10}
    scale={1000}
    unit="mm"
    fallback={0}
    commit={(v) => (prep.settings.thickness = v)}
  />
  <span>carried outward</span>
  <NumberField
    label="carried outward"
    value={prep.settings.dilate}
    min={-1}
    max={256}
    whole
    unit="texels"
    fallback={16}
    commit={(v) => (prep.settings.dilate = v)}
  />
  {#if prep.maps.includes('id')}
    <span>IDs tell apart</span>
    <select class="pick" aria-label="What IDs tell apart" bind:value={prep.settings.id}>
      <option value="material">materials</option><option value="part">parts</option><option value="color"
        >vertex colours</option
      >
    </select>
  {/if}
  <label class="col-span-2 flex items-center gap-1" title="EXR files then hold every digit; otherwise what 16 bits hold"
    ><input type="checkbox" bind:checked={prep.floats} /> keep floating point too, for EXR</label
  >
</div>
<button
  class="chip strong mt-2"
  disabled={!prep.maps.length || !names.length}
  onclick={() => prep.run(() => api.bake(id, prep.order()))}
>
  Bake {prep.maps.length === 1 ? label(prep.maps[0]).toLowerCase() : `${prep.maps.length} maps`}
</button>

{#each Object.entries(baked) as [sheet, all] (sheet)}
  <details>
    <summary><b>{sheet}</b> <span class="quiet">{Object.keys(all).length} maps</span></summary>
    {#each Object.entries(all) as [name, b] (name)}
      <div class="row">
        <span class="grow">{label(name)} <span class="quiet">{b.size}{b.from ? ` from ${b.from}` : ''}</span></span>
        <a class="chip link" href={`/api/projects/${id}/baked/${encodeURIComponent(sheet)}/${name}?form=png16`} download
          >PNG</a
        >
        <a class="chip link" href={`/api/projects/${id}/baked/${encodeURIComponent(sheet)}/${name}?form=exr`} download
          >EXR</a
        >
      </div>
    {/each}
  </details>
{/each}

<style>
  .file,
  .link {
    display: inline-grid;
    place-content: center;
    cursor: pointer;
  }
  .strong {
    background: var(--plum-soft);
    width: 100%;
  }
  .warn {
    border-left: 3px solid var(--ochre);
    padding-left: 8px;
  }
  summary {
    min-height: 28px;
    cursor: pointer;
    margin-top: 6px;
  }
</style>
