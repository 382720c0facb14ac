// A view goes out as a layered picture, is painted over, and comes back onto the model.
import { crc32, deflateSync } from 'node:zlib';
import { strFromU8, strToU8, unzipSync, zipSync, type Zippable } from 'fflate';
import { apart, openProject, pixel, settled } from './app';
import { expect, test, type Page } from './setup';

/** A PNG of one colour. */
function png(w: number, h: number, [r, g, b, a]: number[]): Uint8Array {
  const chunk = (type: string, data: Buffer) => {
    const body = Buffer.concat([Buffer.from(type), data]);
    const out = Buffer.alloc(body.length + 8);
    out.writeUInt32BE(data.length, 0);
    body.copy(out, 4);
    out.writeUInt32BE(crc32(body), body.length + 4);
    return out;
  };
  const head = Buffer.alloc(13);
  head.writeUInt32BE(w, 0);
  head.writeUInt32BE(h, 4);
  head.set([8, 6], 8);
  const row = Buffer.from([0, ...Array.from({ length: w }, () => [r, g, b, a]).flat()]);
  const rows = deflateSync(Buffer.concat(Array.from({ length: h }, () => row)));
  return Buffer.concat([Buffer.from('\x89PNG\r\n\x1a\n', 'latin1'), chunk('IHDR', head), chunk('IDAT', rows), chunk('IEND', Buffer.alloc(0))]);
}

const size = (b: Uint8Array) => [Buffer.from(b).readUInt32BE(16), Buffer.from(b).readUInt32BE(20)];
const panel = (page: Page) => page.getByRole('region', { name: 'Paint over' });
const returned = (page: Page) => panel(page).getByRole('list', { name: 'Views that came back' }).getByRole('listitem');
const layers = (page: Page) => page.getByRole('complementary', { name: 'Section' });

/** Sends the view out; returns the file. */
async function sendOut(page: Page): Promise<Uint8Array> {
  await page.getByRole('button', { name: 'Paint over' }).click();
  await panel(page).getByLabel('Size').selectOption('1 × the window');
  await panel(page).getByRole('button', { name: 'Send out' }).click();
  await expect(panel(page).getByRole('link', { name: 'Open here' })).toBeVisible();
  const href = await panel(page).getByRole('link', { name: 'Download' }).getAttribute('href');
  const answer = await page.request.get(href!);
  expect(answer.headers()['content-type']).toContain('image/openraster');
  return new Uint8Array(await answer.body());
}

test('the view goes out, is painted over in the stand-in, comes back, and once more into the same group', async ({ page, context }) => {
  await openProject(page, 'Mooring bollard');
  const before = await pixel(page, 0.5, 0.5);
  const file = await sendOut(page);

  // as the form asks, read by code that is not the server's
  expect(strFromU8(file.subarray(30, 54))).toBe('mimetypeimage/openraster');
  const files = unzipSync(file);
  const stack = strFromU8(files['stack.xml']);
  const [, w, h] = /<image version="0\.0\.\d" w="(\d+)" h="(\d+)">/.exec(stack)!.map(Number);
  expect(size(files['mergedimage.png'])).toEqual([w, h]);
  expect(Math.max(...size(files['Thumbnails/thumbnail.png']))).toBe(256);
  const sources = [...stack.matchAll(/src="([^"]+)"/g)].map((m) => m[1]);
  expect(sources.length).toBeGreaterThan(5);
  for (const s of sources) expect(size(files[s])[0]).toBeGreaterThan(0);
  const names = [...stack.matchAll(/name="([^"]+)"/g)].map((m) => m[1]);
  expect(names[0]).toMatch(/^Taken back: base color · [0-9a-f]{10}$/);
  expect(names.slice(1, 5)).toEqual(['Lit', 'Light and shade', 'Base color', 'Masks']);

  // painted over, on the layer that waits for it and on one more
  const [ed] = await Promise.all([context.waitForEvent('page'), panel(page).getByRole('link', { name: 'Open here' }).click()]);
  const screen = ed.locator('main canvas');
  await expect(screen).toBeVisible();
  const box = (await screen.boundingBox())!;
  const at = (x: number, y: number): [number, number] => [box.x + box.width * x, box.y + box.height * y];
  const draw = async (...list: [number, number][]) => {
    await ed.mouse.move(...at(...list[0]));
    await ed.mouse.down();
    for (const p of list.slice(1)) await ed.mouse.move(...at(...p), { steps: 5 });
    await ed.mouse.up();
  };
  const seen = (x: number, y: number) =>
    screen.evaluate((c: HTMLCanvasElement, [x, y]) => [...c.getContext('2d')!.getImageData(c.width * x, c.height * y, 1, 1).data], [x, y]);
  const status = ed.getByRole('status').first();
  // what shows the view is not painted on
  await ed.getByRole('button', { name: 'Lit', exact: true }).click();
  await draw([0.4, 0.5], [0.6, 0.5]);
  await expect(ed.getByRole('alert')).toContainText('not taken back');
  await ed.getByRole('button', { name: /^Taken back/ }).click();
  await ed.getByRole('textbox', { name: 'Colour' }).fill('#1faa33');
  await ed.keyboard.press('Enter');
  const lit = await seen(0.5, 0.5);
  await draw([0.4, 0.5], [0.6, 0.5]);
  expect((await seen(0.5, 0.5))[1]).toBeGreaterThan((await seen(0.5, 0.5))[0] + 90);
  await ed.getByRole('button', { name: 'Undo' }).click();
  expect(await seen(0.5, 0.5)).toEqual(lit);
  await ed.getByRole('button', { name: 'Redo' }).click();
  // within what is drawn round alone
  await ed.getByRole('button', { name: 'Lasso' }).click();
  await draw([0.45, 0.6], [0.55, 0.6], [0.55, 0.7], [0.45, 0.7], [0.45, 0.6]);
  await ed.getByRole('button', { name: 'Brush', exact: true }).click();
  await ed.getByRole('button', { name: '+ layer' }).click();
  await ed.getByLabel('Blend mode of Layer 1').selectOption('multiply');
  const beside = await seen(0.6, 0.65);
  await draw([0.4, 0.65], [0.65, 0.65]);
  expect(await seen(0.6, 0.65)).toEqual(beside);
  expect((await seen(0.5, 0.65))[0]).toBeLessThan(60);
  await expect(status).toHaveText('not saved yet');
  await ed.getByRole('button', { name: 'Save' }).click();
  await expect(status).toHaveText(/^taken back/);

  // on the model, under its light, where the camera saw it
  await expect(returned(page)).toHaveCount(1);
  await expect(layers(page).getByText('Paint-over: View 1')).toBeVisible();
  await page.getByRole('button', { name: 'Close' }).click();
  await settled(page);
  const green = await pixel(page, 0.5, 0.5);
  expect(green[1]).toBeGreaterThan(green[0] + 40);
  expect(apart(green, before)).toBeGreaterThan(40);
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /Take back what was painted over View 1/);

  // saved again, with the first stroke rubbed out where it is looked at, the same group changes
  await ed.getByRole('button', { name: /^Taken back/ }).click();
  await ed.keyboard.press('Escape'); // everything, again
  await ed.keyboard.press('e');
  await draw([0.47, 0.5], [0.53, 0.5]);
  await draw([0.47, 0.5], [0.53, 0.5]);
  await ed.keyboard.press('Control+s');
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /Take back again/);
  await settled(page);
  expect(apart(await pixel(page, 0.5, 0.5), before)).toBeLessThan(14);
  await expect(layers(page).getByText('Paint-over: View 1')).toHaveCount(1);
  await expect(status).toHaveText(/^taken back/);
  await ed.close();
  // taken back in the ledger, it is as it was after the first time
  await page.getByRole('button', { name: 'Undo' }).click();
  await settled(page);
  expect(apart(await pixel(page, 0.5, 0.5), green)).toBeLessThan(8);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(layers(page).getByText('Paint-over: View 1')).toHaveCount(0);
});

