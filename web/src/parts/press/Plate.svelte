<script lang="ts">
  // The stamp as a picture; the open shape is moved on it, an outline's corners too.
  import { onMount, untrack } from 'svelte';
  import { api, type Recipe } from '../../api/client';
  import type { Press } from '../../lib/press.svelte';

  let { press, look }: { press: Press; look: string } = $props();
  let plate: HTMLElement;
  let picture = $state('');

  // small while something is dragged, then in full
  const [SMALL, FULL] = [160, 420];
  let asked: AbortController | undefined;
  let rough = $state(false);
  $effect(() => {
    const [r, l] = [press.recipe, look];
    untrack(() => ask(r, l, press.before ? SMALL : FULL));
  });
  onMount(() => () => URL.revokeObjectURL(picture));
  async function ask(r: Recipe, l: string, n: number) {
    asked?.abort();
    const mine = (asked = new AbortController());
    try {
      const blob = await api.pressPicture(r, l, n, mine.signal);
      if (mine.signal.aborted) return;
      URL.revokeObjectURL(picture);
      picture = URL.createObjectURL(blob);
      press.error = '';
      rough = n < FULL;
      if (rough) ask(r, l, FULL);
    } catch (e) {
      if (!mine.signal.aborted) press.error = (e as Error).message;
    }
  }

  let held: { x: number; y: number; px: number; py: number; point: number } | null = null;
  const place = (e: PointerEvent | MouseEvent) => {
    const r = plate.getBoundingClientRect();
    return [((e.clientX - r.left) / r.width) * 2 - 1, 1 - ((e.clientY - r.top) / r.height) * 2] as const;
  };
  /** from a shape's own places to the stamp's, and back */
  const frame = $derived.by(() => {
    const { shape } = press;
    const t = ((shape?.turn ?? 0) * Math.PI) / 180;
    const [w, h] = [(shape?.wide || 1) / 2, (shape?.tall || shape?.wide || 1) / 2];
    const [c, s] = [Math.cos(t), Math.sin(t)];
    const [x, y] = [shape?.x ?? 0, shape?.y ?? 0];
    return {
      out: (p: number[]) => [x + c * p[0] * w - s * p[1] * h, y + s * p[0] * w + c * p[1] * h],
      in: (p: readonly number[]) => [(c * (p[0] - x) + s * (p[1] - y)) / w, (c * (p[1] - y) - s * (p[0] - x)) / h],
    };
  });
  function down(e: PointerEvent, point = -1) {
    const { shape } = press;
    if (!shape || e.button) return;
    e.preventDefault();
    plate.setPointerCapture(e.pointerId);
    const [px, py] = place(e);
    held = { x: shape.x ?? 0, y: shape.y ?? 0, px, py, point };
  }
  /** to a hundredth or another share, within so much */
  const round = (v: number, share: number, most: number) =>
    Math.min(Math.max(Math.round(v * share) / share, -most), most);
  function move(e: PointerEvent) {
    if (!held) return;
    const [px, py] = place(e);
    const { point, ...from } = held;
    if (point >= 0) {
      const p = frame.in([px, py]).map((v) => round(v, 100, 4));
      press.show(press.corners((all) => (all[point] = p)));
      return;
    }
    const { at } = press.open;
    press.show((r) => {
      r.shapes![at].x = round(from.x + px - from.px, 200, 2);
      r.shapes![at].y = round(from.y + py - from.py, 200, 2);
    });
  }
  function up() {
    if (held) press.settle();
    held = null;
  }
  function addPoint(i: number, e: MouseEvent) {
    const p = frame.in(place(e)).map((v) => Math.round(v * 100) / 100);
    press.change(press.corners((all) => all.splice(i + 1, 0, p)));
  }
  function dropPoint(i: number) {
    if ((press.outline?.length ?? 0) > 3) press.change(press.corners((all) => all.splice(i, 1)));
  }
  const svg = (p: number[]) => [(p[0] + 1) * 50, (1 - p[1]) * 50];
</script>

<div class="room">
  <div
    class="plate"
    role="application"
    aria-label="The stamp; drag to move the open shape"
    bind:this={plate}
    onpointerdown={(e) => down(e)}
    onpointermove={move}
    onpointerup={up}
    onpointercancel={up}
  >
    {#if picture}<img src={picture} alt={`The stamp as ${look}`} data-rough={rough} draggable="false" />{/if}
    {#if press.outline}
      <svg viewBox="0 0 100 100" aria-hidden="true">
        {#each press.outline as p, i (i)}
          {@const a = svg(frame.out(p))}
          {@const b = svg(frame.out(press.outline[(i + 1) % press.outline.length]))}
          <line
            x1={a[0]}
            y1={a[1]}
            x2={b[0]}
            y2={b[1]}
            role="presentation"
            onpointerdown={(e) => e.stopPropagation()}
            onclick={(e) => addPoint(i, e)}
          />
        {/each}
        {#each press.outline as p, i (i)}
          {@const a = svg(frame.out(p))}
          <circle
            cx={a[0]}
            cy={a[1]}
            r="1.6"
            role="presentation"
            onpointerdown={(e) => (e.stopPropagation(), down(e, i))}
            ondblclick={() => dropPoint(i)}
          />
        {/each}
      </svg>
    {/if}
  </div>
</div>

<style>
  .room {
    container-type: size;
    width: 100%;
    height: 100%;
    display: grid;
    place-items: center;
  }
  .plate {
    position: relative;
    width: min(100cqw, 100cqh);
    aspect-ratio: 1;
    touch-action: none;
    cursor: move;
  }
  .plate img,
  .plate svg {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    object-fit: contain;
  }
  .plate line {
    stroke: var(--plum);
    stroke-width: 0.7;
    cursor: copy;
  }
  .plate circle {
    fill: var(--plum);
    stroke: #222;
    stroke-width: 0.4;
    cursor: grab;
  }
</style>
