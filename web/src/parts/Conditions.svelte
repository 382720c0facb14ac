<script lang="ts">
  // The conditions: one panel over the view, with handles on the model.
  import type { Conditions } from '../api/client';
  import { conditionsOf, conditionsOp } from '../lib/conditions';
  import type { Session } from '../lib/session.svelte';
  import type { UI } from '../lib/ui.svelte';
  import DirectionField from './DirectionField.svelte';
  import NumberField from './NumberField.svelte';
  import { panel } from '../lib/panel';

  let { session, ui }: { session: Session; ui: UI } = $props();
  const c = $derived(conditionsOf(session));
  type Name = 'age' | 'wetness' | 'salt' | 'sun' | 'ground' | 'water';
  const numbers: [Name, string, number, number, string, number, string][] = [
    ['age', 'Age', 0, 100, 'years', 1, 'years out of doors; every agent takes its share of them'],
    ['wetness', 'Wetness', 0, 1, '%', 100, 'rain and spray: how fast rust creeps, mud climbs, dust is washed off'],
    ['salt', 'Salt', 0, 1, '%', 100, 'how much salt the air and the water carry: rust and salt lines'],
    ['sun', 'Sun', 0, 1, '%', 100, 'how much it bleaches'],
    ['ground', 'Ground', -1, 1, 'mm', 1000, 'height of the ground above the lowest point of the model'],
    ['water', 'Waterline', 0, 2, 'mm', 1000, 'above the ground; 0: there is none'],
  ];
  const directions: [keyof Conditions & ('rain' | 'wind' | 'sunAt' | 'up'), string, string][] = [
    ['rain', 'Rain falls', 'the way the rain falls'],
    ['wind', 'Wind blows', 'the way the wind blows'],
    ['sunAt', 'Sun stands', 'where the sun mostly stands'],
    ['up', 'Up is', 'which way is up'],
  ];
  const set = (change: Partial<Conditions>, label: string) => session.op(conditionsOp(session, change, label));
  const show = (change: Partial<Conditions>, label: string) => session.preview(conditionsOp(session, change, label));
  const touch = $derived(c.touch ?? []);
  function addTouch() {
    ui.taking = {
      label: 'mark a place that hands go to',
      take: (p, pos) => {
        const n = touch.length + 1;
        const size = Math.hypot(...pos) || 0.1;
        const place = { name: `${p.part} ${n}`, pos, radius: Math.min(Math.max(size * 0.12, 0.01), 0.2) };
        set({ touch: [...touch, place] }, `Touch point on ${p.part}`);
      },
    };
  }
  const change = (i: number, v: object) => touch.map((t, k) => (k === i ? { ...t, ...v } : t));
</script>

<section class="slid-in" aria-label="Conditions" {@attach panel(() => (ui.conditions = false))}>
  <header class="flex items-center gap-2">
    <h2 class="grow font-semibold">Conditions</h2>
    <button
      class="chip"
      disabled={!session.doc?.conditions}
      title="Back to thirty years on the landing"
      onclick={() => session.op({ kind: 'conditions.set', label: 'The usual conditions' })}>The usual</button
    >
    <button class="chip" onclick={() => (ui.conditions = false)}>Close</button>
  </header>
  <p class="quiet text-sm">
    What all agents read. Pull the balls round the model for rain, wind and sun, on the rings for ground and waterline.
  </p>
  <div class="grid2">
    {#each numbers as [name, label, min, max, unit, scale, help] (name)}
      <span title={help}>{label}</span>
      <NumberField
        {label}
        value={c[name]}
        {min}
        {max}
        {unit}
        {scale}
        fallback={session.about.conditions![name]}
        preview={(v) => show({ [name]: v }, label)}
        commit={(v) => set({ [name]: v }, label)}
      />
    {/each}
    {#each directions as [name, label, help] (name)}
      <span title={help}>{label}</span>
      <DirectionField
        {label}
        value={c[name] as number[]}
        preview={(v) => show({ [name]: v }, label)}
        commit={(v) => set({ [name]: v }, label)}
      />
    {/each}
  </div>
  <div class="flex items-center gap-2 pt-2">
    <h3 class="grow">Touch points</h3>
    <button class="chip" onclick={addTouch}>+ on the model</button>
  </div>
  {#each touch as t, i (i)}
    <div class="touch">
      <input
        class="name"
        aria-label={`Name of touch point ${i + 1}`}
        value={t.name}
        onkeydown={(e) => e.stopPropagation()}
        onchange={(e) => set({ touch: change(i, { name: e.currentTarget.value }) }, 'Name a touch point')}
      />
      <NumberField
        label={`Radius of ${t.name}`}
        value={t.radius}
        min={0.001}
        max={2}
        unit="mm"
        scale={1000}
        log
        preview={(v) => show({ touch: change(i, { radius: v }) }, 'Touch point')}
        commit={(v) => set({ touch: change(i, { radius: v }) }, `Reach of ${t.name}`)}
      />
      <button
        class="chip"
        aria-label={`Delete ${t.name}`}
        onclick={() => set({ touch: touch.filter((_, k) => k !== i) }, `Delete touch point ${t.name}`)}>✕</button
      >
    </div>
  {:else}
    <p class="quiet text-sm">None yet: where a hand takes hold, paint wears and brass shines.</p>
  {/each}
</section>

<style>
  .grid2 {
    display: grid;
    grid-template-columns: 84px 1fr;
    gap: 3px 8px;
    align-items: center;
    font-size: 13px;
    padding-top: 6px;
  }
  .touch {
    display: grid;
    grid-template-columns: 1fr 92px auto;
    gap: 4px;
    padding: 2px 0;
    align-items: center;
  }
  .name {
    min-width: 0;
    background: var(--field);
    color: var(--text);
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 2px 6px;
    font-size: 13px;
  }
</style>
