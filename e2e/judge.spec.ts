// Judge: what lights the model, what the lens does, what is kept, and stills.
import { readFileSync } from 'node:fs';
import { expect, test } from './setup';
import { addChannel, apart, canvas, change, narrow, openProject, pixel, settled, type } from './app';
import type { Page } from './setup';

async function judge(page: Page, name = 'Mooring bollard') {
  await openProject(page, name);
  await page.getByRole('button', { name: 'Judge', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Boathouse door' })).toBeVisible();
  await settled(page);
}

/** The frames that are under way are drawn: all pictures that make one are gathered. */
const gathered = (page: Page) =>
  page.waitForFunction(() => {
    const g = (window as any).stage.gathers;
    return g.now >= g.of;
  });

/** A PNG's size, and the mean of small squares of it, at shares of its width and height. */
const look = (page: Page, png: Buffer, ...at: [number, number][]) =>
  page.evaluate(
    async ([data, at]) => {
      const image = await createImageBitmap(await (await fetch(`data:image/png;base64,${data}`)).blob());
      const g = new OffscreenCanvas(image.width, image.height).getContext('2d')!;
      g.drawImage(image, 0, 0);
      const means = at.map(([x, y]) => {
        const d = g.getImageData(Math.round(image.width * x) - 5, Math.round(image.height * y) - 5, 11, 11).data;
        return [0, 1, 2, 3].map((k) => d.filter((_, i) => i % 4 === k).reduce((a, b) => a + b, 0) / 121);
      });
      return { size: [image.width, image.height], means };
    },
    [png.toString('base64'), at] as const,
  );

/** A panorama, 32 × 16 texels of one colour, as a Radiance file. */
function panorama(r: number, g: number, b: number): Buffer {
  const head = Buffer.from('#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 16 +X 32\n');
  return Buffer.concat([head, Buffer.alloc(32 * 16 * 4).map((_, i) => [r, g, b, 129][i % 4])]);
}

test('environments light the model; one is brought from a file, a broken one is refused by name', async ({ page }) => {
  await judge(page);
  const at: [number, number] = [0.5, 0.3];
  const evening = await pixel(page, ...at);
  const looks = (name: string) => page.getByRole('group', { name: 'Environments' }).getByRole('button', { name, exact: true });
  await looks('Workshop lamps').click();
  await expect(looks('Workshop lamps')).toHaveAttribute('aria-pressed', 'true');
  const warm = (c: number[]) => c[0] / Math.max(c[2], 1);
  await expect.poll(async () => warm(await pixel(page, ...at))).toBeGreaterThan(warm(evening) * 1.15);
  // turned by its number, the light comes from elsewhere
  const lamps = await pixel(page, ...at);
  await type(page, 'Turn', '120');
  await expect.poll(async () => apart(await pixel(page, ...at), lamps)).toBeGreaterThan(6);
  const turned = await pixel(page, ...at);
  await type(page, 'Tilt', '70');
  await expect.poll(async () => apart(await pixel(page, ...at), turned)).toBeGreaterThan(3);
  await type(page, 'Tilt', '0');
  await type(page, 'Turn', '312');
  // exposure and tones
  await type(page, 'Exposure', '4');
  await expect.poll(async () => (await pixel(page, ...at))[0]).toBeGreaterThan(lamps[0] + 30);
  const filmic = await pixel(page, ...at);
  await page.getByLabel('Tones').selectOption('neutral');
  await expect.poll(async () => apart(await pixel(page, ...at), filmic)).toBeGreaterThan(4);
  await page.getByLabel('Tones').selectOption('filmic');
  await type(page, 'Exposure', '1');
  // one of the artist's own: all green
  const bring = page.getByLabel('Bring a panorama');
  await bring.setInputFiles({ name: 'weed.hdr', mimeType: 'image/vnd.radiance', buffer: panorama(8, 128, 8) });
  await expect(looks('weed.hdr')).toHaveAttribute('aria-pressed', 'true');
  await expect
    .poll(async () => {
      const c = await pixel(page, ...at);
      return c[1] / Math.max(c[0], c[2], 1);
    })
    .toBeGreaterThan(1.5);
  // it is in the stock: there for every project
  const list = (await (await page.request.get('/api/environments')).json()) as { name: string; item?: string }[];
  expect(list.some((e) => e.name === 'weed.hdr' && e.item)).toBe(true);
  await bring.setInputFiles({ name: 'square.hdr', mimeType: 'image/vnd.radiance', buffer: Buffer.from('#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 8 +X 8\n' + 'a'.repeat(256)) });
  await expect(page.getByRole('alert')).toContainText('environment "square.hdr": the picture is 8 × 8; a panorama is twice as wide');
  await page.getByRole('alert').getByRole('button', { name: 'Close' }).click();
  // it is thrown away, and another one lights; brought back, and thrown away for good
  await page.getByRole('button', { name: 'Throw “weed.hdr” away' }).click();
  await expect(looks('weed.hdr')).toHaveCount(0);
  await expect.poll(async () => apart(await pixel(page, ...at), evening)).toBeLessThan(4);
  await page.getByRole('button', { name: 'Bring “weed.hdr” back' }).click();
  await expect(looks('weed.hdr')).toHaveAttribute('aria-pressed', 'true');
  await page.getByRole('button', { name: 'Throw “weed.hdr” away' }).click();
  await looks('Quay, evening').click();
  await expect.poll(async () => apart(await pixel(page, ...at), evening)).toBeLessThan(4);
});

test('the opening blurs what is out of focus, corners grow darker, grain lies on the picture; none of it in Layer', async ({ page }) => {
  await judge(page);
  const corner = () => pixel(page, 0.02, 0.03);
  const plain = await corner();
  await type(page, 'Vignette', '1');
  await expect.poll(async () => (await corner())[1]).toBeLessThan(plain[1] - 12);
  expect((await pixel(page, 0.5, 0.05))[1]).toBeGreaterThan((await corner())[1] + 5);
  await type(page, 'Vignette', '0');
  /** how much neighbours differ along a row of the view: all together, and most of all */
  const steps = (fy: number) =>
    page.evaluate((y) => {
      const c = document.querySelector<HTMLCanvasElement>('canvas[data-settled]')!;
      const flat = new OffscreenCanvas(c.width, c.height);
      const g = flat.getContext('2d')!;
      g.drawImage(c, 0, 0);
      const d = g.getImageData(0, Math.round(c.height * y), c.width, 1).data;
      const all = Array.from({ length: d.length / 4 - 1 }, (_, i) => Math.abs(d[4 * i + 4] - d[4 * i]));
      return { sum: all.reduce((a, b) => a + b), most: Math.max(...all) };
    }, fy);
  const rough = async (fy: number) => (await steps(fy)).sum;
  // the model's rim, whatever it wears
  const steepest = async () => (await steps(0.5)).most;
  await expect.poll(corner).toEqual(plain);
  const still = await rough(0.05);
  await type(page, 'Grain', '1');
  await expect.poll(() => rough(0.05)).toBeGreaterThan(still + 500);
  await type(page, 'Grain', '0');
  await expect.poll(() => rough(0.05)).toBeLessThan(still + 50);
  const sharp = await steepest();
  // far from what is sharp all is wide
  await type(page, 'F-stop', '1');
  await type(page, 'Focus', '0.2');
  await expect.poll(steepest).toBeLessThan(sharp * 0.7);
  await gathered(page);
  // and sharp again where it is picked
  await page.getByRole('button', { name: 'pick focus' }).click();
  const box = (await canvas(page).boundingBox())!;
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.45);
  await expect(page.getByRole('button', { name: 'pick focus' })).toHaveAttribute('aria-pressed', 'false');
  await gathered(page);
  expect(await steepest()).toBeGreaterThan(sharp * 0.75);
  await page.getByRole('button', { name: 'Layer', exact: true }).click();
  expect(await page.evaluate(() => (window as any).stage.gathers.of)).toBe(1);
});

test('views and looks are kept with small pictures, come back by their numbers, and go with undo', async ({ page }) => {
  await judge(page);
  const eye = () => page.evaluate(() => (window as any).stage.camera.position.toArray().map((v: number) => Math.round(v * 1e4) / 1e4) as number[]);
  const first = await eye();
  const views = page.getByRole('group', { name: 'Views' });
  await page.getByRole('button', { name: 'Keep this view' }).click();
  await expect(views.getByRole('button', { name: 'View View 1' }).locator('img')).toHaveAttribute('src', /^data:image\//);
  await page.evaluate(() => (window as any).stage.turn(0.6, 0.2));
  expect(await eye()).not.toEqual(first);
  await page.keyboard.press('1');
  await expect.poll(eye).toEqual(first);
  // a part alone is of the view, too
  await page.getByLabel('Part alone').selectOption({ index: 1 });
  await page.getByRole('button', { name: 'Keep this view' }).click();
  await expect(views.getByRole('button', { name: 'View View 2' })).toBeVisible(); // there is none at 2 before
  await page.keyboard.press('1');
  await expect(page.getByLabel('Part alone')).toHaveValue('');
  await expect.poll(eye).toEqual(first);
  await page.keyboard.press('2');
  await expect(page.getByLabel('Part alone')).not.toHaveValue('');
  await page.keyboard.press('1');
  // a look
  await type(page, 'Exposure', '2');
  await page.getByRole('button', { name: 'Snow light' }).click();
  await page.getByRole('button', { name: 'Keep this look' }).click();
  await expect(page.getByRole('button', { name: 'Look Look 1' })).toBeVisible();
  await type(page, 'Exposure', '1');
  await page.getByRole('button', { name: 'Quay, evening' }).click();
  await page.keyboard.press('Shift+Digit1');
  await expect(page.getByRole('slider', { name: 'Exposure', exact: true })).toHaveAttribute('aria-valuenow', '2');
  await expect(page.getByRole('button', { name: 'Snow light' })).toHaveAttribute('aria-pressed', 'true');
  // renamed, forgotten, and back
  await page.getByRole('button', { name: 'More for Look 1' }).click();
  await page.getByRole('button', { name: 'rename' }).click();
  await page.getByRole('textbox', { name: 'Name of Look 1' }).fill('White morning');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Look White morning' })).toBeVisible();
  await page.getByRole('button', { name: 'More for White morning' }).click();
  await page.getByRole('button', { name: 'forget' }).click();
  await expect(page.getByRole('button', { name: 'Look White morning' })).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('button', { name: 'Look White morning' })).toBeVisible();
  // all of it goes again
  for (let i = 0; i < 4; i++) await page.getByRole('button', { name: 'Undo' }).click();
  await expect(views.getByRole('button', { name: /^View / })).toHaveCount(0);
});

test('a still is begun, seen at once, paused, found again after a reload, gone on with, thrown away and brought back', async ({ page }) => {
  await judge(page);
  const seen = await pixel(page, 0.5, 0.6);
  await page.getByRole('button', { name: 'Stills …' }).click();
  const stills = page.getByRole('complementary', { name: 'Stills' });
  await stills.getByLabel('Size of the still').selectOption('320x200');
  expect(await narrow(page), 'stills').toEqual([]);
  await stills.getByLabel('Paths a pixel').selectOption('4096');
  await stills.getByLabel('Behind the model').selectOption('plain');
  await stills.getByRole('button', { name: 'Draw a still' }).click();
  const one = stills.getByRole('article').first();
  await expect(one.locator('img')).toBeVisible(); // a first look
  await expect(one).toContainText(/\d+ of 4096 paths/);
  await one.getByRole('button', { name: 'Pause' }).click();
  await expect(one).toHaveAttribute('data-state', 'cancelled');
  await page.reload();
  await page.getByRole('button', { name: 'Judge', exact: true }).click();
  await page.getByRole('button', { name: 'Stills …' }).click();
  await expect(one).toContainText('paused');
  await one.getByRole('button', { name: 'Go on' }).click();
  await expect(one).toContainText(/\d+ of 4096 paths/);
  await one.getByRole('button', { name: 'Pause' }).click();
  await expect(one).toHaveAttribute('data-state', 'cancelled');
  await one.getByRole('button', { name: 'Throw away' }).click();
  await expect(stills.getByRole('article')).toHaveCount(0);
  // one to the end: it shows what the view shows
  await stills.getByLabel('Size of the still').selectOption('320x200');
  await stills.getByLabel('Paths a pixel').selectOption('4');
  await stills.getByLabel('Behind the model').selectOption('plain');
  await stills.getByRole('button', { name: 'Draw a still' }).click();
  await expect(one).toHaveAttribute('data-state', 'done', { timeout: 240_000 });
  const file = async (name: string) => Buffer.from(await (await page.request.get((await one.getByRole('link', { name }).getAttribute('href'))!)).body());
  const png = await look(page, await file('PNG'), [0.5, 0.6]);
  expect(png.size).toEqual([320, 200]);
  const mean = png.means[0].slice(0, 3);
  expect(apart(mean, seen), `the still shows ${mean}, the view ${seen}`).toBeLessThan(28);
  expect((await file('EXR')).subarray(0, 4).toString('hex')).toBe('762f3101');
  await one.getByRole('button', { name: 'Throw away' }).click();
  await expect(stills.getByRole('article')).toHaveCount(0);
  await stills.getByRole('button', { name: 'Bring it back' }).click();
  await expect(one).toHaveAttribute('data-state', 'done');
  await one.getByRole('button', { name: 'Throw away' }).click();
});

test('a quick picture is as large as was asked for, with nothing around the model', async ({ page }) => {
  await judge(page);
  await page.getByRole('button', { name: 'Quick picture' }).click();
  const sheet = page.getByRole('group', { name: 'Quick picture' });
  await sheet.getByLabel('nothing around it').check();
  const download = page.waitForEvent('download');
  await sheet.getByRole('button', { name: 'to a file' }).click();
  const png = await look(page, readFileSync(await (await download).path()), [0.03, 0.03], [0.5, 0.5]);
  const box = (await canvas(page).boundingBox())!;
  expect(png.size).toEqual([Math.round(box.width) * 2, Math.round(box.height) * 2]);
  expect(png.means.map((m) => m[3])).toEqual([0, 255]);
  await expect(sheet).toContainText('written');
  // the view is as it was
  const c = await page.evaluate(() => {
    const c = document.querySelector<HTMLCanvasElement>('canvas[data-settled]')!;
    return [c.width, c.height];
  });
  expect(c[0]).toBeLessThanOrEqual(Math.round(box.width));
});

test('this state and an earlier one: divided by a line that is dragged, and as their difference, amplified', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const before = await pixel(page, 0.5, 0.4);
  const grey = before[1] > 90 ? 0.01 : 0.95; // whatever lies there already
  await change(page, { kind: 'layer.add', parent: '', index: -1, layer: { id: 'over', name: 'Over', kind: 'fill', visible: true, amount: 1, channels: { baseColor: { on: true, value: [grey, grey, grey], blend: 'normal', amount: 1 } } } });
  await settled(page);
  await page.getByRole('button', { name: 'Judge', exact: true }).click();
  await settled(page);
  const after = await pixel(page, 0.5, 0.4);
  expect(apart(before, after)).toBeGreaterThan(25);
  await page.getByLabel('Difference with').selectOption({ index: 1 });
  const over = page.getByRole('group', { name: 'Line-up: Difference' });
  await expect(over.locator('.cell[data-settled=true]')).toHaveCount(2, { timeout: 60_000 });
  const now = await pixel(page, 0.53, 0.45); // right of the line
  const light = async () => (await pixel(page, 0.47, 0.45))[1];
  const was = await light();
  expect(Math.abs(now[1] - was)).toBeGreaterThan(25);
  const line = over.getByRole('slider', { name: 'The line between the two' });
  const box = (await line.boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x - 300, box.y + box.height / 2, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => Math.abs((await light()) - was)).toBeGreaterThan(25);
  await over.getByRole('button', { name: 'difference' }).click();
  await expect.poll(async () => Math.max(...(await pixel(page, 0.03, 0.2)))).toBe(0); // what is alike is black
  const eight = await pixel(page, 0.5, 0.45);
  expect(Math.max(...eight)).toBeGreaterThan(100);
  await over.getByLabel('Times').selectOption('1');
  await expect.poll(async () => (await pixel(page, 0.5, 0.45))[1]).toBeLessThan(eight[1]);
  await page.keyboard.press('Escape');
  await expect(over).toHaveCount(0);
  await change(page, { kind: 'layer.remove', target: 'over' });
});

