<script lang="ts">
  // Takes a stamp of the shelf, drawn as a picture of the project.
  import { api, type KnownStamp } from '../api/client';
  import type { Session } from '../lib/session.svelte';

  interface Props {
    session: Session;
    label: string;
    take: (picture: string, name: string) => unknown;
    /** the group that is listed first */
    first?: string;
  }
  let { session, label, take, first = '' }: Props = $props();
  let stamps = $state.raw<KnownStamp[]>([]);
  let busy = $state(false);
  const failed = (e: Error) => (session.message = e.message);
  const load = () => {
    if (!stamps.length) api.press().then((p) => (stamps = p.list ?? []), failed);
  };
  const groups = $derived(
    [...new Set(stamps.map((s) => s.group))].sort((a, b) => Number(b === first) - Number(a === first)),
  );
  async function draw(id: string) {
    const stamp = stamps.find((x) => x.id === id);
    if (!stamp) return;
    busy = true;
    try {
      await take((await api.drawnStamp(session.id, stamp.recipe)).picture, stamp.recipe.name);
    } catch (e) {
      failed(e as Error);
    }
    busy = false;
  }
</script>

<select
  class="pick"
  aria-label={label}
  value=""
  onpointerdown={load}
  onfocus={load}
  onchange={(e) => (draw(e.currentTarget.value), (e.currentTarget.value = ''))}
>
  <option value="">{busy ? 'drawing …' : 'a stamp …'}</option>
  {#each groups as g (g)}
    <optgroup label={g}>
      {#each stamps.filter((s) => s.group === g) as s (s.id)}<option value={s.id}>{s.recipe.name}</option>{/each}
    </optgroup>
  {/each}
</select>
