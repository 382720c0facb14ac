<script lang="ts">
  // A small live picture of a mask on the model, as the camera sees it.
  let { image, label = '' }: { image?: ImageData; label?: string } = $props();
  let canvas: HTMLCanvasElement;
  $effect(() => {
    if (!image) return;
    canvas.width = image.width;
    canvas.height = image.height;
    canvas.getContext('2d')!.putImageData(image, 0, 0);
  });
</script>

<canvas bind:this={canvas} aria-label={label}></canvas>

<style>
  canvas {
    display: block;
    width: 100%;
    height: 100%;
    object-fit: cover;
    background: #4a4a4a;
  }
</style>
