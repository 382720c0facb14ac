<script lang="ts">
  // Takes a stamp of the shelf, drawn as a picture of the project.
  import { api, type KnownStamp } from '../api/client';
  import type { Session } from '../lib/session.svelte';

  let { session, label, take }: { session: Session; label: string; take: (picture: string, name: string) => unknown } =
    $props();
  /** texels of its edge */
  const FINE = 1024;
  let stamps = $state.raw<KnownStamp[]>([]);
  let busy = $state(false);
  const failed = (e: Error) => (session.message = e.message);
  const load = () => {
    if (!stamps.length) api.press().then((p) => (stamps = p.list ?? []), failed);
  };
  async function draw(id: string) {
    const stamp = stamps.find((x) => x.id === id);
    if (!stamp) return;
    busy = true;
    try {
      await take((await api.stampPicture(session.id, stamp.recipe, FINE)).picture, stamp.recipe.name);
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
  {#each stamps as s (s.id)}<option value={s.id}>{s.recipe.name}</option>{/each}
</select>
