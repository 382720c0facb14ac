<script lang="ts">
  import { Button, Input, Spinner } from 'flowbite-svelte';
  import { api, type About, type Job, type Project } from '../api/client';
  import { accepts } from '../lib/forms';
  import { incoming, isGrime } from '../lib/grime.svelte';
  import { inside, type Inside } from '../lib/scenes';
  import Asked from '../parts/Asked.svelte';
  import JobLine from './prepare/JobLine.svelte';

  let { about }: { about: About } = $props();
  let list = $state<Project[] | null>(null);
  let error = $state('');
  let busy = $state('');
  let renaming = $state<Project | null>(null);
  let name = $state('');
  let removed = $state<Project | null>(null);
  let over = $state(false);
  /** what the files' numbers mean, or '' to guess */
  let unit = $state('');
  let up = $state('');
  let chooser: HTMLInputElement;
  let stamp = $state(Date.now());

  const load = () =>
    api.projects().then(
      (p) => (list = p),
      (e) => (error = e.message),
    );
  load();

  /** models that are being read, also those of other windows and from before a reload */
  let reading = $state.raw<Job[]>([]);
  /** the job whose project is opened when it is there */
  let mine = '';
  /** a file with several scenes or sets of UVs, waiting for a choice */
  let several = $state.raw<({ files: File[] } & Inside) | null>(null);
  /** which UVs are painted on, from 1 */
  let uv = $state(1);
  const alive = (j: Job) => ['waiting', 'running', 'ready'].includes(j.state);

  async function chosen(list: FileList | null | undefined) {
    const files = [...(list ?? [])];
    if (!files.length) return;
    error = '';
    if (isGrime(files[0])) {
      incoming.file = files[0];
      chooser.value = '';
      return;
    }
    for (const f of files) {
      const what = await inside(f);
      if (what.scenes.length > 1 || what.uvs > 1) {
        uv = 1;
        several = { files, ...what };
        return;
      }
    }
    await create(files, '');
  }
  async function create(files: File[], scene: string) {
    several = null;
    busy = `Sending ${files[0].name} …`;
    try {
      const j = await api.create(files, { unit, up, scene, uv: uv > 1 ? String(uv) : '' });
      uv = 1;
      mine = j.id;
      reading = [j, ...reading];
      follow();
    } catch (e) {
      error = (e as Error).message;
    }
    busy = '';
    chooser.value = '';
  }

  /** Asks how the readings go until all have ended. */
  let following = false;
  async function follow() {
    if (following) return;
    following = true;
    while (reading.some(alive)) {
      await new Promise((f) => setTimeout(f, 300));
      const asked = await Promise.all(reading.map((j) => (alive(j) ? api.job(j.id).catch(() => j) : j)));
      // others may have come meanwhile
      reading = reading.map((j) => asked.find((a) => a.id === j.id) ?? j);
      const done = reading.filter((j) => j.state === 'done');
      if (done.length) await load();
      for (const j of done) if (j.id === mine) location.hash = `#/project/${j.project}`;
      reading = reading.filter((j) => j.state !== 'done');
    }
    following = false;
  }
  api.imports().then(
    (list) => {
      // this list may be older than what was sent since it was asked for
      reading = [...reading, ...list.filter((j) => !reading.some((r) => r.id === j.id))];
      follow();
    },
    () => {},
  );
  async function rename(e: Event) {
    e.preventDefault();
    const p = renaming;
    renaming = null;
    if (p && name.trim()) await api.rename(p.id, name.trim()).catch((e) => (error = e.message));
    await load();
  }
  async function remove(p: Project) {
    await api.remove(p.id).catch((e) => (error = e.message));
    removed = p;
    await load();
  }
  async function restore() {
    if (removed) await api.restore(removed.id);
    removed = null;
    stamp = Date.now();
    await load();
  }
</script>

<main
  class="h-[calc(100%-44px)] overflow-auto p-6"
  class:over
  ondragover={(e) => (e.preventDefault(), (over = true))}
  ondragleave={() => (over = false)}
  ondrop={(e) => (e.preventDefault(), (over = false), chosen(e.dataTransfer?.files))}
