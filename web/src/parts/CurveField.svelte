<script lang="ts">
  // A curve from greys to greys: drag its points, click beside it for another,
  // double click a point to take it out. The line is the one the server draws: a
  // monotone cubic (Fritsch and Carlson, 1980).
  interface Props {
    value: number[][];
    label: string;
    preview: (v: number[][]) => void;
    commit: (v: number[][]) => void;
  }
  let { value, label, preview, commit }: Props = $props();
  let dragged = $state.raw<number[][] | null>(null);
  /** what was set by keys and has not come back from the server yet */
  let pending = $state.raw<number[][] | null>(null);
  $effect(() => {
    if (pending && JSON.stringify(pending) === JSON.stringify(value)) pending = null;
  });
  let svg: SVGSVGElement;
  const points = $derived(dragged ?? pending ?? value);

  function tangents(p: number[][]): number[] {
    const n = p.length;
    const d = p.slice(1).map((q, i) => (q[0] - p[i][0] > 1e-9 ? (q[1] - p[i][1]) / (q[0] - p[i][0]) : 0));
    const m = p.map((_, i) =>
      n === 1 ? 0 : i === 0 ? d[0] : i === n - 1 ? d[n - 2] : d[i - 1] * d[i] > 0 ? (d[i - 1] + d[i]) / 2 : 0,
    );
    d.forEach((s, i) => {
      if (s === 0) return void (m[i] = m[i + 1] = 0);
      const r = (m[i] / s) ** 2 + (m[i + 1] / s) ** 2;
      if (r > 9) [m[i], m[i + 1]] = [(3 / Math.sqrt(r)) * m[i], (3 / Math.sqrt(r)) * m[i + 1]];
    });
    return m;
  }
  const line = $derived.by(() => {
    const m = tangents(points);
    const y = (v: number) => 100 - v * 100;
    let d = `M0 ${y(points[0][1])} L${points[0][0] * 100} ${y(points[0][1])}`;
    points.slice(1).forEach((b, i) => {
      const a = points[i];
      const h = (b[0] - a[0]) / 3;
      d += ` C${(a[0] + h) * 100} ${y(a[1] + h * m[i])} ${(b[0] - h) * 100} ${y(b[1] - h * m[i + 1])} ${b[0] * 100} ${y(b[1])}`;
    });
    return `${d} L100 ${y(points.at(-1)![1])}`;
  });
  const place = (e: PointerEvent | MouseEvent) => {
    const r = svg.getBoundingClientRect();
    const clamp = (v: number) => Math.min(Math.max(v, 0), 1);
    return [clamp((e.clientX - r.left) / r.width), clamp(1 - (e.clientY - r.top) / r.height)];
  };
  const moved = (i: number, p: number[], from = value) =>
    from.map((q, k) => (k === i ? [Math.min(Math.max(p[0], from[i - 1]?.[0] ?? 0), from[i + 1]?.[0] ?? 1), p[1]] : q));
  function drag(e: PointerEvent, i: number) {
    const el = e.currentTarget as Element;
    if (e.type === 'pointerdown') el.setPointerCapture(e.pointerId);
    if (el.hasPointerCapture(e.pointerId) && e.type === 'pointermove') preview((dragged = moved(i, place(e))));
  }
  function drop() {
    if (dragged) commit(dragged);
    dragged = null;
  }
  function insert(e: MouseEvent) {
    if ((e.target as Element).classList.contains('point')) return;
    const p = place(e);
    const i = value.findIndex((q) => q[0] > p[0]);
    commit(i < 0 ? [...value, p] : [...value.slice(0, i), p, ...value.slice(i)]);
  }
  function key(e: KeyboardEvent, i: number) {
    const d = { ArrowLeft: [-0.02, 0], ArrowRight: [0.02, 0], ArrowUp: [0, 0.02], ArrowDown: [0, -0.02] }[e.key];
    const from = pending ?? value;
    const round = (v: number) => Math.round(Math.min(Math.max(v, 0), 1) * 1000) / 1000;
    if (e.key === 'Delete' && from.length > 1) pending = from.filter((_, k) => k !== i);
    else if (d) pending = moved(i, [round(from[i][0] + d[0]), round(from[i][1] + d[1])], from);
    else return;
    commit(pending);
    e.preventDefault();
    e.stopPropagation();
  }
</script>

<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
<svg bind:this={svg} viewBox="0 0 100 100" preserveAspectRatio="none" role="group" aria-label={label} onclick={insert}>
  <path class="grid" d="M0 25H100M0 50H100M0 75H100M25 0V100M50 0V100M75 0V100" />
  <path class="line" d={line} />
  {#each points as p, i (i)}
    <path
      class="point"
      d={`M${p[0] * 100} ${100 - p[1] * 100}l.01 .01`}
      role="button"
      tabindex="0"
      aria-label={`Point ${i + 1}: ${Math.round(p[0] * 100)} % becomes ${Math.round(p[1] * 100)} %`}
      onpointerdown={(e) => drag(e, i)}
      onpointermove={(e) => drag(e, i)}
      onpointerup={drop}
      ondblclick={() => value.length > 1 && commit(value.filter((_, k) => k !== i))}
      onkeydown={(e) => key(e, i)}
    />
  {/each}
</svg>

<style>
  svg {
    grid-column: 1 / -1;
    width: 100%;
    min-width: 190px;
    height: 118px;
    background: var(--field);
    border: 1px solid var(--line);
    touch-action: none;
    overflow: visible;
    cursor: copy;
  }
  path {
    fill: none;
    vector-effect: non-scaling-stroke;
  }
  .grid {
    stroke: var(--line);
  }
  .line {
    stroke: var(--text);
    stroke-width: 1.6;
  }
  /* a round end of a line, so that it is round however the field is stretched */
  .point {
    stroke: var(--plum);
    stroke-width: 11;
    stroke-linecap: round;
    pointer-events: stroke;
    cursor: grab;
  }
  .point:hover,
  .point:focus-visible {
    stroke: var(--text);
    outline: none;
  }
</style>
