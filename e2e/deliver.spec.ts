// Deliver: presets as data, changed, kept, and what they write.
import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { expect, outlet, test } from './setup';
import { change, narrow, openProject, settled } from './app';

test('a preset is copied, changed component by component, kept in the stock, and written as it says', async ({ page }) => {
  await openProject(page, 'Mooring bollard', false);
  await page.getByRole('button', { name: 'Deliver', exact: true }).click();
  const side = page.getByRole('complementary', { name: 'Deliver' });
  await side.getByRole('button', { name: 'packed occlusion-roughness-metallic, normal Y−' }).click();
  await side.getByLabel('size').selectOption('256');
  const table = page.getByRole('region', { name: 'What will be written' });
  await expect(table).toContainText('normal, whole, Y−');
  await side.getByRole('button', { name: 'Hide the table' }).click();
  await expect(table).toHaveCount(0);
  await side.getByRole('button', { name: 'Show the table' }).click();
  await side.getByRole('button', { name: 'Copy' }).click();
  const editor = page.getByRole('dialog');
  await editor.getByLabel('Name of the preset').fill('Slipway');
  expect(await narrow(page), 'a preset').toEqual([]);
  await editor.getByLabel('Names of files').fill('{project}-{map}-{size}');
  await editor.getByLabel('Name of file 1').fill('colour');
  await editor.getByLabel('A of colour').selectOption({ label: 'roughness' });
  await editor.getByLabel('Invert A of colour').click();
  await editor.getByLabel('Format of colour').selectOption('TIFF 16');
  await expect(editor.getByLabel('An example')).toContainText('Mooring_bollard-colour-256.tif: R G B = base color, A = 1 − roughness, sRGB, 16 bits');
  await editor.getByRole('button', { name: 'Take orm out' }).click();
  await editor.getByRole('button', { name: 'Take normal out' }).click();
  // a name that says nothing of maps: two files of it would be one
  await editor.getByRole('button', { name: '+ file' }).click();
  await editor.getByLabel('Names of files').fill('{project}');
  await editor.getByLabel('Format of map_2').selectOption('TIFF 8');
  await expect(editor.getByRole('alert')).toContainText('would be the same file');
  await editor.getByLabel('Names of files').fill('{project}-{map}');
  await expect(editor.getByRole('alert')).toHaveCount(0);
  await editor.getByRole('button', { name: 'Keep in the stock' }).click();
  await expect(editor.getByRole('button', { name: 'Keep in the stock' })).toHaveCount(0);
  await page.keyboard.press('Escape');
  await expect(side.getByRole('button', { name: 'Slipway', exact: true })).toHaveAttribute('aria-pressed', 'true');
  await side.getByRole('button', { name: 'Deliver', exact: true }).click();
  const link = side.getByRole('link', { name: /Mooring_bollard-colour\.tif/ });
  await side.getByText('2 files', { exact: true }).click({ timeout: 240_000 });
  const tif = Buffer.from(await (await page.request.get((await link.getAttribute('href'))!)).body());
  expect(tif.subarray(0, 4).toString('latin1')).toBe('MM\0*');
  await expect(side.getByRole('link', { name: /Mooring_bollard-map_2\.tif/ })).toBeVisible();
  // it is there after a reload, for every project
  await page.reload();
  await page.getByRole('button', { name: 'Deliver', exact: true }).click();
  await expect(side.getByRole('button', { name: 'Slipway', exact: true })).toBeVisible();
  // taken out of the stock, and brought back
  await side.getByRole('button', { name: 'Take Slipway out of the stock' }).click();
  await expect(side.getByRole('button', { name: 'Slipway', exact: true })).toHaveCount(0);
  await side.getByRole('button', { name: 'Bring it back' }).click();
  await expect(side.getByRole('button', { name: 'Slipway', exact: true })).toBeVisible();
  await side.getByRole('button', { name: 'Take Slipway out of the stock' }).click();
});