>
  <div class="mb-5 flex items-center gap-3">
    <h1 class="grow text-xl font-semibold">Projects</h1>
    <input
      bind:this={chooser}
      type="file"
      multiple
      hidden
      accept={`${accepts(about.forms)},.grime`}
      data-testid="chooser"
      onchange={() => chosen(chooser.files)}
    />
    <label class="flex items-center gap-1" title="glTF is always in metres; other files do not tell">
      <span class="quiet">unit</span>
      <select class="pick" bind:value={unit}>
        <option value="">guessed</option>
        <option value="1">metres</option>
        <option value="0.01">centimetres</option>
        <option value="0.001">millimetres</option>
        <option value="0.0254">inches</option>
      </select>
    </label>
    <label class="flex items-center gap-1" title="glTF always has Y up; other files do not tell">
      <span class="quiet">up</span>
      <select class="pick" bind:value={up}>
        <option value="">guessed</option>
        <option value="y">Y</option>
        <option value="z">Z</option>
      </select>
    </label>
    <Button size="sm" color="primary" onclick={() => chooser.click()}>New from a model …</Button>
  </div>
  {#if error}<p
      class="mb-4 border-l-4 px-3 py-2"
      style:border-color="var(--brick)"
      style:background="var(--panel)"
      role="alert"
    >
      {error}
    </p>{/if}
  {#if busy}<p class="mb-4 flex items-center gap-2" aria-live="polite"><Spinner size="5" />{busy}</p>{/if}
  {#each reading as j (j.id)}<div class="mb-3 max-w-2xl" style:background="var(--panel)">
      <JobLine
        {j}
        again={() =>
          api
            .again(j.id)
            .then(
              () => (
                (reading = reading.map((r) => (r.id === j.id ? { ...r, state: 'waiting' as const } : r))),
                follow()
              ),
            )}
      />
    </div>{/each}
  {#if removed}
    <p
      class="mb-4 flex items-center gap-3 border-l-4 px-3 py-2"
      style:border-color="var(--ochre)"
      style:background="var(--panel)"
    >
      “{removed.name}” was deleted. <button class="chip" onclick={restore}>Bring it back</button>
      <a class="chip" href="#/bin">Open the bin</a>
    </p>
  {/if}
  {#if list === null}
    <p class="quiet">Looking …</p>
  {:else if list.length === 0}
    <p class="quiet max-w-prose">
      Nothing here yet. Drop a GLB, a glTF with its files, or an OBJ anywhere on this page, or choose one with the
      button above.
    </p>
  {:else}
    <ul class="grid gap-5" style="grid-template-columns: repeat(auto-fill, minmax(250px, 1fr))">
      {#each list as p (p.id)}
        <li class="card">
          <a href={`#/project/${p.id}`} aria-label={`Open ${p.name}`}>
            {#if p.pictured}
              <img src={`/api/projects/${p.id}/picture?${stamp}`} alt="" />
            {:else}
              <span class="unseen quiet">not opened yet</span>
            {/if}
          </a>
          <div class="flex flex-wrap items-center gap-1 px-3 py-2">
            <a class="w-full truncate pb-1" href={`#/project/${p.id}`}>
              <span class="block font-semibold">{p.name}</span>
              <span class="quiet text-xs"
                >changed {new Date(p.updatedAt).toLocaleString([], {
                  day: 'numeric',
                  month: 'short',
                  hour: '2-digit',
                  minute: '2-digit',
                })}</span
              >
            </a>
            <a
              class="chip"
              href={`/api/projects/${p.id}/grime`}
              download
              aria-label={`Write ${p.name} as a file`}
              title="Write it as a .grime file: its model, layers, strokes, bakes and ledger">Write</a
            >
            <button class="chip" onclick={() => ((renaming = p), (name = p.name))} aria-label={`Rename ${p.name}`}
              >Rename</button
            >
            <button class="chip" onclick={() => remove(p)} aria-label={`Delete ${p.name}`}>Delete</button>
          </div>
        </li>
      {/each}
    </ul>
    <p class="quiet mt-6 text-sm">
      Drop a GLB, a glTF with its files, or an OBJ here to begin another, or a .grime file to take what is in it.
    </p>
  {/if}
  <p class="mt-6"><a class="chip" href="#/bin">Bin</a></p>
</main>
<Asked
  about={several}
  title={several && several.scenes.length > 1 ? 'Which scene?' : 'Which UVs?'}
  close={() => (several = null)}
>
  {#snippet children(file)}
    {#if file.uvs > 1}
      <p>Its meshes have {file.uvs} sets of UVs. One of them is painted on; the others stay in the file.</p>
      <label class="flex items-center gap-2"
        >painted on
        <select class="pick" aria-label="Painted on" bind:value={uv}>
          {#each { length: file.uvs }, i}<option value={i + 1}
              >{['the first', 'the second', 'the third'][i] ?? `set ${i + 1}`}</option
            >{/each}
        </select></label
      >
    {/if}
    {#if file.scenes.length > 1}
      <p>The file has {file.scenes.length} scenes. One becomes the project.</p>
      <div class="flex flex-col gap-2">
        {#each file.scenes as name, i (i)}
          <Button color="alternative" onclick={() => create(file.files, String(i + 1))}>{name}</Button>
        {/each}
      </div>
    {:else}
      <Button color="primary" onclick={() => create(file.files, '')}>Begin the project</Button>
    {/if}
  {/snippet}
</Asked>
<Asked about={renaming} title="Rename the project" close={() => (renaming = null)}>
  {#snippet children()}
    <form onsubmit={rename} class="flex gap-2">
      <Input bind:value={name} aria-label="Name" maxlength={120} autofocus />
      <Button type="submit" color="primary">Rename</Button>
    </form>
  {/snippet}
</Asked>

<style>
  .card {
    background: var(--panel);
    border: 1px solid var(--line);
    border-radius: 4px;
    overflow: hidden;
  }
  .card:hover {
    border-color: var(--plum);
  }
  .card img {
    display: block;
    width: 100%;
    aspect-ratio: 400 / 260;
    object-fit: cover;
    background: #5a5a5a;
  }
  .card > a {
    display: block;
    background: #5a5a5a;
  }
  .unseen {
    display: grid;
    place-content: center;
    aspect-ratio: 400 / 260;
    color: #dcdcdc;
  }
  .over {
    outline: 3px dashed var(--plum);
    outline-offset: -12px;
  }
</style>
