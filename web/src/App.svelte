<script lang="ts">
  import { api, type About } from './api/client';
  import { parting } from './lib/parting.svelte';
  import GrimeFile from './parts/GrimeFile.svelte';
  import Missing from './parts/Missing.svelte';
  import Bin from './stations/Bin.svelte';
  import Projects from './stations/Projects.svelte';

  const fetchPage = () => import('./stations/ProjectPage.svelte');
  // who looks at the projects opens one next
  const ahead = () => void fetchPage().catch(() => {}); // it is told when one is opened
  if (!location.hash.startsWith('#/project/')) (window.requestIdleCallback ?? setTimeout)(ahead);

  // tips come after what is looked at
  let rested = $state(false);
  (window.requestIdleCallback ?? setTimeout)(() => (rested = true));

  let hash = $state(location.hash);
  let about = $state.raw<About | null>(null);
  let failed = $state('');
  const project = $derived(/^#\/project\/([\w-]+)/.exec(hash)?.[1] ?? '');
  /** the picture editor, and the job that made the picture which it opens */
  const editor = $derived(/^#\/editor(?:\/([\w-]+))?/.exec(hash));
  /** the target view, and the delivery that it opens */
  const target = $derived(/^#\/target\/([\w-]+)/.exec(hash)?.[1] ?? '');
  const fetchTarget = () => import('./stations/Target.svelte');
  const fetchEditor = () => import('./stations/Editor.svelte');
  let dark = $state(localStorage.getItem('theme') !== 'light');

  $effect(() => {
    document.documentElement.classList.toggle('dark', dark);
    localStorage.setItem('theme', dark ? 'dark' : 'light');
  });
  api.about().then(
    (a) => (about = a),
    (e) => (failed = e.message),
  );
</script>

<svelte:window
  onhashchange={() => (hash = location.hash)}
  onbeforeunload={(e) => parting.unkept && e.preventDefault()}
/>

<GrimeFile />
{#if rested}{#await import('./parts/Tip.svelte') then { default: Tip }}<Tip
    />{:catch}<!-- the browser's own do -->{/await}{/if}
{#if failed}
  <main class="grid h-full place-content-center gap-3 text-center" role="alert">
    <p style:color="var(--brick)">The server does not answer: {failed}</p>
    <button class="chip justify-self-center" onclick={() => location.reload()}>Try again</button>
  </main>
{:else if !about}
  {@render opening()}
{:else if editor}
  {#key editor[1]}
    {#await fetchEditor()}
      {@render opening()}
    {:then { default: Editor }}
      <Editor job={editor[1] ?? ''} bind:dark />
    {:catch e}
      <Missing what="The picture editor" why={(e as Error).message} />
    {/await}
  {/key}
{:else if target}
  {#key target}
    {#await fetchTarget()}
      {@render opening()}
    {:then { default: Target }}
      <Target id={target} bind:dark />
    {:catch e}
      <Missing what="The target view" why={(e as Error).message} />
    {/await}
  {/key}
{:else if project}
  {#key project}
    {#await fetchPage()}
      {@render opening()}
    {:then { default: ProjectPage }}
      <ProjectPage id={project} {about} bind:dark />
    {:catch e}
      <Missing what="The project's page" why={(e as Error).message} />
    {/await}
  {/key}
{:else}
  <header
    class="flex h-11 items-center gap-4 border-b px-4"
    style:border-color="var(--line)"
    style:background="var(--panel)"
  >
    <span class="font-semibold" style:color="var(--plum)">Velvet Grime</span>
    <span class="quiet grow">Low Wick landing workshop</span>
    {#if parting.lost}
      <span role="alert" style:color="var(--brick)"
        >A change of the project that was left is not kept: {parting.lost}</span
      >
      <button class="chip" onclick={() => (parting.lost = '')}>Noted</button>
    {:else if parting.unkept}
      <span role="status" style:color="var(--brick)">
        keeping {parting.unkept === 1 ? '1 change' : `${parting.unkept} changes`} of the project that was left …
      </span>
    {/if}
    <button class="chip" onclick={() => (dark = !dark)}>{dark ? 'Light' : 'Dark'} surroundings</button>
  </header>
  {#if hash === '#/bin'}<Bin />{:else}<Projects {about} />{/if}
{/if}

{#snippet opening()}
  <main class="quiet grid h-full place-content-center" aria-busy="true">Opening the workshop …</main>
{/snippet}
