<script lang="ts">
  import Icon from '../parts/Icon.svelte';
  import type { IconName } from '../lib/icons';
  import { onDestroy, setContext, untrack } from 'svelte';
  import { api, type About, type Job } from '../api/client';
  import { Session } from '../lib/session.svelte';
  import { comparer, type LineUp } from '../lib/lineup.svelte';
  import { UI, type Station } from '../lib/ui.svelte';
  import Conditions from '../parts/Conditions.svelte';
  import Lazy from '../parts/Lazy.svelte';
  import Alarm from '../parts/Alarm.svelte';
  import Ledger from '../parts/Ledger.svelte';
  import Keys from '../parts/Keys.svelte';
  import { pictures } from '../lib/dropped';
  import Edge from '../parts/Edge.svelte';
  import Section from '../parts/Section.svelte';
  import View from '../parts/View.svelte';
  import Worktop from '../parts/Worktop.svelte';
  import { Prep } from '../lib/prep.svelte';
  import { keyNow } from '../lib/shortcuts.svelte';

  let { id, about, dark = $bindable() }: { id: string; about: About; dark: boolean } = $props();
  // the page is made anew for another project, so the first values hold
  // svelte-ignore state_referenced_locally
  const session = new Session(id, about);
  const ui = new UI();
  $effect(() => {
    ui.palette = session.doc?.palette ?? [];
  });
  ui.setPalette = (list, label) => session.op({ kind: 'palette.set', label, value: list });
  // values of any number can be compared
  setContext('compare', comparer(session));
  setContext('lineup', (l: LineUp) => (ui.lineup = l));
  session.connect();
  let prep = $state.raw<Prep | null>(null);
  $effect(() => {
    if (session.doc && !prep) prep = new Prep(session, id);
  });
  /** the model that the view shows */
  let shown = '';
  $effect(() => {
    if (!session.model) return;
    if (shown && shown !== session.model) session.reconnect();
    shown = session.model;
  });
  // jobs that the server tells of
  $effect(() => {
    const told = session.jobs;
    const known = untrack(() => jobs);
    const fresh = Object.values(told).filter((j) => !known.some((k) => k.id === j.id));
    if (fresh.length || known.some((k) => told[k.id] && told[k.id] !== k))
      jobs = [...fresh, ...known.map((k) => told[k.id] ?? k)];
  });
  let name = $state('');
  let jobs = $state.raw<Job[]>([]);
  // svelte-ignore state_referenced_locally
  api.projects().then((all) => (name = all.find((p) => p.id === id)?.name ?? 'Project'));
  const refreshJobs = async () => (jobs = await api.jobs(id).catch(() => jobs));
  refreshJobs();
  const running = $derived(jobs.filter((j) => ['waiting', 'running', 'ready'].includes(j.state)));
  $effect(() => {
    if (!running.length) return;
    const timer = setInterval(refreshJobs, 700);
    return () => clearInterval(timer);
  });
  $effect(() => {
    if (session.doc && !session.layer(ui.selected) && ui.fresh !== ui.selected)
      ui.choose(session.doc.layers?.at(-1)?.id ?? '');
    if (ui.solo && session.doc && !session.layer(ui.solo)) ui.solo = '';
  });
  // svelte-ignore state_referenced_locally
  api
    .facts(id)
    .then((f) => (ui.parts = [...new Set((f.parts ?? []).map((p) => p.name))])) // parts may have one name
    .catch(() => {});
  /** Opens where a job is told of. */
  function showJob(j: Job) {
    if (j.kind === 'still') return void ((ui.station = 'Judge'), (ui.stills = true));
    if (!j.kind.startsWith('view ')) return void (ui.station = j.kind === 'deliver' ? 'Deliver' : 'Prepare');
    ui.station = 'Layer';
    ui.paintOver(true);
  }
  onDestroy(() => session.close());
  /** something has waited to be kept for so long that it is worth a word */
  let late = $state(false);
  $effect(() => {
    if (!session.unkept) {
      late = false;
      return;
    }
    const timer = setTimeout(() => (late = true), 600);
    return () => clearTimeout(timer);
  });
  const keptSays = $derived.by(() => {
    const waits = session.unkept === 1 ? '1 change' : `${session.unkept} changes`;
    if (session.gone) return 'not there';
    if (!session.online) return session.unkept ? `reconnecting … ${waits} not kept yet` : 'reconnecting …';
    if (late) return `keeping ${waits} …`;
    return session.kept ? `all kept ${session.kept}` : 'all kept';
  });
  /** asks before the page is left while something is not kept */
  function leaving(e: BeforeUnloadEvent) {
    if (session.unkept) e.preventDefault();
  }
  let undeleting = $state('');
  async function bringBack() {
    try {
      await api.restore(id);
      location.reload();
    } catch (e) {
      undeleting = (e as Error).message;
    }
  }
  /** What was painted over views comes back. */
  async function takeBack(list: File[]) {
    for (const f of list)
      try {
        await api.takeView(id, f, f.name);
        ui.paintOver(true);
        await refreshJobs();
      } catch (e) {
        session.message = (e as Error).message;
      }
  }
  /** Pictures that are dropped become a material. */
  async function dropped(e: DragEvent) {
    if (ui.station !== 'Layer' || !e.dataTransfer?.types.includes('Files')) return;
    e.preventDefault();
    const over = [...e.dataTransfer.files].filter((f) => /\.ora$/i.test(f.name));
    if (over.length) return void takeBack(over);
    const files = await pictures(e.dataTransfer);
    if (files.length) ui.pictures = { files, known: [] };
    else
      session.message =
        'Nothing of what was dropped is a picture; drop PNG, JPEG, TIFF, WebP, OpenEXR or Radiance, a folder or a zip of them.';
  }
  // fetched when they are first shown, or when nothing else is to be done
  const parts = {
    Guide: () => import('../parts/Guide.svelte'),
    PictureSet: () => import('../parts/PictureSet.svelte'),
    PaintOver: () => import('../parts/PaintOver.svelte'),
    Prepare: () => import('./Prepare.svelte'),
    Deliver: () => import('./Deliver.svelte'),
    DeliverTable: () => import('../parts/deliver/DeliverTable.svelte'),
    Judge: () => import('./Judge.svelte'),
    JudgeBars: () => import('../parts/judge/JudgeBars.svelte'),
    Stock: () => import('../parts/Stock.svelte'),
    StampPress: () => import('../parts/StampPress.svelte'),
  };
  let fetched = false;
  $effect(() => {
    if (!session.settled || fetched) return;
    fetched = true;
    const all = () => Object.values(parts).forEach((part) => void part().catch(() => {})); // told when it is shown
    setTimeout(() => (window.requestIdleCallback ?? setTimeout)(all), 1500);
  });
  const stations: Station[] = ['Prepare', 'Layer', 'Judge', 'Deliver'];
  const signs: Record<Station, IconName> = { Prepare: 'ruler', Layer: 'layers', Judge: 'eye', Deliver: 'pack' };
  let wide = $state(1280);
  const widest = $derived(Math.max(Math.round(wide * 0.45), 344));