test('a picture as another program lays it out comes back; what is wrong with others is said', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const file = await sendOut(page);
  const stack = strFromU8(unzipSync(file)['stack.xml']);
  const [, w, h] = /w="(\d+)" h="(\d+)"/.exec(stack)!.map(Number);
  const back = /name="(Taken back: base color · \w+)"/.exec(stack)![1];
  const bring = (name: string, files: Zippable) =>
    page.locator('input[accept=".ora"]').setInputFiles({ name, mimeType: 'image/openraster', buffer: Buffer.from(zipSync(files)) });
  // no thumbnail, no note, layers cut to what they hold, in a group, one hidden, names in front of others
  await bring('elsewhere.ora', {
    'data/a.png': png(40, 30, [200, 20, 30, 255]),
    'data/b.png': png(8, 8, [20, 20, 200, 255]),
    'stack.xml': strToU8(
      `<?xml version='1.0'?><image h='${h}' w='${w}'><stack><stack name='Marks' opacity='0.75'>` +
        `<layer src='data/b.png' name='Away' visibility='hidden' x='9' y='9'/>` +
        `<layer src='data/a.png' name='${back} copy' x='${Math.round(w / 2) - 20}' y='${Math.round(h / 2) - 15}' composite-op='svg:src-over'/>` +
        `</stack></stack></image>`,
    ),
  });
  await expect(returned(page).first()).toContainText('taken');
  await expect(layers(page).getByText('Paint-over: View')).toBeVisible();
  await page.getByRole('button', { name: 'Close' }).click();
  await settled(page);
  const red = await pixel(page, 0.5, 0.5);
  expect(red[0]).toBeGreaterThan(red[1] + 50);
  const doc = (await (await page.request.get(`/api/projects/${page.url().split('/').at(-1)}/document`)).json()) as { layers: any[] };
  const group = doc.layers.at(-1).layers[0];
  expect([group.name, group.amount, group.layers.map((l: any) => `${l.name} ${l.visible}`)]).toEqual([
    'Marks',
    0.75,
    ['Taken back: base color true', 'Away false'],
  ]);

  await page.keyboard.press('Shift+O');
  await bring('cut.ora', {
    'a.png': png(4, 4, [200, 20, 30, 255]),
    'stack.xml': strToU8(`<image w="50" h="40"><stack><layer src="a.png" name="${back}"/></stack></image>`),
  });
  await expect(returned(page).first()).toContainText(`went out with ${w} × ${h} texels and comes back with 50 × 40`);
  await bring('renamed.ora', { 'a.png': png(4, 4, [9, 9, 9, 255]), 'stack.xml': strToU8(`<image w="50" h="40"><stack><layer src="a.png"/></stack></image>`) });
  await expect(panel(page).getByRole('alert')).toContainText('does not say from where its view was seen');
});
