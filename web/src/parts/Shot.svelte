<script lang="ts" module>
  // Pictures that the server may have to make first wait for one another: a page has few lines
  // to it, and what is asked for by a click must not stand behind a shelf of pictures.
  const MOST = 2;
  let running = 0;
  const waiting: (() => void)[] = [];
  function next() {
    while (running < MOST && waiting.length) {
      running++;
      waiting.shift()!();
    }
  }
</script>

<script lang="ts">
  // A picture of a shelf, loaded when it is near the view and its turn has come.
  let { src, width, height }: { src: string; width: number; height: number } = $props();
  let shown = $state(false);
  let loaded = $state(false);
  let image = $state<HTMLImageElement>();
  $effect(() => {
    if (!image) return;
    let state: 'far' | 'waiting' | 'running' | 'done' = 'far';
    const begin = () => {
      state = 'running';
      shown = true;
    };
    const end = () => {
      if (state === 'running') running--;
      const at = waiting.indexOf(begin);
      if (at >= 0) waiting.splice(at, 1);
      state = 'done';
      next();
    };
    const o = new IntersectionObserver(
      (seen) => {
        if (state !== 'far' || !seen.some((s) => s.isIntersecting)) return;
        state = 'waiting';
        o.disconnect();
        waiting.push(begin);
        next();
      },
      { rootMargin: '200px 0px' },
    );
    o.observe(image);
    image.addEventListener('load', () => ((loaded = true), end()));
    image.addEventListener('error', end);
    return () => {
      o.disconnect();
      end();
    };
  });
</script>

<img
  bind:this={image}
  src={shown ? src : undefined}
  alt=""
  {width}
  {height}
  draggable="false"
  style:opacity={loaded ? 1 : 0}
/>

<style>
  img {
    width: 100%;
    height: auto;
    display: block;
  }
</style>