</script>

<svelte:window
  onbeforeunload={leaving}
  ondragover={(e) => e.dataTransfer?.types.includes('Files') && ui.station === 'Layer' && e.preventDefault()}
  ondrop={dropped}
/>
{#if ui.guide}<Lazy load={parts.Guide} {ui} />{/if}
{#if ui.pictures}<Lazy load={parts.PictureSet} {session} {ui} />{/if}
<Keys {session} {ui} />
<div
  class="frame"
  class:plain-view={ui.station === 'Judge'}
  class:folded={ui.station === 'Layer' && ui.folded.side}
  style:--side={`${Math.min((ui.station === 'Layer' ? ui.side : Math.min(ui.side, 460)) * ui.scale, widest)}px`}
  style:--scale={ui.scale}
  bind:clientWidth={wide}
>
  <header>
    <a href="#/" class="home whitespace-nowrap font-semibold" style:color="var(--plum)" title="All projects"
      >Velvet Grime</a
    >
    <span class="quiet">/</span>
    <h1 class="truncate font-semibold">{name}</h1>
    <nav aria-label="Stations">
      {#each stations as s (s)}
        <button class="station" aria-current={ui.station === s ? 'page' : undefined} onclick={() => (ui.station = s)}
          ><Icon of={signs[s]} />{s}</button
        >
      {/each}
    </nav>
    <div class="right">
      {#if running.length}<button class="chip" title={running[0].label} onclick={() => showJob(running[0])}
          >{running.length} running · {Math.round(running[0].progress * 100)} %</button
        >{/if}
      {#each session.works as w (w.id)}
        <button class="chip" title="Click to stop it" onclick={() => session.tell({ t: 'work.cancel', seq: w.id })}
          >{w.label} · {Math.round(w.share * 100)} % ✕</button
        >
      {/each}
      <button
        class="chip"
        disabled={!session.undoLabel}
        title={session.undoLabel && `Undo: ${session.undoLabel} (${keyNow('ctrl+z')})`}
        onclick={() => session.undo()}><Icon of="undo" />Undo</button
      >
      <button
        class="chip"
        disabled={!session.redoLabel}
        title={session.redoLabel && `Redo: ${session.redoLabel} (${keyNow('ctrl+shift+z')})`}
        onclick={() => session.redo()}><Icon of="redo" />Redo</button
      >
      <button class="chip" aria-expanded={ui.ledger} onclick={() => (ui.ledger = !ui.ledger)}
        ><Icon of="ledger" />Ledger</button
      >
      <button class="chip" onclick={() => (dark = !dark)} title="Light or dark surroundings"
        ><Icon of={dark ? 'sun' : 'moon'} />{dark ? 'Light' : 'Dark'}</button
      >
      <select
        class="pick scale"
        aria-label="Scale of the interface"
        title="How large the interface is drawn; the view is not"
        value={ui.scale}
        onchange={(e) => ui.setScale(Number(e.currentTarget.value))}
      >
        {#each [0.8, 0.9, 1, 1.15, 1.3, 1.45, 1.6] as v (v)}<option value={v}>{Math.round(v * 100)} %</option>{/each}
      </select>
      <button class="chip" aria-label="Guide" title="The guide, and all keys (?)" onclick={() => ui.openGuide()}
        ><Icon of="help" /></button
      >
      <span
        class="kept"
        class:off={!session.online || late}
        data-unkept={session.unkept}
        aria-live="polite"
        title={session.unkept ? 'What is not kept yet is sent again until the server has it' : ''}
      >
        {keptSays}{session.viewers > 1 ? ` · ${session.viewers} windows` : ''}
      </span>
    </div>
  </header>
  <aside aria-label={ui.station === 'Layer' ? 'Section' : ui.station}>
    {#if ui.station === 'Layer'}
      <Section {session} {ui} />
      <Edge
        label="Width of the side"
        value={ui.side}
        lowest={300}
        highest={widest}
        usual={ui.usualSide}
        upright
        set={(px) => ui.setSide(px)}
      />
    {:else if ui.station === 'Prepare'}
      {#if prep}<Lazy load={parts.Prepare} {session} {prep} {id} {jobs} parts={ui.parts} />{/if}
    {:else if ui.station === 'Deliver'}
      <Lazy
        load={parts.Deliver}
        {session}
        {ui}
        {id}
        {name}
        jobs={jobs.filter((j) => j.kind === 'deliver')}
        refresh={refreshJobs}
      />
    {/if}
  </aside>
  <main aria-label="View">
    {#if session.gone}
      <div class="gone" role="alert">
        <h2 class="font-semibold">{session.gone}</h2>
        <p class="quiet">
          {session.unkept
            ? `${session.unkept === 1 ? 'One change was' : `${session.unkept} changes were`} not kept before.`
            : 'Everything you did before is kept in it.'}
        </p>
        <div class="flex gap-2">
          <button class="chip" onclick={bringBack}>Bring it back</button>
          <a class="chip" href="#/">All projects</a>
        </div>
        {#if undeleting}<p>{undeleting}</p>{/if}
      </div>
    {/if}
    {#key session.model}{#if session.model}<View {session} {ui} {id} {prep} />{/if}{/key}
    {#if ui.station === 'Judge' && session.doc}<Lazy load={parts.JudgeBars} {session} {ui} {id} {jobs} />{/if}
    {#if ui.station === 'Layer' && session.doc}
      {#if ui.conditions}<Conditions {session} {ui} />{/if}
      {#if ui.over}<Lazy
          load={parts.PaintOver}
          {session}
          {ui}
          jobs={jobs.filter((j) => j.kind === 'view out' || j.kind === 'view back')}
          refresh={refreshJobs}
        />{/if}
      {#if ui.folded.side}<button
          class="unfold side"
          title={`The layers (${keyNow('shift+s')})`}
          onclick={() => ui.fold('side')}>layers ›</button
        >{/if}
      {#if ui.folded.worktop}<button
          class="unfold work"
          title={`The worktop (${keyNow('shift+w')})`}
          onclick={() => ui.fold('worktop')}>worktop ▴</button
        >{/if}
      {#if ui.stock}<Lazy load={parts.Stock} {session} {ui} project={id} />{/if}
    {/if}
  </main>
  <footer aria-label="Worktop">
    {#if ui.station === 'Judge'}<Lazy
        load={parts.Judge}
        {ui}
        {session}
        {id}
      />{:else if ui.station === 'Deliver' && ui.ordering}<Lazy
        load={parts.DeliverTable}
        {ui}
        o={ui.ordering}
      />{:else if ui.station === 'Layer' && !ui.folded.worktop}<Worktop {session} {ui} />{/if}
  </footer>
  {#if ui.press && ui.station === 'Layer' && session.doc}<Lazy load={parts.StampPress} {session} {ui} />{/if}
  {#if ui.ledger}<Ledger {session} {ui} close={() => (ui.ledger = false)} />{/if}
  {#if session.message}
    <Alarm says={session.message} close={() => (session.message = '')} />
  {/if}
</div>

<style>
  .frame {
    display: grid;
    height: 100%;
    grid-template: calc(44px * var(--scale)) 1fr auto / var(--side) 1fr;
    grid-template-areas: 'top top' 'side view' 'side work';
    position: relative;
  }
  header,
  aside,
  footer {
    zoom: var(--scale);
  }
  @media (max-width: 1180px) {
    .scale {
      display: none;
    }
  }
  .plain-view,
  .folded {
    grid-template-columns: 0 1fr;
  }
  .folded aside {
    visibility: hidden;
  }
  .unfold {
    position: absolute;
    min-height: 28px;
    padding: 0 10px;
    background: var(--panel);
    border: 1px solid var(--line);
    z-index: 3;
  }
  .unfold.side {
    left: 0;
    top: 50%;
    border-left: 0;
    border-radius: 0 4px 4px 0;
  }
  .unfold.work {
    left: 50%;
    bottom: 0;
    border-bottom: 0;
    border-radius: 4px 4px 0 0;
  }
  header {
    grid-area: top;
    display: flex;
    align-items: center;
    gap: 10px;
    padding: 0 14px;
    background: var(--panel);
    border-bottom: 1px solid var(--line);
    min-width: 0;
  }
  .home {
    min-height: 28px;
    align-content: center;
  }
  h1 {
    max-width: 180px;
    min-width: 40px;
  }
  nav {
    margin: 0 auto;
    flex: none;
    display: flex;
    border: 1px solid var(--line);
    border-radius: 4px;
    padding: 2px;
  }
  .station {
    display: flex;
    align-items: center;
    gap: 6px;
    min-height: 28px;
    padding: 0 14px;
    border-radius: 3px;
    color: var(--quiet);
  }
  @media (max-width: 1180px) {
    .station {
      padding: 0 9px;
    }
    .station :global(.sign),
    .right .chip:not([aria-label]) :global(.sign) {
      display: none;
    }
  }
  .station[aria-current] {
    background: var(--plum-soft);
    color: var(--text);
    box-shadow: inset 0 -2px var(--plum);
  }
  .right {
    flex: none;
    display: flex;
    align-items: center;
    gap: 6px;
  }
  .kept {
    color: var(--verdigris);
    white-space: nowrap;
  }
  .kept.off {
    color: var(--ochre);
  }
  aside {
    grid-area: side;
    position: relative;
    background: var(--panel);
    border-right: 1px solid var(--line);
    min-height: 0;
    overflow: hidden;
  }
  main {
    grid-area: view;
    position: relative;
    min-height: 0;
    min-width: 0;
  }
  footer {
    grid-area: work;
    background: var(--panel);
    border-top: 1px solid var(--line);
    min-width: 0;
  }
  .gone {
    position: absolute;
    inset: 0;
    z-index: 10;
    display: grid;
    align-content: center;
    justify-items: center;
    gap: 12px;
    background: var(--panel);
    text-align: center;
  }
</style>
