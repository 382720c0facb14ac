<script lang="ts">
  import { api, type About } from './api/client';
  import GrimeFile from './parts/GrimeFile.svelte';
  import Bin from './stations/Bin.svelte';
  import ProjectPage from './stations/ProjectPage.svelte';
  import Projects from './stations/Projects.svelte';

  let hash = $state(location.hash);
  let about = $state.raw<About | null>(null);
  let failed = $state('');
  const project = $derived(/^#\/project\/([\w-]+)/.exec(hash)?.[1] ?? '');
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

<svelte:window onhashchange={() => (hash = location.hash)} />

<GrimeFile />
{#if failed}
  <main class="grid h-full place-content-center gap-3 text-center" role="alert">
    <p style:color="var(--brick)">The server does not answer: {failed}</p>
    <button class="chip justify-self-center" onclick={() => location.reload()}>Try again</button>
  </main>
{:else if !about}
  <main class="quiet grid h-full place-content-center" aria-busy="true">Opening the workshop …</main>
{:else if project}
  {#key project}
    <ProjectPage id={project} {about} bind:dark />
  {/key}
{:else}
  <header
    class="flex h-11 items-center gap-4 border-b px-4"
    style:border-color="var(--line)"
    style:background="var(--panel)"
  >
    <span class="font-semibold" style:color="var(--plum)">Velvet Grime</span>
    <span class="quiet grow">Low Wick landing workshop</span>
    <button class="chip" onclick={() => (dark = !dark)}>{dark ? 'Light' : 'Dark'} surroundings</button>
  </header>
  {#if hash === '#/bin'}<Bin />{:else}<Projects {about} />{/if}
{/if}
