// Sheets of 4096 and 8192 texels in the page: painted on, and after the card lost everything.
import { expect, test } from './setup';
import { apart, canvas, change, openProject, pixel, settled, stroke } from './app';
import type { Page } from '@playwright/test';

const worn = (page: Page) =>
  page.evaluate(() => {
    const w = (window as any).stage.worn;
    const pages = w.pages.held as { size: number; held: number }[];
    return { bytes: w.bytes, sizes: [...new Set(pages.map((p) => p.size))], count: pages.length, left: w.left.left };
  });

test('a sheet of 4096 and of 8192 is painted on; the card may lose everything', async ({ fresh: page }) => {
  await page.addInitScript(() => localStorage.setItem('sharpness', '0.71')); // enough of the view's texels to ask for fine tiles
  await openProject(page, 'Mooring bollard');
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  const box = (await canvas(page).boundingBox())!;
  for (let i = 0; i < 12; i++) {
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.mouse.wheel(0, -200);
  }
  await settled(page);
  for (const size of [4096, 8192]) {
    await change(page, { kind: 'sheet.size', target: 'Cast iron', value: size });
    await expect.poll(async () => Math.max(...(await worn(page)).sizes), { timeout: 120_000 }).toBeGreaterThan(1024);
    await settled(page);
    const at = size === 4096 ? 0.42 : 0.58;
    const before = await pixel(page, at, 0.5);
    await page.getByRole('button', { name: 'Brush', exact: true }).click();
    await stroke(page, [at - 0.05, 0.5], [at + 0.05, 0.5]);
    await settled(page);
    const painted = await pixel(page, at, 0.5);
    expect(apart(before, painted)).toBeGreaterThan(30);
    const held = await worn(page);
    expect(held.left).toBe(0);
    expect(held.bytes).toBeLessThanOrEqual(256 * 2 ** 20);
    expect(held.count).toBeLessThan(400); // of 4096 tiles that a sheet of 8192 has
    // everything that lay on the card is gone, and comes again
    await page.evaluate(() => {
      const gl = (window as any).stage.renderer.getContext() as WebGL2RenderingContext;
      const lose = gl.getExtension('WEBGL_lose_context')!;
      lose.loseContext();
      return new Promise((done) => {
        gl.canvas.addEventListener('webglcontextrestored', () => setTimeout(done, 50), { once: true });
        setTimeout(() => lose.restoreContext(), 50);
      });
    });
    await expect
      .poll(async () => apart(await pixel(page, at, 0.5), painted), { timeout: 120_000 })
      .toBeLessThan(12);
    await settled(page);
  }
});

/** A glTF of two plates that have one name, as many programs write copies of a thing. */
function twins(): Buffer {
  const corners = [-0.1, 0, -0.1, 0.1, 0, -0.1, 0.1, 0, 0.1, -0.1, 0, 0.1];
  const numbers = new Float32Array([...corners, ...[0, 0, 1, 0, 1, 1, 0, 1]]);
  const index = new Uint16Array([0, 2, 1, 0, 3, 2]);
  const bytes = Buffer.concat([Buffer.from(numbers.buffer), Buffer.from(index.buffer)]);
  const view = (byteOffset: number, byteLength: number) => ({ buffer: 0, byteOffset, byteLength });
  const node = (x: number) => ({ name: 'Plate', mesh: 0, translation: [x, 0, 0] });
  return Buffer.from(
    JSON.stringify({
      asset: { version: '2.0' },
      buffers: [{ byteLength: bytes.length, uri: `data:application/octet-stream;base64,${bytes.toString('base64')}` }],
      bufferViews: [view(0, 48), view(48, 32), view(80, 12)],
      accessors: [
        { bufferView: 0, componentType: 5126, count: 4, type: 'VEC3', min: [-0.1, 0, -0.1], max: [0.1, 0, 0.1] },
        { bufferView: 1, componentType: 5126, count: 4, type: 'VEC2' },
        { bufferView: 2, componentType: 5123, count: 6, type: 'SCALAR' },
      ],
      materials: [{ name: 'Iron' }],
      meshes: [{ primitives: [{ attributes: { POSITION: 0, TEXCOORD_0: 1 }, indices: 2, material: 0 }] }],
      nodes: [node(-0.12), node(0.12)],
      scenes: [{ nodes: [0, 1] }],
    }),
  );
}

