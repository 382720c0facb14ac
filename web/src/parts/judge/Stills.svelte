<script lang="ts">
  // Stills: what the view shows, traced on the server; those that were drawn are kept.
  import { onDestroy } from 'svelte';
  import { Progressbar } from 'flowbite-svelte';
  import { api, type Job, type StillLine, type StillOrder } from '../../api/client';
  import type { Session } from '../../lib/session.svelte';
  import type { UI } from '../../lib/ui.svelte';

  interface Props {
    ui: UI;
    session: Session;
    id: string;
    jobs: Job[];
    below: boolean;
  }
  let { ui, session, id, jobs, below }: Props = $props();
  let list = $state.raw<StillLine[]>([]);
  let size = $state('1280x800');
  let samples = $state(64);
  let denoise = $state(true);
  let ground = $state(true);
  let relief = $state(false);
  /** pictures all round; 0: one still */
  let round = $state(0);
  let behind = $state<'light' | 'plain' | 'clear'>('light');
  let error = $state('');
  /** the one that is looked at, large */
  let open = $state('');
  /** what was thrown away last, and can be had back */
  let thrown = $state('');
  const fail = (e: Error) => (error = e.message);
  const sizes: [string, string][] = [
    ['320x200', '320 × 200, a trial'],
    ['640x400', '640 × 400'],
    ['1280x800', '1280 × 800'],
    ['1920x1080', '1920 × 1080'],
    ['2560x1600', '2560 × 1600'],
    ['3840x2160', '3840 × 2160'],
    ['window', 'as the window'],
  ];

  async function refresh() {
    list = await api.stills(id).catch((e) => (fail(e), list));
  }
  refresh();
  const stillJobs = $derived(jobs.filter((j) => j.kind === 'still'));
  const states = $derived(stillJobs.map((j) => j.id + j.state).join());
  $effect(() => {
    void states;
    refresh();
  });
  /** the line as the session last told of it */
  const now = (l: StillLine): Job => session.jobs[l.id] ?? l;
  const alive = (j: Job) => j.state === 'running' || j.state === 'waiting';

  function order(): StillOrder {
    const [w, h] = size === 'window' ? ui.judge!.size() : size.split('x').map(Number);
    const { look } = ui;
    const v = ui.judge!.still(w, h);
    return {
      ...v,
      name: `${round ? 'Turntable' : 'Still'} ${list.length + 1}`,
      turntable: round || undefined,
      w,
      h,
      samples,
      light: look.around,
      turn: look.light,
      tilt: look.tilt,
      exposure: look.exposure,
      glow: look.glow,
      background: behind,
      blur: look.blur,
      ground: ground && !ui.part,
      tone: look.tone,
      denoise,
      relief,
    };
  }
  async function start() {
    error = '';
    try {
      const j = await api.still(id, order());
      open = j.id;
      session.jobs = { ...session.jobs, [j.id]: j };
      await refresh();
    } catch (e) {
      fail(e as Error);
    }
  }
  async function act(what: Promise<unknown>) {
    error = '';
    await what.catch(fail);
    await refresh();
  }
  // what is drawn so far is fetched while it is drawn
  let shown = $state<Record<string, string>>({});
  async function look() {
    for (const l of list) {
      if (!alive(now(l)) && now(l).state !== 'cancelled') continue;
      const a = await fetch(`/api/stills/${l.id}/shown`).catch(() => null);
      if (a?.status !== 200) continue;
      const url = URL.createObjectURL(await a.blob());
      if (shown[l.id]) URL.revokeObjectURL(shown[l.id]);
      shown = { ...shown, [l.id]: url };
    }
  }
  const busy = $derived(list.some((l) => alive(now(l))));
  $effect(() => {
    void list;
    look();
    if (!busy) return;
    // often until something of it is seen
    const blank = list.some((l) => alive(now(l)) && !shown[l.id]);
    const timer = setInterval(() => (look(), refresh()), blank ? 300 : 1200);
    return () => clearInterval(timer);
  });
  onDestroy(() => Object.values(shown).forEach((u) => URL.revokeObjectURL(u)));
  const file = (l: StillLine, ext: string) => (l.files ?? []).find((f) => f.name.endsWith(ext));
  const picture = (l: StillLine) => {
    const png = file(l, '.webp') ?? file(l, '.png'); // a turntable turns
    return png && l.state === 'done' ? `/api/jobs/${l.id}/files/${encodeURIComponent(png.name)}` : shown[l.id];
  };
  const seconds = (s: number) => (s < 90 ? `${Math.round(s)} s` : `${Math.round(s / 60)} min`);
</script>