test('channels beyond the usual ones are off until used: a coat shows, a pane shows what is behind, and all goes again', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const more = () => page.evaluate(() => (window as any).stage.worn.more as { clear: boolean; soft: boolean });
  expect(await more()).toEqual({ clear: false, soft: false });
  await page.keyboard.press('n'); // a matt fill over everything
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /Add Coat/);
  await settled(page);
  const at: [number, number] = [0.5, 0.4];
  const solid = await pixel(page, ...at);
  /** the view, small */
  const small = () =>
    page.evaluate(() => {
      (window as any).stage.draw();
      const g = new OffscreenCanvas(96, 64).getContext('2d')!;
      g.drawImage(document.querySelector<HTMLCanvasElement>('canvas[data-settled]')!, 0, 0, 96, 64);
      return [...g.getImageData(0, 0, 96, 64).data];
    });
  const matt = await small();
  await addChannel(page, 'coat');
  await settled(page);
  expect(await more()).toEqual({ clear: true, soft: false });
  await expect.poll(async () => apart(await small(), matt), { timeout: 30_000 }).toBeGreaterThan(15); // it shines somewhere
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect.poll(more).toEqual({ clear: false, soft: false });
  await settled(page);
  await expect.poll(async () => apart(await pixel(page, ...at), solid)).toBeLessThan(4);
  await addChannel(page, 'transmission');
  await settled(page);
  await expect.poll(async () => (await pixel(page, ...at))[0]).toBeLessThan(solid[0] - 40); // dark grey lies behind
  await page.getByRole('button', { name: 'Undo' }).click();
  await addChannel(page, 'fuzz');
  await settled(page);
  await expect.poll(async () => apart(await small(), matt), { timeout: 30_000 }).toBeGreaterThan(8);
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
});