test('a mesh that stands in several places, under one name: a stroke on one shows on both', async ({ fresh: page }) => {
  const wrong: string[] = [];
  page.on('pageerror', (e) => wrong.push(e.message));
  await page.goto('/');
  await page.getByTestId('chooser').setInputFiles({ name: 'plates.gltf', mimeType: 'model/gltf+json', buffer: twins() });
  await settled(page);
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await page.getByRole('button', { name: 'Brush', exact: true }).click();
  await settled(page);
  const places = await page.evaluate(() => {
    const s = (window as any).stage;
    const v = s.camera.position.clone();
    return [-0.12, 0.12].map((x) => s.project(v.set(x, 0, 0))).map((q: any) => [q.x / s.canvas.clientWidth, q.y / s.canvas.clientHeight]);
  });
  const before = await Promise.all(places.map(([x, y]) => pixel(page, x, y)));
  const [x, y] = places[0];
  await stroke(page, [x - 0.01, y], [x + 0.01, y]);
  await settled(page);
  // pale paint on pale iron, and nothing else changed
  for (const [i, [px, py]] of places.entries()) expect(apart(before[i], await pixel(page, px, py)), `plate ${i}`).toBeGreaterThan(4);
  expect(wrong).toEqual([]);
});

test('a stroke on a sheet without UVs is refused, and one click leads to the remedy', async ({ page }) => {
  await page.goto('/');
  const obj = 'o Slab\nv -0.1 0 -0.1\nv 0.1 0 -0.1\nv 0.1 0 0.1\nv -0.1 0 0.1\nusemtl Quay stone\nf 4 3 2 1\n';
  await page.getByTestId('chooser').setInputFiles({ name: 'slab.obj', mimeType: 'text/plain', buffer: Buffer.from(obj) });
  await settled(page);
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await page.getByRole('button', { name: 'Brush', exact: true }).click();
  await stroke(page, [0.48, 0.5], [0.52, 0.5]);
  await expect(page.getByRole('status').filter({ hasText: '“Quay stone” has no UVs' })).toBeVisible();
  await settled(page);
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /Paint 1/); // the layer, and no stroke
  await page.getByRole('button', { name: 'Unwrap it' }).click();
  await expect(page.getByText('no UVs').first()).toBeVisible();
});

test('the looks of Judge, and the room that maps have on the card', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.getByRole('button', { name: 'Judge', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Boathouse door' })).toBeVisible(); // the view has its size
  const box = (await canvas(page).boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await settled(page);
  const at: [number, number] = [0.5, 0.55];
  const evening = await pixel(page, ...at);
  await page.getByRole('button', { name: 'Boathouse door' }).click();
  await page.getByRole('button', { name: 'Quay, evening' }).click();
  await expect.poll(async () => apart(await pixel(page, ...at), evening), { timeout: 60_000 }).toBeLessThan(4);
  await settled(page);
  /** The colour there once what is seen came anew, in so much room; what was seen before the drawer was there need not. */
  const within = async (megabytes: number) => {
    const was = await worn(page);
    await page.getByLabel('room for maps').selectOption(String(megabytes));
    await expect.poll(async () => (await worn(page)).bytes, { timeout: 60_000 }).not.toBe(was.bytes);
    await expect.poll(async () => (await worn(page)).count, { timeout: 60_000 }).toBeGreaterThan(0);
    await settled(page);
    expect((await worn(page)).bytes).toBeLessThanOrEqual(megabytes * 2 ** 20);
    let last = await pixel(page, ...at); // once it rests
    const moved = async () => {
      const was = last;
      last = await pixel(page, ...at);
      return apart(was, last);
    };
    await expect.poll(moved, { intervals: [400] }).toBeLessThan(2);
    return last;
  };
  // how finely a place is worn hangs a little on the room; another colour, or none, is much farther
  const much = await within(128);
  expect(apart(much, evening)).toBeLessThan(24);
  expect(apart(await within(64), much)).toBeLessThan(24);
});
