<script lang="ts">
  // A direction in space, as two angles: around the upright and above the horizon.
  import NumberField from './NumberField.svelte';
  let {
    value,
    label,
    commit,
    preview,
  }: { value: number[]; label: string; commit: (v: number[]) => void; preview: (v: number[]) => void } = $props();
  const length = $derived(Math.hypot(...value) || 1);
  const up = $derived((Math.asin(Math.min(Math.max(value[1] / length, -1), 1)) * 180) / Math.PI);
  const around = $derived((Math.atan2(value[0], value[2]) * 180) / Math.PI);
  const vector = (a: number, u: number) => {
    const [x, y] = [(a * Math.PI) / 180, (u * Math.PI) / 180];
    return [Math.sin(x) * Math.cos(y), Math.sin(y), Math.cos(x) * Math.cos(y)];
  };
  const named: [string, number[]][] = [
    ['down', [0, -1, 0]],
    ['up', [0, 1, 0]],
    ['east', [1, 0, 0]],
    ['west', [-1, 0, 0]],
    ['south', [0, 0, 1]],
    ['north', [0, 0, -1]],
  ];
  /** towards the camera, or the light, as they stand now */
  function view(way: 'toCamera' | 'toLight') {
    const stage = (window as unknown as { stage?: Record<typeof way, () => number[]> }).stage;
    if (stage) commit(stage[way]());
  }
  const name = $derived(
    named.find(([, v]) => v.every((c, i) => Math.abs(c - value[i] / length) < 1e-3))?.[0] ?? 'other',
  );
</script>

<span class="direction">
  <select
    class="pick"
    aria-label={label}
    value={name}
    onchange={(e) => {
      const v = named.find(([n]) => n === e.currentTarget.value);
      if (v) commit(v[1]);
      else if (e.currentTarget.value === 'the view') view('toCamera');
      else if (e.currentTarget.value === 'the light') view('toLight');
    }}
  >
    {#each named as [n] (n)}<option>{n}</option>{/each}
    <option>the view</option>
    <option>the light</option>
    <option disabled>other</option>
  </select>
  <NumberField
    label={`${label}: around`}
    value={around}
    min={-180}
    max={180}
    unit="°"
    preview={(a) => preview(vector(a, up))}
    commit={(a) => commit(vector(a, up))}
  />
  <NumberField
    label={`${label}: above the horizon`}
    value={up}
    min={-90}
    max={90}
    unit="°"
    preview={(u) => preview(vector(around, u))}
    commit={(u) => commit(vector(around, u))}
  />
</span>

<style>
  .direction {
    display: grid;
    grid-template-columns: 64px 1fr 1fr;
    gap: 3px;
    min-width: 190px;
  }
</style>