<svelte:window onkeydown={(e) => e.key === 'Escape' && (open = '')} />
<aside class="stills" class:below aria-label="Stills">
  <div class="grid gap-1.5">
    <label class="flex items-center gap-2"
      ><span class="quiet">size</span>
      <select class="pick grow" aria-label="Size of the still" bind:value={size}>
        {#each sizes as [v, says] (v)}<option value={v}>{says}</option>{/each}
      </select></label
    >
    <label class="flex items-center gap-2"
      ><span class="quiet">paths a pixel</span>
      <select class="pick grow" aria-label="Paths a pixel" bind:value={samples}>
        {#each [4, 16, 64, 256, 1024, 4096] as v (v)}<option value={v}>{v}</option>{/each}
      </select></label
    >
    <label class="flex items-center gap-2"
      ><span class="quiet">behind</span>
      <select class="pick grow" aria-label="Behind the model" bind:value={behind}>
        <option value="light">the environment</option>
        <option value="plain">plain grey</option>
        <option value="clear">nothing</option>
      </select></label
    >
    <label class="flex items-center gap-2"
      ><span class="quiet">turntable</span>
      <select class="pick grow" aria-label="Turntable" bind:value={round}>
        <option value={0}>none: one still</option>
        {#each [8, 12, 24, 36, 72] as v (v)}<option value={v}>{v} pictures all round</option>{/each}
      </select></label
    >
    <span class="flex flex-wrap gap-x-3">
      <label><input type="checkbox" bind:checked={denoise} /> denoise</label>
      <label><input type="checkbox" bind:checked={ground} /> floor</label>
      <label title="Heights move the surface itself: edges show them, and they cast shadows"
        ><input type="checkbox" bind:checked={relief} /> relief</label
      >
      <button class="chip ml-auto" onclick={start}>{round ? 'Draw a turntable' : 'Draw a still'}</button>
    </span>
    {#if error}<p class="border-l-4 pl-2" style:border-color="var(--brick)" role="alert">{error}</p>{/if}
  </div>
  {#if thrown}
    <p class="mt-2">
      Thrown away.
      <button class="chip" onclick={() => (act(api.restoreStill(thrown)), (thrown = ''))}>Bring it back</button>
    </p>
  {/if}
  {#each list as l (l.id)}
    {@const j = now(l)}
    <article data-state={j.state} aria-label={l.label}>
      <div class="flex items-center gap-2">
        <b class="grow truncate">{l.label}</b>
        <span class="quiet text-xs">{l.order.w} × {l.order.h}</span>
      </div>
      {#if picture(l)}
        <button class="shot" aria-label={`Look at ${l.label}`} onclick={() => (open = l.id)}
          ><img src={picture(l)} alt={l.label} /></button
        >
      {/if}
      {#if alive(j)}
        <Progressbar progress={Math.round(j.progress * 100)} size="h-1.5" color="primary" />
        <p class="quiet text-xs" aria-live="polite">{j.note || 'waiting'}</p>
        <button class="chip" onclick={() => act(api.cancel(l.id))}>Pause</button>
      {:else if j.state === 'done'}
        <p class="quiet text-xs">
          {l.facts.samples} paths a pixel · {l.order.turntable
            ? `${l.order.turntable} pictures`
            : `off by ${(l.facts.error * 100).toFixed(1)} %`} · {seconds(l.facts.seconds)}
        </p>
        <span class="flex gap-1">
          {#if l.order.turntable}<a
              class="chip grid place-content-center"
              title="All pictures, numbered, and the animated one"
              href={`/api/jobs/${l.id}/files/all.zip`}
              download>All as zip</a
            >{/if}
          {#each l.order.turntable ? ['.webp'] : ['.png', '.exr'] as ext (ext)}
            {@const f = file(l, ext)}
            {#if f}<a
                class="chip grid place-content-center"
                href={`/api/jobs/${l.id}/files/${encodeURIComponent(f.name)}`}
                download>{ext.slice(1).toUpperCase()}</a
              >{/if}
          {/each}
          <button class="chip" onclick={() => (act(api.dropStill(l.id)), (thrown = l.id), (open = ''))}
            >Throw away</button
          >
        </span>
      {:else}
        <p style:color={j.state === 'failed' ? 'var(--brick)' : undefined}>
          {j.state === 'failed' ? j.note : 'paused'}
        </p>
        <span class="flex gap-1">
          <button class="chip" onclick={() => act(api.again(l.id))}>Go on</button>
          <button class="chip" onclick={() => (act(api.dropStill(l.id)), (thrown = l.id), (open = ''))}
            >Throw away</button
          >
        </span>
      {/if}
    </article>
  {:else}<p class="quiet mt-2">None was drawn yet. One shows what the view shows now.</p>{/each}
</aside>
{#if open}
  {@const l = list.find((x) => x.id === open)}
  {#if l && picture(l)}
    <div class="large" role="group" aria-label={`${l.label}, large`}>
      <img src={picture(l)} alt={l.label} />
      <button class="chip" onclick={() => (open = '')}>Back to the view</button>
    </div>
  {/if}
{/if}

<style>
  .stills {
    zoom: var(--scale);
    position: absolute;
    top: 50px;
    right: 12px;
    bottom: 12px;
    width: 252px;
    z-index: 2;
    overflow: auto;
    padding: 10px 12px;
    background: var(--panel);
    border: 1px solid var(--line);
    border-radius: 4px;
  }
  .stills.below {
    top: 190px;
  }
  article {
    display: grid;
    gap: 5px;
    margin-top: 10px;
    padding-top: 8px;
    border-top: 1px solid var(--line);
  }
  .shot img {
    width: 100%;
    border-radius: 2px;
  }
  .large {
    position: absolute;
    inset: 0;
    z-index: 1;
    background: #5a5a5a;
    display: grid;
    place-content: center;
  }
  .large img {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    object-fit: contain;
  }
  .large button {
    position: absolute;
    left: 12px;
    bottom: 12px;
    background: var(--panel);
  }
</style>