test('what is to be known is said before; what was written is looked at, delivered again, and corrected in the target view', async ({ fresh: page }) => {
  rmSync(join(outlet(test.info().parallelIndex), 'quay'), { recursive: true, force: true });
  await openProject(page, 'Mooring bollard');
  await change(page, { kind: 'layer.add', parent: '', index: 7, layer: { id: 'tall', name: 'Tall', kind: 'fill', visible: true, amount: 1, channels: { height: { on: true, value: [0.012], blend: 'add', amount: 1 } } } });
  await page.getByRole('button', { name: 'Deliver', exact: true }).click();
  const side = page.getByRole('complementary', { name: 'Deliver' });
  const table = page.getByRole('region', { name: 'What will be written' });
  await side.getByRole('button', { name: 'every channel, 16 bit' }).click();
  const known = table.getByRole('list', { name: 'To know before' });
  await expect(known).toContainText('nobody paints the emissive of "Cast iron"');
  // a warning finds its place: the view goes there and shows the channel
  const eye = () => page.evaluate(() => (window as any).stage.camera.position.toArray());
  const was = await eye();
  await known.getByRole('listitem').filter({ hasText: 'reaches 1' }).getByRole('button', { name: 'place' }).click();
  await expect.poll(async () => JSON.stringify(await eye())).not.toBe(JSON.stringify(was));
  await expect(table.locator('tr.about')).toContainText('height');
  await known.getByRole('button', { name: 'place' }).click();
  await change(page, { kind: 'layer.remove', target: 'tall' });
  await expect(known).not.toContainText('reaches 1');
  // into a folder on the server, and nowhere else
  const folder = side.getByLabel('Folder on the server');
  await folder.fill('../away');
  await expect(side.getByRole('alert')).toContainText('does not lie below');
  await folder.fill('quay/bollard');
  await expect(side.getByRole('alert')).toHaveCount(0);
  // the model with its maps, in two kinds
  await side.getByRole('button', { name: 'glTF metal-rough' }).click();
  await side.getByRole('button', { name: 'USDZ', exact: true }).click();
  await expect(table).toContainText('Mooring_bollard.usdz');
  await side.getByRole('button', { name: 'Deliver', exact: true }).click();
  const made = side.getByRole('article').first(); // the latest
  await expect(made).toContainText('glTF metal-rough');
  const before = await side.getByRole('article').count();
  await made.getByRole('button', { name: 'Look at it' }).click({ timeout: 240_000 });
  const put = join(outlet(test.info().parallelIndex), 'quay', 'bollard');
  expect(readdirSync(put).length).toBe(6);
  // every map is what it should be, to a rounding, and both halves of the picture are alike
  await expect(table.getByText('as it should be')).toHaveCount(4);
  const over = page.getByRole('group', { name: 'Line-up: Delivered' });
  await expect(over.locator('.cell[data-settled=true]')).toHaveCount(2);
  await over.getByRole('button', { name: 'beside each other' }).click();
  const pair = () =>
    page.evaluate(async () => {
      const s = (window as any).stage;
      s.draw();
      const c = document.createElement('canvas');
      [c.width, c.height] = [s.canvas.width, s.canvas.height];
      const g = c.getContext('2d')!;
      g.drawImage(s.canvas, 0, 0);
      const r = c.width / s.canvas.clientWidth;
      const [a, b] = s.places().map((p: any) => g.getImageData(p.x * r, (s.canvas.clientHeight - p.y - p.h) * r, p.w * r - 1, p.h * r - 1).data);
      let apart = 0, shown = 0;
      for (let i = 0; i < Math.min(a.length, b.length); i += 4) {
        if (Math.abs(a[i] - 90) + Math.abs(a[i + 1] - 90) + Math.abs(a[i + 2] - 90) < 12) continue;
        apart += Math.abs(a[i] - b[i]) + Math.abs(a[i + 1] - b[i + 1]) + Math.abs(a[i + 2] - b[i + 2]);
        shown++;
      }
      return { apart: apart / 3 / shown, shown };
    });
  await expect.poll(async () => (await pair()).apart, { timeout: 60_000 }).toBeLessThan(9);
  expect((await pair()).shown).toBeGreaterThan(300);
  await over.getByRole('button', { name: 'Leave' }).click();
  await table.getByRole('button', { name: 'Back to the table' }).click();
  await expect(table.getByRole('status')).toContainText('6 files are in the folder already and will be written over');
  await folder.fill('');
  await expect(table.getByRole('status')).toHaveCount(0);
  // what would change is told before it is delivered again
  await made.getByRole('button', { name: 'Deliver again …' }).click();
  await expect(side.getByRole('status')).toContainText('All 6 files would be the same.');
  await made.getByRole('button', { name: 'Deliver again …' }).click();
  await change(page, { kind: 'layer.add', parent: '', index: 7, layer: { id: 'matt', name: 'Matt', kind: 'fill', visible: true, amount: 1, channels: { roughness: { on: true, value: [0.9], blend: 'normal', amount: 1 } } } });
  await made.getByRole('button', { name: 'Deliver again …' }).click();
  await expect(side.getByRole('status')).toContainText(/3\s+would change: .*orm\.png.*glb/);
  await made.getByRole('button', { name: 'Deliver again', exact: true }).click();
  await expect(side.getByRole('article')).toHaveCount(before + 1);
  await expect(made.getByRole('button', { name: 'Look at it' })).toBeVisible({ timeout: 240_000 });
  // the target view knows the files alone; its corrections come home as a hidden layer
  await made.getByRole('link', { name: 'Target view' }).click();
  await expect(page.locator('canvas[data-opened="Mooring_bollard.glb"]')).toBeVisible();
  const seen = () => page.getByLabel('The delivery').evaluate(async (c: HTMLCanvasElement) => {
    await new Promise((r) => requestAnimationFrame(() => requestAnimationFrame(r)));
    const k = document.createElement('canvas');
    [k.width, k.height] = [32, 32];
    const g = k.getContext('2d')!;
    g.drawImage(c, c.width * 0.4, c.height * 0.4, c.width * 0.2, c.height * 0.2, 0, 0, 32, 32);
    return g.getImageData(0, 0, 32, 32).data.reduce((a, b) => a + b, 0);
  });
  const light = await seen();
  const bright = page.getByLabel('Brightness, times');
  await bright.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('2.5');
  await page.keyboard.press('Enter');
  await expect.poll(seen).toBeGreaterThan(light * 1.03);
  await page.getByRole('button', { name: 'Take home' }).click();
  await expect(page.getByRole('status')).toContainText('From the target view: brightness × 2.5');
  await page.getByRole('link', { name: 'Back to the project' }).click();
  await settled(page);
  await page.getByRole('button', { name: 'Layer', exact: true }).click();
  const layer = page.getByRole('button', { name: /^Show From the target view: brightness × 2\.5/ });
  await expect(layer).toBeVisible(); // it is hidden
  await page.keyboard.press('Control+z');
  await expect(layer).toHaveCount(0);
});
