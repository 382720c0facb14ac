<script lang="ts">
  // The view goes out as a layered picture, is painted over elsewhere, and comes back.
  import { Progressbar } from 'flowbite-svelte';
  import { api, type Job } from '../api/client';
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';

  let { session, ui, jobs, refresh }: { session: Session; ui: UI; jobs: Job[]; refresh: () => void } = $props();
  const out = $derived(jobs.filter((j) => j.kind === 'view out'));
  const back = $derived(jobs.filter((j) => j.kind === 'view back'));
  /** how many texels a pixel of the window gets */
  let times = $state(2);
  let folder = $state(true);
  let name = $state('');
  let failed = $state('');
  const size = $derived.by(() => {
    void ui.over;
    const l = ui.lens();
    return l ? [Math.round(l.width * times), Math.round(l.height * times)] : [0, 0];
  });
  const usual = $derived(`View ${out.length + 1}`);
  async function send() {
    const l = ui.lens();
    if (!l) return;
    failed = '';
    const [w, h] = [Math.round(l.width * times), Math.round(l.height * times)];
    const { view, eye, target } = l;
    try {
      await api.sendView(session.id, {
        view,
        // of the picture itself, whose texels are whole
        aspect: w / h,
        eye,
        target,
        w,
        h,
        name: name.trim() || usual,
        folder: session.about.exchange && folder,
      });
      name = '';
      refresh();
    } catch (e) {
      failed = (e as Error).message;
    }
  }
  async function bring(list: FileList | null) {
    failed = '';
    for (const f of list ?? [])
      try {
        await api.takeView(session.id, f, f.name);
        refresh();
      } catch (e) {
        failed = (e as Error).message;
      }
  }
  const time = (j: Job) => new Date(j.at).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' });
  const works = (j: Job) => ['waiting', 'running', 'ready'].includes(j.state);
</script>

<section class="slid-in" aria-label="Paint over">
  <header class="flex items-center gap-2">
    <h2 class="grow font-semibold">Paint over</h2>
    <button class="chip" onclick={() => (ui.over = false)}>Close</button>
  </header>
  <p class="quiet text-sm">
    The view goes out as a layered picture (.ora). What you add to it in another program, on layers of its own, comes
    back onto the model from the same camera, as slides in one group.
  </p>
  <div class="grid2">
    <label for="over-name">Name</label>
    <input
      id="over-name"
      class="field"
      placeholder={usual}
      maxlength="80"
      bind:value={name}
      onkeydown={(e) => e.stopPropagation()}
    />
    <label for="over-size">Size</label>
    <span class="flex items-center gap-2">
      <select id="over-size" class="pick" bind:value={times}>
        {#each [1, 2, 3, 4] as n (n)}<option value={n}>{n} × the window</option>{/each}
      </select>
      <span class="quiet">{size[0]} × {size[1]}</span>
    </span>
  </div>
  {#if session.about.exchange}
    <label class="check"><input type="checkbox" bind:checked={folder} /> also into the exchange folder</label>
  {/if}
  <button class="chip send" disabled={!size[0]} onclick={send}>Send out</button>
  {#if failed}<p class="fault" role="alert">{failed}</p>{/if}

  <h3>Gone out</h3>
  <ul aria-label="Views that went out">
    {#each out as j (j.id)}
      <li data-state={j.state}>
        <span class="grow truncate">{j.label.replace('Send out ', '')} <span class="quiet">{time(j)}</span></span>
        {#if works(j)}
          <button class="chip" onclick={() => api.cancel(j.id).then(refresh)}>Cancel</button>
          <span class="whole"><Progressbar progress={Math.round(j.progress * 100)} size="h-1.5" color="primary" /></span
          >
        {:else if j.state === 'done'}
          <a class="chip grid place-content-center" href={`#/editor/${j.id}`} target="_blank">Open here</a>
          {#each j.files ?? [] as f (f.name)}
            <a
              class="chip grid place-content-center"
              href={`/api/jobs/${j.id}/files/${encodeURIComponent(f.name)}`}
              download>Download</a
            >
          {/each}
          {#if j.note}<span class="quiet whole">{j.note}</span>{/if}
        {:else}
          <span class="quiet">{j.state}</span>
          {#if j.note}<span class="whole fault">{j.note}</span>{/if}
        {/if}
      </li>
    {:else}
      <li class="quiet">None yet.</li>
    {/each}
  </ul>
  <h3>Come back</h3>
  <label class="chip grid cursor-pointer place-content-center"
    >Take back a file, or drop it on the window
    <input class="sr-only" type="file" accept=".ora" multiple onchange={(e) => bring(e.currentTarget.files)} /></label
  >
  <ul aria-label="Views that came back">
    {#each back as j (j.id)}
      <li data-state={j.state}>
        <span class="grow truncate">{j.label.replace('Take back ', '')} <span class="quiet">{time(j)}</span></span>
        {#if works(j)}
          <button class="chip" onclick={() => api.cancel(j.id).then(refresh)}>Cancel</button>
          <span class="whole"><Progressbar progress={Math.round(j.progress * 100)} size="h-1.5" color="primary" /></span
          >
        {:else}
          <span class="quiet">{j.state === 'done' ? 'taken' : j.state}</span>
        {/if}
        {#if j.note && !works(j)}<span class="whole" class:fault={j.state === 'failed'}>{j.note}</span>{/if}
      </li>
    {/each}
  </ul>
  {#if !session.about.exchange}
    <p class="quiet text-sm">
      Started with <code>--exchange DIR</code>, the server lays views into that folder and takes back what is saved
      there.
    </p>
  {/if}
</section>

<style>
  section {
    max-height: calc(100% - 162px); /* the light ring stays */
    font-size: 13px;
  }
  .grid2 {
    display: grid;
    grid-template-columns: 50px 1fr;
    gap: 3px 8px;
    align-items: center;
    padding: 6px 0;
  }
  .field {
    min-width: 0;
    min-height: 28px;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 2px 6px;
  }
  .check {
    display: flex;
    gap: 6px;
    align-items: center;
    min-height: 28px;
  }
  .send {
    width: 100%;
    border-color: var(--plum);
  }
  h3 {
    font-weight: 600;
    padding-top: 10px;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    align-items: center;
    padding: 3px 0;
    border-top: 1px solid var(--line);
  }
  .whole {
    width: 100%;
    white-space: pre-line;
    overflow-wrap: anywhere;
  }
  .fault {
    color: var(--brick);
  }
</style>