test('the lantern is taken apart to be looked at, and one part stands among ghosts; in Layer it is whole', async ({ page }) => {
  await openProject(page, 'Signal lantern');
  await page.getByRole('button', { name: 'Judge', exact: true }).click();
  await settled(page);
  const lifted = () => page.evaluate(() => Math.max(...(window as any).stage.meshes.map((m: any) => m.position.y)) as number);
  expect(await lifted()).toBe(0);
  await type(page, 'Explode', '1');
  await expect.poll(lifted).toBeGreaterThan(0.02);
  // what is pointed at is where it was on the whole model
  const met = await page.evaluate(() => {
    const s = (window as any).stage;
    const [w, h] = [s.canvas.clientWidth, s.canvas.clientHeight];
    const out: number[] = [];
    for (let y = 0.02; y < 1; y += 0.04)
      for (let x = 0.3; x < 0.7; x += 0.02) {
        const hit = s.pick(w * x, h * y);
        if (hit?.mesh.position.y > 0.01) out.push(hit.pos.y - s.bounds.max.y);
      }
    return out;
  });
  expect(met.length).toBeGreaterThan(0);
  expect(Math.max(...met)).toBeLessThanOrEqual(1e-4);
  await type(page, 'Explode', '0');
  await expect.poll(lifted).toBe(0);
  const empty = await pixel(page, 0.5, 0.5);
  await page.getByLabel('Part alone').selectOption({ index: 2 });
  const ghosts = () => page.evaluate(() => (window as any).stage.scene.children.filter((c: any) => c.isGroup).flatMap((g: any) => g.children).filter((m: any) => m.userData.of).length as number);
  await page.getByLabel('ghosts').check();
  await expect.poll(ghosts).toBeGreaterThan(0);
  await page.getByRole('button', { name: 'Layer', exact: true }).click();
  await expect.poll(ghosts).toBe(0);
  await page.getByRole('button', { name: 'Judge', exact: true }).click();
  await page.getByLabel('Part alone').selectOption('');
  await expect.poll(() => pixel(page, 0.5, 0.5).then((p) => Math.max(...p.map((v, i) => Math.abs(v - empty[i]))))).toBeLessThan(6);
});
