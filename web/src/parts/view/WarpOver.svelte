<script lang="ts">
  // A slide's picture as its pixels lie now, over the view, with its pins and the points by which it is bent.
  import { Warp } from '../../lib/warp';
  import { GRID } from '../../view/tools/fit';

  interface Props {
    url: string;
    warp: Warp;
    /** its middle and its size on the canvas, pixels; degrees */
    box: { x: number; y: number; w: number; h: number };
    turn: number;
    filter: string;
    opacity: number;
    fit: string;
    /** where the brush is, and its radius in pixels */
    brush: { x: number; y: number; r: number } | null;
  }
  let { url, warp, box, turn, filter, opacity, fit, brush }: Props = $props();

  const WIDE = 360; // of the picture in the overlay, texels
  let canvas = $state<HTMLCanvasElement>();
  let picture = $state.raw<ImageData | null>(null);
  $effect(() => {
    const img = new Image();
    let gone = false;
    img.src = url;
    img
      .decode()
      .then(() => {
        if (gone) return;
        const c = document.createElement('canvas');
        c.width = WIDE;
        c.height = Math.max(Math.round((WIDE * img.naturalHeight) / img.naturalWidth), 1);
        const g = c.getContext('2d', { willReadFrequently: true })!;
        g.drawImage(img, 0, 0, c.width, c.height);
        picture = g.getImageData(0, 0, c.width, c.height);
      })
      .catch(() => {}); // it shows nothing, as an image that cannot be read does
    return () => (gone = true);
  });
  $effect(() => {
    if (!canvas || !picture) return;
    [canvas.width, canvas.height] = [2 * picture.width, 2 * picture.height];
    const out = new ImageData(canvas.width, canvas.height);
    warp.draw(picture, out);
    canvas.getContext('2d')!.putImageData(out, 0, 0);
  });
  const grid = $derived(
    Array.from({ length: GRID * GRID }, (_, k) =>
      warp.seen((k % GRID) / (GRID - 1), Math.floor(k / GRID) / (GRID - 1)),
    ),
  );
  const pins = $derived.by(() => {
    const list: { x: number; y: number; o: number }[] = [];
    if (fit !== 'pin' && fit !== 'unpin') return list;
    warp.pins.forEach((p, i) => {
      if (p > 24) list.push({ x: ((i % 65) / 64) * 2 - 0.5, y: (Math.floor(i / 65) / 64) * 2 - 0.5, o: p / 255 });
    });
    return list;
  });
  const X = (u: number) => (u - 0.5) * box.w;
  const Y = (v: number) => (v - 0.5) * box.h;
</script>

<div class="place" style:left={`${box.x}px`} style:top={`${box.y}px`} style:rotate={`${-turn}deg`} aria-hidden="true">
  <canvas
    bind:this={canvas}
    data-warped
    style:left={`${-box.w}px`}
    style:top={`${-box.h}px`}
    style:width={`${2 * box.w}px`}
    style:height={`${2 * box.h}px`}
    style:opacity
    style:filter
  ></canvas>
  <svg class="marks">
    {#if fit === 'grid'}
      {#each grid as [u, v], k (k)}
        {#if k % GRID < GRID - 1}
          <line x1={X(u)} y1={Y(v)} x2={X(grid[k + 1][0])} y2={Y(grid[k + 1][1])} />
        {/if}
        {#if k + GRID < grid.length}
          <line x1={X(u)} y1={Y(v)} x2={X(grid[k + GRID][0])} y2={Y(grid[k + GRID][1])} />
        {/if}
      {/each}
      {#each grid as [u, v], k (k)}<rect x={X(u) - 4} y={Y(v) - 4} width="8" height="8" />{/each}
    {/if}
    {#each pins as p (`${p.x} ${p.y}`)}<circle class="pin" cx={X(p.x)} cy={Y(p.y)} r="2.5" opacity={p.o} />{/each}
  </svg>
</div>
{#if brush}
  <svg class="brush" aria-hidden="true"><circle cx={brush.x} cy={brush.y} r={brush.r} /></svg>
{/if}

<style>
  .place {
    position: absolute;
    width: 0;
    height: 0;
  }
  canvas {
    position: absolute;
    max-width: none;
  }
  .marks {
    position: absolute;
    left: 0;
    top: 0;
    width: 1px;
    height: 1px;
    overflow: visible;
  }
  .brush {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
  }
  line,
  circle {
    fill: none;
    stroke: var(--verdigris);
    stroke-width: 1.2;
    paint-order: stroke;
  }
  rect {
    fill: var(--panel);
    stroke: var(--verdigris);
    stroke-width: 1.5;
  }
  .pin {
    fill: var(--ochre);
    stroke: none;
  }
</style>
