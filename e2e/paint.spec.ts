// Painting through the interface: brushes of the shelf, the practice pen, twins, rows.
import { readFileSync } from 'node:fs';
import { addChannel, apart, canvas, holdable, narrow, openProject, pixel, settled, stroke, type } from './app';
import { expect, test, type Page } from './setup';

async function paintLayer(page: Page) {
  await openProject(page, 'Mooring bollard');
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await expect(page.getByRole('region', { name: 'Brush' })).toContainText('paint · base color');
  await settled(page);
}

const button = (page: Page, name: string) => page.getByRole('button', { name, exact: true });

async function take(page: Page, brush: string) {
  await page.getByRole('button', { name: /^Brushes:/ }).click();
  await page.getByRole('textbox', { name: 'Find a brush' }).fill(brush);
  await page.getByRole('button', { name: `Take ${brush}`, exact: true }).click();
}

async function play(page: Page, recording: string) {
  await page.getByRole('tab', { name: 'Pen' }).click();
  await page.getByRole('combobox', { name: 'What the practice pen plays' }).selectOption(recording);
  await page.getByRole('button', { name: 'Play', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Play', exact: true })).toBeEnabled();
  await page.getByRole('tab', { name: 'Line' }).click();
}

const undoTitle = (page: Page) => page.getByRole('button', { name: 'Undo' }).getAttribute('title');

/** Every message that the page sends from now on. */
async function sent(page: Page) {
  await page.evaluate(() => {
    const send = WebSocket.prototype.send;
    (window as any).sent = [];
    WebSocket.prototype.send = function (data) {
      (window as any).sent.push(JSON.parse(String(data)));
      send.call(this, data);
    };
  });
  return (t: string): Promise<any[]> => page.evaluate((t) => (window as any).sent.filter((m: any) => m.t === t), t);
}

test('a brush of the shelf, pulled by the practice pen: pressure and tilt arrive, the model changes, undo brings it back', async ({ page }) => {
  await paintLayer(page);
  const before = await pixel(page, 0.5, 0.5);
  const messages = await sent(page);
  await take(page, 'Marker');
  await expect(page.getByRole('button', { name: 'Brushes: Marker' })).toBeVisible();
  await type(page, 'Brush size', '60');
  await page.getByRole('tab', { name: 'Pen' }).click();
  await page.getByRole('combobox', { name: 'What drives flow' }).selectOption('tilt');
  await play(page, 'Swelling line');
  await settled(page);
  const begin = (await messages('stroke.begin'))[0].stroke;
  expect(begin.kit.pen.map((d: any) => `${d.by} ${d.what}`).sort()).toEqual(['pressure size', 'tilt flow']);
  const adds = await messages('stroke.add');
  const pressures = adds.flatMap((m) => m.points.filter((_: number, i: number) => i % 7 === 6));
  expect(Math.min(...pressures)).toBeLessThan(0.4);
  expect(Math.max(...pressures)).toBeGreaterThan(0.9);
  const tilts = adds.flatMap((m) => m.tilt);
  expect(tilts.length).toBe(pressures.length);
  expect(tilts[0]).toBeCloseTo(Math.hypot(22, 18) / 90, 1);
  const after = await pixel(page, 0.5, 0.5);
  expect(apart(before, after)).toBeGreaterThan(15);
  await page.getByRole('button', { name: 'Undo' }).click();
  await settled(page);
  expect(apart(before, await pixel(page, 0.5, 0.5))).toBeLessThan(6);
});

test('twins on both sides, a row of stamps between two clicks, and a brush kept in the stock', async ({ page }) => {
  await paintLayer(page);
  const messages = await sent(page);
  const box = (await canvas(page).boundingBox())!;
  const click = (fx: number, fy: number) => page.mouse.click(box.x + box.width * fx, box.y + box.height * fy);

  // mirrored across x, the stroke is on both sides
  await type(page, 'Brush size', '50');
  await page.getByRole('tab', { name: 'Twins' }).click();
  await page.getByRole('button', { name: 'Mirror across x' }).click();
  await page.getByRole('tab', { name: 'Line' }).click();
  await click(0.5, 0.55);
  await settled(page);
  const first = (await messages('stroke.begin'))[0].stroke;
  expect(first.mirror.planes).toEqual([{ X: 1, Y: 0, Z: 0 }]);
  // the cursor stands at both places
  await expect(page.locator('svg.over path:not(.halo)').first()).toHaveAttribute('d', /Z.+Z$/);
  await page.getByRole('tab', { name: 'Twins' }).click();
  await page.getByRole('button', { name: 'Mirror across x' }).click();
  await page.getByRole('tab', { name: 'Line' }).click();

  // colours kept with the project, brought in as a list, taken by a click
  await page.getByRole('button', { name: 'Brush color', exact: true }).click();
  await page.getByRole('button', { name: 'Keep this colour' }).click();
  // the palette goes into the stock, and can be brought in from there
  await page.getByRole('button', { name: 'Stock', exact: true }).last().click();
  const stocked = page.getByRole('group', { name: 'Palettes of the stock' });
  await stocked.getByLabel('Name to keep the palette by').fill('Landing blues');
  await stocked.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(stocked.getByRole('button', { name: 'Bring in Landing blues' })).toBeVisible();
  await stocked.getByRole('button', { name: 'Delete Landing blues' }).click();
  await expect(stocked.getByRole('button', { name: 'Bring in Landing blues' })).toHaveCount(0);
  await page.getByRole('button', { name: 'List', exact: true }).click();
  await page.getByRole('textbox', { name: 'Colours as a list' }).fill('ff8800\n{"deep":"#0044aa"}');
  await page.getByRole('button', { name: 'Bring these in' }).click();
  await expect(page.getByRole('group', { name: 'Colours of the project' }).getByRole('button')).toHaveCount(4);
  await page.getByRole('button', { name: 'Take #0044aa' }).click();
  await expect(page.getByRole('textbox', { name: 'Brush color as hex' })).toHaveValue('#0044aa');
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');

  // five rivets from the last click to the next one with Shift
  await take(page, 'Rivets');
  await type(page, 'Brush size', '12');
  await type(page, 'Stamps in a row', '5');
  await click(0.46, 0.6);
  await page.keyboard.down('Shift');
  await click(0.54, 0.6);
  await page.keyboard.up('Shift');
  await settled(page);
  const row = (await messages('stroke.begin')).at(-1).stroke;
  const points: number[] = (await messages('stroke.add')).at(-1).points;
  let length = 0;
  for (let i = 7; i < points.length; i += 7)
    length += Math.hypot(points[i] - points[i - 7], points[i + 1] - points[i - 6], points[i + 2] - points[i - 5]);
  expect(length / (row.kit.spacing * 2 * row.radius)).toBeCloseTo(4, 1); // four gaps
  expect(await undoTitle(page)).toContain('stroke');
  // or one every 30 mm, however many that makes
  await type(page, 'Stamps in a row', '0');
  await type(page, 'Distance in a row', '30');
  await page.keyboard.down('Shift');
  await click(0.5, 0.65);
  await page.keyboard.up('Shift');
  await settled(page);
  const apiece = (await messages('stroke.begin')).at(-1).stroke;
  expect(apiece.kit.spacing * 2 * apiece.radius * 1000).toBeCloseTo(30, 1);
  await type(page, 'Distance in a row', '0');

  // kept under a name of one's own, found again, dropped
  await page.getByRole('button', { name: /^Brushes:/ }).click();
  await page.getByRole('textbox', { name: 'Name to keep the brush by' }).fill('Ferry rivets');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Take Ferry rivets' })).toBeVisible();
  await page.getByRole('button', { name: 'Take Marker', exact: true }).click();
  await take(page, 'Ferry rivets');
  await expect(page.getByRole('button', { name: 'Brushes: Ferry rivets' })).toBeVisible();
  await page.getByRole('button', { name: /^Brushes:/ }).click();
  await page.getByRole('button', { name: 'Drop Ferry rivets from the stock' }).click();
  await expect(page.getByRole('button', { name: 'Take Ferry rivets' })).toHaveCount(0);
});

test('a part is filled, another fill fades between two points, a chipped mask stays in one island, all is undone', async ({ page }) => {
  await paintLayer(page);
  const before = await pixel(page, 0.5, 0.5);
  const messages = await sent(page);
  await page.keyboard.press('i');
  const region = page.getByRole('region', { name: 'Brush' });
  await expect(region).toContainText('Fill');
  const hex = region.getByRole('textbox', { name: 'Brush color' });
  await hex.fill('#2040e0');
  await hex.press('Enter');
  const box = (await canvas(page).boundingBox())!;
  const at = (fx: number, fy: number): [number, number] => [box.x + box.width * fx, box.y + box.height * fy];
  await page.mouse.click(...at(0.5, 0.5));
  await settled(page);
  const [r, g, b] = await pixel(page, 0.5, 0.5);
  expect(b).toBeGreaterThan(r + 25);
  expect(b).toBeGreaterThan(g + 25);

  // erase nothing, fill again in red, fading from the top down
  await hex.fill('#e02020');
  await hex.press('Enter');
  await page.mouse.move(...at(0.5, 0.42));
  await page.mouse.down();
  await page.mouse.move(...at(0.5, 0.6), { steps: 4 });
  await page.mouse.up();
  await settled(page);
  const fills = (await messages('stroke.begin')).map((m) => m.stroke.fill);
  expect(fills[0]).toEqual({});
  expect(fills[1].ramp).toBe(true);
  const top = await pixel(page, 0.5, 0.43);
  const low = await pixel(page, 0.5, 0.6);
  expect(top[0] - top[2]).toBeGreaterThan(low[0] - low[2] + 40);

  for (let i = 0; i < 2; i++) {
    await page.getByRole('button', { name: 'Undo' }).click();
    await page.waitForTimeout(200);
  }
  await settled(page);
  expect(apart(before, await pixel(page, 0.5, 0.5))).toBeLessThan(6);

  // a stroke that stays in the island where it begins
  await page.keyboard.press('p');
  await take(page, 'Paint chip');
  await page.getByRole('combobox', { name: 'What a stroke stays in' }).selectOption('island');
  await page.getByRole('checkbox', { name: 'Only what is seen' }).check();
  await play(page, 'Wave');
  await settled(page);
  expect((await messages('stroke.begin')).at(-1).within).toBe('island');
  expect(Math.hypot(...(Object.values((await messages('stroke.begin')).at(-1).stroke.eye) as number[]))).toBeGreaterThan(0.5);
  expect(await undoTitle(page)).toContain('stroke');
});

test('a fill covers what looks like the place clicked and nothing else; another fades around the bends', async ({ page }) => {
  await paintLayer(page);
  const messages = await sent(page);
  const region = page.getByRole('region', { name: 'Brush' });
  const color = async (hex: string) => {
    await region.getByRole('textbox', { name: 'Brush color' }).fill(hex);
    await region.getByRole('textbox', { name: 'Brush color' }).press('Enter');
  };
  const box = (await canvas(page).boundingBox())!;
  const at = (fx: number, fy: number): [number, number] => [box.x + box.width * fx, box.y + box.height * fy];
  await page.keyboard.press('i');
  await color('#2040e0');
  await page.getByRole('combobox', { name: 'What is filled' }).selectOption('all');
  await page.mouse.click(...at(0.5, 0.5));
  await page.keyboard.press('p');
  await take(page, 'Marker');
  await type(page, 'Brush size', '80');
  await color('#e02020');
  await page.mouse.move(...at(0.5, 0.5));
  await page.mouse.down();
  await page.mouse.move(...at(0.5, 0.52), { steps: 4 });
  await page.mouse.up();
  await settled(page);
  const blue = await pixel(page, 0.5, 0.64);
  const red = await pixel(page, 0.5, 0.51);
  expect(red[0]).toBeGreaterThan(red[2] + 40);
  expect(blue[2]).toBeGreaterThan(blue[0] + 40);

  await page.keyboard.press('i');
  await page.getByRole('combobox', { name: 'By what places are alike' }).selectOption('baseColor');
  await type(page, 'Tolerance', '20');
  await color('#20c030');
  await page.mouse.click(...at(0.5, 0.51));
  await settled(page);
  const green = await pixel(page, 0.5, 0.51);
  expect(green[1]).toBeGreaterThan(green[0] + 40);
  expect(apart(blue, await pixel(page, 0.5, 0.64))).toBeLessThan(8);
  expect((await messages('stroke.begin')).at(-1).stroke.alike).toEqual({ channel: 'baseColor', tolerance: 0.2, soft: 0.5 });

  await page.getByRole('combobox', { name: 'By what places are alike' }).selectOption('');
  await page.getByRole('checkbox', { name: 'Fades along the surface' }).check();
  await page.mouse.move(...at(0.5, 0.42));
  await page.mouse.down();
  await page.mouse.move(...at(0.5, 0.6), { steps: 4 });
  await page.mouse.up();
  await settled(page);
  expect((await messages('stroke.begin')).at(-1).stroke.fill.along).toBe(true);
  for (let i = 0; i < 3; i++) {
    await page.getByRole('button', { name: 'Undo' }).click();
    await page.waitForTimeout(200);
  }
  await settled(page);
  expect(apart(blue, await pixel(page, 0.5, 0.51))).toBeLessThan(25); // the fill below alone
  await button(page, 'Delete').click(); // the next test meets the bollard as it was
  await settled(page);
});

test('the line is cut in the middle of a stroke: what was painted meanwhile is there after it is back', async ({ fresh: page }) => {
  await page.addInitScript(() => {
    const Real = WebSocket;
    (window as any).WebSocket = class extends Real {
      constructor(url: string | URL) {
        super(url);
        (window as any).line = this;
      }
    };
  });
  await paintLayer(page);
  await take(page, 'Marker');
  await type(page, 'Brush size', '40');
  const before = await pixel(page, 0.535, 0.56);
  const box = (await canvas(page).boundingBox())!;
  const at = (fx: number, fy: number): [number, number] => [box.x + box.width * fx, box.y + box.height * fy];
  await page.mouse.move(...at(0.47, 0.5));
  await page.mouse.down();
  await page.mouse.move(...at(0.49, 0.52), { steps: 4 });
  await page.waitForTimeout(300);
  await page.evaluate(() => (window as any).line.close());
  await page.waitForTimeout(100);
  await page.mouse.move(...at(0.54, 0.56), { steps: 8 });
  await page.mouse.up();
  await page.waitForTimeout(1500); // the page connects again
  await settled(page);
  await expect.poll(async () => apart(before, await pixel(page, 0.535, 0.56))).toBeGreaterThan(15);
  await page.getByRole('button', { name: 'Ledger' }).click();
  // one entry: it is whole, wherever the line was cut
  await expect(page.getByRole('dialog', { name: 'Ledger' })).toContainText(/Paint \d+: stroke/);
});

test('the stamp press: a stamp is made, kept, delivered in 16 bits, and stamped in a row that dirt notices', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.keyboard.press('Shift+N');
  await page.getByLabel('base color on').uncheck();
  await addChannel(page, 'height');
  await addChannel(page, 'metallic');
  await page.keyboard.press('Shift+P');
  const press = page.getByRole('dialog', { name: 'Stamp press' });
  await expect(press.getByRole('listitem')).toHaveCount(94);
  await press.getByLabel('Find a stamp').fill('hexagon bolt');
  await press.getByRole('button', { name: 'Take Hexagon bolt' }).click();
  expect(await narrow(page), 'press').toEqual([]);
  const mean = () =>
    press.getByAltText('The stamp as grey').evaluate((img: HTMLImageElement) => {
      if (!img.complete || !img.naturalWidth) return -1;
      const c = document.createElement('canvas');
      [c.width, c.height] = [64, 64];
      c.getContext('2d')!.drawImage(img, 0, 0, 64, 64);
      return c.getContext('2d')!.getImageData(0, 0, 64, 64).data.reduce((a, v, i) => a + (i % 4 ? 0 : v), 0) / 4096;
    });
  await press.getByRole('button', { name: 'grey', exact: true }).click();
  await expect.poll(mean).toBeGreaterThan(60);
  const whole = await mean();
  // a hole is cut into it, taken back, and cut again
  await press.getByLabel('Add a shape').selectOption('disc');
  await press.getByLabel('laid', { exact: true }).selectOption('subtract');
  await expect.poll(mean).toBeLessThan(whole - 8);
  await press.getByRole('button', { name: 'Back' }).click();
  await expect.poll(mean).toBeGreaterThan(whole - 2);
  await press.getByRole('button', { name: 'On', exact: true }).click();
  await expect.poll(mean).toBeLessThan(whole - 8);
  // pulled aside on the picture
  const plate = (await press.getByRole('application').boundingBox())!;
  await page.mouse.move(plate.x + plate.width / 2, plate.y + plate.height / 2);
  await page.mouse.down();
  await page.mouse.move(plate.x + plate.width * 0.75, plate.y + plate.height / 2, { steps: 4 });
  await page.mouse.up();
  await expect(press.getByRole('slider', { name: 'to the right' })).toHaveAttribute('aria-valuenow', /^0\.[45]/);
  await press.getByLabel('Name of the stamp').fill('Bored bolt');
  await press.getByLabel('Name of the stamp').press('Enter');
  await press.getByRole('button', { name: 'Keep in the stock' }).click();
  await expect(press.getByRole('status')).toContainText('Bored bolt is kept');
  await press.getByLabel('Find a stamp').fill('bored');
  await expect(press.getByRole('button', { name: 'Take Bored bolt' })).toBeVisible();
  const [file] = await Promise.all([page.waitForEvent('download'), press.getByRole('button', { name: 'PNG' }).click()]);
  expect(file.suggestedFilename()).toBe('bored-bolt.png');
  const head = readFileSync(await file.path()).subarray(0, 26);
  expect([head.readUInt32BE(16), head[24], head[25]]).toEqual([1024, 16, 0]); // width, bits, grey
  await press.getByRole('button', { name: 'Delete Bored bolt' }).click();
  await expect(press.getByRole('status')).toContainText('was deleted');

  await press.getByRole('button', { name: 'Stamp with it' }).click();
  await expect(press).toHaveCount(0);
  await expect(page.getByRole('button', { name: 'Brushes: Bored bolt' })).toBeVisible();
  await type(page, 'Brush size', '30');
  await type(page, 'Stamps in a row', '4');
  const box = (await canvas(page).boundingBox())!;
  const at = (x: number, y: number): [number, number] => [box.x + box.width * x, box.y + box.height * y];
  await page.mouse.click(...at(0.46, 0.5));
  await page.keyboard.down('Shift');
  await page.mouse.click(...at(0.54, 0.5));
  await page.keyboard.up('Shift');
  await expect(button(page, 'Undo')).toHaveAttribute('title', /stroke/);
  await settled(page);
  const name = (await page.getByRole('region', { name: 'Brush' }).innerText()).match(/Paint \d+/)![0];
  // a coat of dirt above follows the stamps
  await page.keyboard.press('n');
  await button(page, '+ Step').click();
  await page.getByLabel('Find a step').fill('Follow');
  await page.getByRole('button', { name: /^Follow / }).first().click();
  const follow = page.getByRole('article', { name: /^Follow/ });
  await expect(follow).toBeVisible();
  await settled(page);
  const shown = () =>
    follow.locator('canvas').evaluate((c: HTMLCanvasElement) => {
      const d = c.getContext('2d')!.getImageData(0, 0, c.width, c.height).data;
      let n = 0;
      for (let i = 0; i < d.length; i += 4) if (d[i] > 40 && d[i + 3] > 250) n++;
      return n;
    });
  await follow.getByRole('combobox').first().selectOption({ label: name });
  await settled(page);
  await expect.poll(shown).toBeGreaterThan(8);
  await button(page, 'Delete').click();
});

test('what is painted is cloned to another place, along or from a place that stays, and smeared; undo takes it back', async ({ page }) => {
  await paintLayer(page);
  const messages = await sent(page);
  const region = page.getByRole('region', { name: 'Brush' });
  const hex = region.getByRole('textbox', { name: 'Brush color' });
  await hex.fill('#2040e0');
  await hex.press('Enter');
  await type(page, 'Brush size', '50');
  const box = (await canvas(page).boundingBox())!;
  const at = (fx: number, fy: number): [number, number] => [box.x + box.width * fx, box.y + box.height * fy];
  const pull = async (from: [number, number], to: [number, number]) => {
    await page.mouse.move(...at(...from));
    await page.mouse.down();
    await page.mouse.move(...at(...to), { steps: 6 });
    await page.mouse.up();
    await settled(page);
  };
  const blue = async (x: number, y: number) => {
    const [r, , b] = await pixel(page, x, y);
    return b - r;
  };
  await pull([0.49, 0.42], [0.51, 0.42]);
  expect(await blue(0.5, 0.42)).toBeGreaterThan(25);
  const bare = await blue(0.5, 0.56);
  const between = await blue(0.5, 0.48);

  await page.keyboard.press('g');
  await expect(region).toContainText('Clone');
  await page.mouse.click(...at(0.5, 0.42)); // the first click marks the place
  await expect(page.getByRole('img', { name: 'Where cloning takes from' })).toBeVisible();
  expect((await messages('stroke.begin')).length).toBe(1);
  await pull([0.5, 0.56], [0.505, 0.56]);
  expect(await blue(0.5, 0.56)).toBeGreaterThan(bare + 25);
  const first = (await messages('stroke.begin')).at(-1).stroke;
  expect(first.does).toBe('clone');
  // the next stroke goes on from where the first was paired: beside it there is nothing to take
  await pull([0.5, 0.66], [0.505, 0.66]);
  const second = (await messages('stroke.begin')).at(-1).stroke;
  expect(second.take.at.Y).toBeLessThan(first.take.at.Y - 0.02);
  await region.getByLabel('How the place goes with the strokes').selectOption('each dab takes it');
  await pull([0.5, 0.66], [0.505, 0.66]);
  const third = (await messages('stroke.begin')).at(-1).stroke;
  expect(third.take).toMatchObject({ at: first.take.at, stays: true });
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect.poll(() => blue(0.5, 0.56)).toBeLessThan(bare + 10);

  // drawn downward, the blue comes along
  await page.keyboard.press('y');
  await type(page, 'Brush size', '80');
  await expect.poll(() => blue(0.5, 0.48)).toBeLessThan(between + 10); // what was cloned there is gone
  const below = await blue(0.5, 0.48);
  await pull([0.5, 0.4], [0.5, 0.54]);
  expect((await messages('stroke.begin')).at(-1).stroke.does).toBe('smear');
  await expect.poll(() => blue(0.5, 0.48)).toBeGreaterThan(below + 8);
});

test('strokes stay in a lasso, or outside of it; it is drawn in one pull or corner by corner', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await button(page, '+ Fill layer').click(); // over whatever others have laid there
  await paintLayer(page);
  const messages = await sent(page);
  const region = page.getByRole('region', { name: 'Brush' });
  const hex = region.getByRole('textbox', { name: 'Brush color' });
  await hex.fill('#2040e0');
  await hex.press('Enter');
  await type(page, 'Brush size', '120');
  const box = (await canvas(page).boundingBox())!;
  const at = (fx: number, fy: number): [number, number] => [box.x + box.width * fx, box.y + box.height * fy];
  const blue = async (x: number, y: number) => {
    const [r, , b] = await pixel(page, x, y);
    return b - r;
  };
  const [left, right] = [await blue(0.475, 0.5), await blue(0.525, 0.5)];
  await button(page, 'Flat').click();
  await settled(page);
  const onSheet = await blue(0.45, 0.5); // others may have painted there
  await button(page, 'Model').click();
  await settled(page);
  await page.keyboard.press('j');
  await page.mouse.move(...at(0.5, 0.3));
  await page.mouse.down();
  for (const [x, y] of [[0.5, 0.7], [0.7, 0.7], [0.7, 0.3], [0.5, 0.3]]) await page.mouse.move(...at(x, y), { steps: 8 });
  await page.mouse.up();
  const limits = page.getByRole('status', { name: 'Lasso' });
  await expect(limits).toContainText('Strokes stay in the lasso');
  await expect(button(page, 'Brush')).toHaveAttribute('aria-pressed', 'true'); // the brush is back in the hand
  const stroke = async () => {
    await page.mouse.move(...at(0.46, 0.5));
    await page.mouse.down();
    await page.mouse.move(...at(0.54, 0.5), { steps: 6 });
    await page.mouse.up();
    await settled(page);
  };
  await stroke();
  const sentLasso = (await messages('stroke.begin')).at(-1).stroke.lasso;
  expect(sentLasso.view).toHaveLength(16);
  expect(sentLasso.outline.length).toBeGreaterThan(8);
  expect(await blue(0.525, 0.5)).toBeGreaterThan(right + 25);
  expect(await blue(0.475, 0.5)).toBeLessThan(left + 12);
  await button(page, 'Undo').click();
  await limits.getByRole('button', { name: 'Outside' }).click();
  await stroke();
  expect(await blue(0.475, 0.5)).toBeGreaterThan(left + 25);
  expect(await blue(0.525, 0.5)).toBeLessThan(right + 12);
  await limits.getByRole('button', { name: 'Let go' }).click();
  await expect(limits).toHaveCount(0);
  // corner by corner
  await page.keyboard.press('j');
  for (const [x, y] of [[0.4, 0.3], [0.4, 0.7], [0.6, 0.7], [0.6, 0.3]]) await page.mouse.click(...at(x, y));
  await page.mouse.click(...at(0.4, 0.3));
  await expect(limits).toBeVisible();
  await expect(limits).not.toContainText('another view');
  await page.mouse.move(...at(0.5, 0.5));
  await page.mouse.wheel(0, -120); // its outline is no longer where it was drawn
  await expect(limits).toContainText('drawn from another view');
  // and over the flat sheet, where the post lies left of the middle
  await limits.getByRole('button', { name: 'Let go' }).click();
  await button(page, 'Undo').click();
  await button(page, 'Flat').click();
  await expect.poll(async () => Math.abs((await blue(0.45, 0.5)) - onSheet)).toBeLessThan(25); // what was undone is not to be seen there either
  await settled(page);
  const [inner, outer] = [await blue(0.45, 0.5), await blue(0.35, 0.5)];
  await page.keyboard.press('j');
  for (const [x, y] of [[0.4, 0.2], [0.4, 0.8], [0.6, 0.8], [0.6, 0.2]]) await page.mouse.click(...at(x, y));
  await page.mouse.click(...at(0.4, 0.2));
  await limits.getByRole('button', { name: 'Outside' }).click(); // as it was left
  await expect(limits).toContainText('Strokes stay in the lasso');
  await page.mouse.move(...at(0.33, 0.5));
  await page.mouse.down();
  await page.mouse.move(...at(0.47, 0.5), { steps: 10 });
  await page.mouse.up();
  await settled(page);
  expect((await messages('stroke.begin')).at(-1).stroke.lasso.flat).toHaveLength(2);
  await expect.poll(() => blue(0.45, 0.5)).toBeGreaterThan(inner + 25);
  expect(await blue(0.35, 0.5)).toBeLessThan(outer + 12);
});

test('a brush of one’s own: a curve for its falloff and for what the pen drives, a grain that runs with the line, a tip that leans', async ({ page }) => {
  await paintLayer(page);
  const messages = await sent(page);
  // the pages of the panel show all that they have
  const was = page.viewportSize()!;
  await page.setViewportSize({ width: 1280, height: 800 });
  const panel = page.getByRole('region', { name: 'Brush' });
  for (const name of ['Tip', 'Chance', 'Pen', 'Twins']) {
    await panel.getByRole('tab', { name }).click();
    // borders are a half wider in these coarse pixels; a row is 28
    await expect.poll(() => panel.evaluate((e) => e.scrollHeight - e.clientHeight), name).toBeLessThan(7);
  }
  await panel.getByRole('tab', { name: 'Line' }).click(); // its rows hang on what is chosen there, by other tests too
  await page.setViewportSize(was);
  await page.getByRole('combobox', { name: 'What the brush does' }).selectOption('darken mode');
  await page.getByRole('tab', { name: 'Tip' }).click();
  expect(await narrow(page), 'tip').toEqual([]);
  const preview = () => page.getByRole('img', { name: 'Preview of a stroke' }).getAttribute('src');
  await expect.poll(preview).toContain('blob:');
  let shown = await preview();
  const changes = async () => {
    await expect.poll(preview).not.toBe(shown); // it is drawn anew, by what draws strokes
    shown = await preview();
  };
  await page.getByRole('combobox', { name: 'Falloff' }).selectOption('curve');
  await changes();
  const falloff = page.getByRole('group', { name: 'Falloff from the middle to the rim' });
  await expect(falloff.getByRole('button')).toHaveCount(3);
  await falloff.getByRole('button').nth(1).focus();
  for (let i = 0; i < 5; i++) await page.keyboard.press('ArrowUp');
  await changes();
  await page.getByRole('combobox', { name: 'Grain', exact: true }).selectOption('fibre');
  await page.getByRole('combobox', { name: 'What the grain belongs to' }).selectOption('line');
  await changes();
  await page.getByRole('tab', { name: 'Pen' }).click();
  await page.getByRole('combobox', { name: 'What drives angle' }).selectOption('lean');
  await page.getByRole('combobox', { name: 'What drives size' }).selectOption('pressure');
  expect(await narrow(page), 'pen').toEqual([]);
  await page.getByRole('button', { name: 'size by a curve' }).click();
  await expect(page.getByRole('group', { name: 'Curve of size' }).getByRole('button')).toHaveCount(2);
  await play(page, 'Ring');
  await settled(page);
  const { kit, blend, does } = (await messages('stroke.begin'))[0].stroke;
  expect([blend, does]).toEqual(['darken', '']);
  expect(kit.falloff[1]).toEqual([0.5, 0.6]);
  expect(kit.grain).toMatchObject({ kind: 'fibre', in: 'line' });
  expect(kit.pen.find((d: any) => d.what === 'size').curve).toEqual([[0, 0], [1, 1]]);
  expect(kit.pen.find((d: any) => d.what === 'angle').by).toBe('lean');
  const leans = (await messages('stroke.add')).flatMap((m) => m.lean);
  // the hand goes once around, and the pen leans outward all the way
  for (const quarter of [0.125, 0.375, 0.625, 0.875]) expect(leans.some((v) => Math.abs(v - quarter) < 0.06)).toBe(true);
  // and a pen that is turned round itself turns it, clockwise as the hand does
  await page.getByRole('tab', { name: 'Pen' }).click();
  await page.getByRole('combobox', { name: 'What drives angle' }).selectOption('twist');
  await play(page, 'Turning');
  await settled(page);
  const twists = (await messages('stroke.add')).flatMap((m) => m.twist ?? []);
  expect(twists.length).toBeGreaterThan(10);
  for (const at of [0.95, 0.75, 0.55]) expect(twists.some((v) => Math.abs(v - at) < 0.06), String(at)).toBe(true);
  expect(twists.every((v) => v === 0 || v > 0.45)).toBe(true);
  for (let i = 0; i < 2; i++) await button(page, 'Undo').click();
});

test('heights are raised, lowered, levelled and drawn together in millimetres; the wheel comes nearer with the brush in hand', async ({ page }) => {
  await paintLayer(page);
  await addChannel(page, 'height');
  await expect(page.getByRole('region', { name: 'Brush' })).toContainText('height');
  await page.getByLabel('base color on').click();
  await expect(page.getByRole('region', { name: 'Brush' })).toContainText('paint · height');
  const box = (await canvas(page).boundingBox())!;
  const at = (fx: number, fy: number): [number, number] => [box.x + box.width * fx, box.y + box.height * fy];
  const far = await page.evaluate(() => (window as any).stage.camera.position.length());
  await page.mouse.move(...at(0.5, 0.5));
  for (let i = 0; i < 3; i++) await page.mouse.wheel(0, -240);
  await expect.poll(() => page.evaluate(() => (window as any).stage.camera.position.length())).toBeLessThan(far - 0.1);
  await settled(page);
  await type(page, 'Brush size', '40');
  await type(page, 'Brush height', '2');
  const lays = page.getByRole('combobox', { name: 'What the brush does' });
  const pull = async (a: [number, number], b: [number, number]) => {
    await page.mouse.move(...at(...a));
    await page.mouse.down();
    await page.mouse.move(...at(...b), { steps: 8 });
    await page.mouse.up();
    await settled(page);
  };
  /** the height of this layer there, in millimetres */
  const height = async (x: number, y: number) => {
    await page.keyboard.press('d');
    await page.mouse.click(...at(x, y));
    const sample = page.getByRole('region', { name: 'Core sample' });
    await expect(sample).toBeVisible();
    const row = sample.locator('tr.sel td'); // none where the layer does nothing
    const text = (await row.count()) ? await row.last().innerText() : '0 mm';
    await page.getByRole('button', { name: 'Close the core sample' }).click();
    await page.keyboard.press('p');
    return Number(/(-?[\d.]+) mm/.exec(text)![1]);
  };
  await lays.selectOption('add');
  await expect(lays.locator('option:checked')).toHaveText('raises by it (add)');
  await pull([0.5, 0.4], [0.5, 0.6]);
  expect(await height(0.5, 0.5)).toBeCloseTo(2, 1);
  await pull([0.5, 0.4], [0.5, 0.6]);
  expect(await height(0.5, 0.5)).toBeCloseTo(4, 1);
  await lays.selectOption('subtract');
  await type(page, 'Brush height', '1');
  await pull([0.5, 0.4], [0.5, 0.6]);
  expect(await height(0.5, 0.5)).toBeCloseTo(3, 1);
  // draws the ridge together: beside its middle it loses to it
  const beside = await height(0.512, 0.5);
  await lays.selectOption('pinch');
  for (let i = 0; i < 3; i++) await pull([0.5, 0.4], [0.5, 0.6]);
  expect(await height(0.512, 0.5)).toBeLessThan(beside - 0.06);
  // levels it to the bare ground where the stroke begins
  await lays.selectOption('flatten');
  await type(page, 'Brush size', '60');
  await pull([0.54, 0.5], [0.49, 0.5]);
  expect(await height(0.5, 0.5)).toBeLessThan(0.2);
});

test('a stroke in the middle is taken out in the ledger, what came after it stays, and undo brings it back', async ({ page }) => {
  await paintLayer(page);
  const region = page.getByRole('region', { name: 'Brush' });
  const hex = region.getByRole('textbox', { name: 'Brush color' });
  await hex.fill('#ffee00');
  await hex.press('Enter');
  await type(page, 'Brush size', '50');
  const box = (await canvas(page).boundingBox())!;
  const places = [0.42, 0.5, 0.58];
  const bare: number[][] = [];
  for (const y of places) bare.push(await pixel(page, 0.5, y));
  const off = async (i: number) => apart(await pixel(page, 0.5, places[i]), bare[i]);
  for (const y of places) {
    await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * y);
    await settled(page);
  }
  for (const i of places.keys()) expect(await off(i)).toBeGreaterThan(30);
  await button(page, 'Ledger').click();
  const ledger = page.getByRole('dialog', { name: 'Ledger' });
  const out = ledger.getByRole('button', { name: /^Take out the stroke of/ });
  const there = await out.count();
  await out.nth(1).click(); // newest first: the middle one
  await expect(out).toHaveCount(there - 1);
  const close = ledger.getByRole('button', { name: 'Close', exact: true });
  await close.click(); // the model moves back to where it was looked at
  await settled(page);
  expect(await off(1)).toBeLessThan(8);
  expect(await off(0)).toBeGreaterThan(30);
  expect(await off(2)).toBeGreaterThan(30);
  await button(page, 'Ledger').click();
  await ledger.getByRole('button', { name: 'Undo', exact: true }).click();
  await close.click();
  await settled(page);
  expect(await off(1)).toBeGreaterThan(30);
});

test('what was painted on one side is brought to the other by the mesh alone, and undone', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  const region = page.getByRole('region', { name: 'Brush' });
  const hex = region.getByRole('textbox', { name: 'Brush color' });
  await hex.fill('#2040e0');
  await hex.press('Enter');
  await type(page, 'Brush size', '40');
  await settled(page);
  const box = (await canvas(page).boundingBox())!;
  // the ends of the two horns, from what the page itself sees of the model
  const ends = await page.evaluate(() => {
    const s = (window as any).stage;
    const horns = s.meshes.find((m: any) => m.userData.part === 'Horns');
    const p = horns.geometry.getAttribute('position');
    const V = s.camera.position.constructor;
    const at = (x: number) => {
      let best = null as any;
      for (let i = 0; i < p.count; i++) {
        const v = new V(p.getX(i), p.getY(i), p.getZ(i)).applyMatrix4(horns.matrixWorld);
        const d = Math.abs(v.x - x) + Math.abs(v.z - 0.03) + Math.abs(v.y - 0.38);
        if (!best || d < best.d) best = { d, v };
      }
      const q = s.project(best.v);
      return [q.x, q.y];
    };
    return [at(0.2), at(-0.2)];
  });
  const at = (i: number): [number, number] => [box.x + ends[i][0], box.y + ends[i][1]];
  const share = (i: number): [number, number] => [ends[i][0] / box.width, ends[i][1] / box.height];
  const blue = async (i: number) => {
    const [r, , b] = await pixel(page, ...share(i));
    return b - r;
  };
  const bare = [await blue(0), await blue(1)];
  await page.mouse.click(...at(0));
  await settled(page);
  expect(await blue(0)).toBeGreaterThan(bare[0] + 20);
  await page.getByRole('tab', { name: 'Twins' }).click();
  await region.getByRole('button', { name: 'pick two faces' }).click();
  await page.mouse.click(...at(0));
  await expect(page.getByText('pick the same face on the other side')).toBeVisible();
  await page.mouse.click(...at(1));
  await expect(region.getByRole('status', { name: 'Counterparts' })).toContainText(/\d+ of \d+ faces have a counterpart/);
  await region.getByRole('button', { name: 'Copy', exact: true }).click();
  await expect(region.getByRole('status', { name: 'Counterparts' })).toContainText('1 stroke came over');
  await expect(button(page, 'Undo')).toHaveAttribute('title', /copied to the other side/);
  await settled(page);
  await expect.poll(() => blue(1)).toBeGreaterThan(bare[1] + 12);
  await button(page, 'Undo').click();
  await settled(page);
  await expect.poll(() => blue(1)).toBeLessThan(bare[1] + 8);

  // under the brush alone: first a copy, then both change places
  await region.getByRole('button', { name: 'a copy', exact: true }).click();
  await page.getByRole('tab', { name: 'Line' }).click();
  await type(page, 'Brush size', '110');
  await page.mouse.click(...at(1));
  await settled(page);
  await expect.poll(() => blue(1)).toBeGreaterThan(bare[1] + 12);
  expect(await blue(0)).toBeGreaterThan(bare[0] + 20);
  await button(page, 'Undo').click();
  await page.getByRole('tab', { name: 'Twins' }).click();
  await region.getByRole('button', { name: 'both', exact: true }).click();
  await page.mouse.click(...at(1));
  await settled(page);
  await expect(button(page, 'Undo')).toHaveAttribute('title', /exchanged with the other side under the brush/);
  await expect.poll(() => blue(1)).toBeGreaterThan(bare[1] + 12);
  await expect.poll(() => blue(0)).toBeLessThan(bare[0] + 8);
  await button(page, 'Undo').click();
  await settled(page);
  await expect.poll(() => blue(0)).toBeGreaterThan(bare[0] + 20);

  // the whole stream of a mask, by a step
  await page.getByRole('tab', { name: 'Twins' }).click();
  await region.getByRole('button', { name: 'Exchange it' }).click();
  await expect(button(page, 'Undo')).toHaveAttribute('title', /other-side/);
  await settled(page);
  await expect(page.getByLabel('Step 1', { exact: true })).toContainText('Other side');
});

test('one piece of work: painted with the practice pen, chipped, a row stamped, an island filled, mirrored, at 4096, and all undone', async ({ page }) => {
  await paintLayer(page);
  const region = page.getByRole('region', { name: 'Brush' });
  const box = (await canvas(page).boundingBox())!;
  const at = (fx: number, fy: number): [number, number] => [box.x + box.width * fx, box.y + box.height * fy];
  const places: [number, number][] = [
    [0.5, 0.5],
    [0.46, 0.42],
    [0.54, 0.6],
    [0.5, 0.72],
  ];
  const look = () => Promise.all(places.map((p) => pixel(page, ...p)));
  const far = (a: number[][], b: number[][]) => Math.max(...a.map((v, i) => apart(v, b[i])));
  const color = async (hex: string) => {
    await region.getByRole('textbox', { name: 'Brush color' }).fill(hex);
    await region.getByRole('textbox', { name: 'Brush color' }).press('Enter');
  };
  const bare = await look();
  // with pressure
  await take(page, 'Marker');
  await color('#2040e0');
  await type(page, 'Brush size', '50');
  await play(page, 'Swelling line');
  // a broken tip that takes chips out again
  await page.keyboard.press('e');
  await take(page, 'Paint chip');
  await page.keyboard.press('e');
  await play(page, 'Wave');
  // a row of stamps
  await page.keyboard.press('p');
  await take(page, 'Rivets');
  await type(page, 'Stamps in a row', '5');
  await page.mouse.click(...at(0.44, 0.42));
  await page.keyboard.down('Shift');
  await page.mouse.click(...at(0.56, 0.42));
  await page.keyboard.up('Shift');
  // an island, and what is on it mirrored while one paints
  await page.keyboard.press('i');
  await color('#e02020');
  await page.getByRole('combobox', { name: 'What is filled' }).selectOption('island');
  await page.mouse.click(...at(0.5, 0.6));
  await settled(page);
  const painted = await look();
  expect(far(bare, painted)).toBeGreaterThan(30);
  await page.keyboard.press('p');
  await page.getByRole('tab', { name: 'Twins' }).click();
  await page.getByRole('button', { name: 'Mirror across x' }).click();
  await page.getByRole('tab', { name: 'Line' }).click();
  await take(page, 'Marker');
  await color('#20c030');
  await page.mouse.click(...at(0.47, 0.5));
  await settled(page);
  const mirrored = await look();
  // at 4096 it is the same picture
  await button(page, 'Prepare').click();
  await page.getByRole('button', { name: /^2 Parts/ }).click();
  await page.getByRole('combobox', { name: 'Size of Cast iron' }).selectOption('4096');
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /4096/);
  await settled(page);
  const large = await look();
  expect(far(mirrored, large)).toBeLessThan(40); // sharper, not elsewhere
  expect(far(bare, large)).toBeGreaterThan(30);
  await button(page, 'Layer').click();
  // all of it undone, down to the layer
  const undo = page.getByRole('button', { name: 'Undo' });
  for (let i = 0; i < 30 && !/add/i.test((await undo.getAttribute('title')) ?? ''); i++) {
    const was = await undo.getAttribute('title');
    await undo.click();
    await page.waitForTimeout(150);
    if ((await undo.getAttribute('title')) === was) await page.waitForTimeout(300);
  }
  await settled(page);
  expect(far(bare, await look())).toBeLessThan(6);
});

test('a fill layer is taken as paint: its channels go on with the brush, and change when it does', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.getByRole('button', { name: '+ Fill layer' }).click();
  await expect(button(page, 'Undo')).toHaveAttribute('title', /Add Coat/);
  const coat = /Coat \d+/.exec((await undoTitle(page))!)![0]; // other tests may have left theirs
  const hex = page.getByLabel('base color as hex');
  await hex.fill('#20c030');
  await hex.press('Enter');
  await page.getByRole('button', { name: `Hide ${coat}`, exact: true }).click();
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await settled(page);
  const messages = await sent(page);
  await page.keyboard.press('p');
  await type(page, 'Brush size', '80');
  const list = page.getByRole('combobox', { name: 'Material that is laid' });
  await list.selectOption({ label: coat });
  await expect(button(page, 'Undo')).toHaveAttribute('title', new RegExp(`channels of ${coat}`));
  const box = (await canvas(page).boundingBox())!;
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.5);
  await settled(page);
  const green = await pixel(page, 0.5, 0.5);
  expect(green[1]).toBeGreaterThan(green[0] + 40);
  const begin = (await messages('stroke.begin'))[0].stroke;
  expect(begin.of).toBeTruthy();
  expect(Object.keys(begin.values).sort()).toEqual(['baseColor', 'roughness']);
  // the material turns blue, and so does what was painted with it
  await page.getByRole('button', { name: new RegExp(`^${coat} `) }).first().click();
  await hex.fill('#2040e0');
  await hex.press('Enter');
  await settled(page);
  const blue = await pixel(page, 0.5, 0.5);
  expect(blue[2]).toBeGreaterThan(blue[1] + 40);
});

test('where UVs overlap the cursor says in how many other places a stroke shows', async ({ page }) => {
  await openProject(page, 'Decoy gull');
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await page.keyboard.press('p');
  await settled(page);
  const box = (await canvas(page).boundingBox())!;
  // a place on a wing, and how many others share its UVs, by what the page knows
  const spot = await page.evaluate(() => {
    const s = (window as any).stage;
    const c = document.querySelector<HTMLCanvasElement>('canvas[data-settled]')!.getBoundingClientRect();
    for (let y = 0.3; y < 0.7; y += 0.04)
      for (let x = 0.35; x < 0.65; x += 0.03) {
        const h = s.pick(c.width * x, c.height * y);
        if (h && s.sharers(h) > 0) return [x, y];
      }
    return null;
  });
  expect(spot).not.toBeNull();
  await page.mouse.move(box.x + box.width * spot![0], box.y + box.height * spot![1]);
  await expect(page.getByText(/the UVs overlap: it shows in \d other place/)).toBeVisible();
});

test('rivets are set evenly round an edge loop, and a line along a seam', async ({ page }) => {
  await paintLayer(page);
  const messages = await sent(page);
  const region = page.getByRole('region', { name: 'Brush' });
  await take(page, 'Rivets');
  await type(page, 'Brush size', '12');
  await type(page, 'Stamps in a row', '24');
  await region.getByRole('button', { name: 'an edge loop' }).click();
  await expect(page.getByText('lay the brush along an edge loop')).toBeVisible();
  const box = (await canvas(page).boundingBox())!;
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.5);
  await expect(button(page, 'Undo')).toHaveAttribute('title', /stroke/);
  await settled(page);
  const points = (await messages('stroke.add')).flatMap((m) => m.points as number[]);
  const at = (i: number) => points.slice(7 * i, 7 * i + 3);
  const n = points.length / 7;
  let length = 0;
  for (let i = 1; i < n; i++) length += Math.hypot(...at(i).map((v, k) => v - at(i - 1)[k]));
  const stroke = (await messages('stroke.begin')).at(-1).stroke;
  expect(n).toBeGreaterThan(8);
  const closed = Math.hypot(...at(0).map((v, k) => v - at(n - 1)[k])) < 1e-6;
  expect(length / (stroke.kit.spacing * 2 * stroke.radius)).toBeCloseTo(closed ? 24 : 23, 1);
  await button(page, 'Undo').click();
  await type(page, 'Stamps in a row', '0');
  await region.getByRole('button', { name: 'a seam' }).click();
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.5);
  await expect.poll(async () => (await messages('stroke.begin')).length).toBe(2);
  await expect(button(page, 'Undo')).toHaveAttribute('title', /stroke/);
});

test('ink is seen in the next frame while the line stalls; the tiles take its place without a jump; what is dropped leaves none', async ({ fresh: page }) => {
  const line = await holdable(page);
  await paintLayer(page);
  await take(page, 'Marker');
  await type(page, 'Brush size', '50');
  const hex = page.getByRole('region', { name: 'Brush' }).getByRole('textbox', { name: 'Brush color' });
  await hex.fill('#20c040');
  await hex.press('Enter');
  await settled(page);
  const box = (await canvas(page).boundingBox())!;
  const at = (fx: number, fy: number): [number, number] => [box.x + box.width * fx, box.y + box.height * fy];
  const ink = () => page.evaluate(() => (window as any).stage.worn.ink.count as number);
  const bare = await pixel(page, 0.5, 0.5);
  // from the event to the frame that shows it
  await page.evaluate(() => {
    const stage = (window as any).stage;
    const late: number[] = ((window as any).late = []);
    let frames = -1;
    addEventListener('pointermove', () => (frames = stage.frames));
    const look = () => {
      if (frames >= 0 && stage.worn.ink.count) late.push(stage.frames - frames), (frames = -1);
      requestAnimationFrame(look);
    };
    requestAnimationFrame(look);
  });
  const pull = async (y: number, end = true) => {
    await page.mouse.move(...at(0.46, y));
    await page.mouse.down();
    await page.mouse.move(...at(0.54, y), { steps: 8 });
    await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
    if (end) await page.mouse.up();
  };

  line.hold();
  await pull(0.5);
  expect(await ink()).toBeGreaterThan(0);
  const drawn = await pixel(page, 0.5, 0.5);
  expect(drawn[1] - drawn[0]).toBeGreaterThan(bare[1] - bare[0] + 40);
  expect(line.waiting).toBeGreaterThan(1); // the server knows nothing of it
  // the server's own takes its place, and looks like it
  line.letGo();
  await settled(page);
  await expect.poll(ink).toBe(0);
  expect(apart(await pixel(page, 0.5, 0.5), drawn)).toBeLessThan(26);
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /Paint|stroke/i);

  // dropped before it was kept, nothing is left of it
  const other = await pixel(page, 0.5, 0.57);
  line.hold();
  await pull(0.57, false);
  expect(apart(await pixel(page, 0.5, 0.57), other)).toBeGreaterThan(25);
  await page.keyboard.press('Escape');
  expect(await ink()).toBe(0);
  line.letGo();
  await page.mouse.up();
  await settled(page);
  expect(apart(await pixel(page, 0.5, 0.57), other)).toBeLessThan(8);
  // on the flat sheet, too
  await page.keyboard.press('v');
  await settled(page);
  const on = await page.evaluate(
    ([w, h]) => {
      const stage = (window as any).stage;
      for (let y = 60; y < h - 60; y += 9)
        for (let x = 60; x < w - 60; x += 9)
          if ([[0, 0], [24, 0], [-24, 0], [0, 20], [0, -20]].every(([dx, dy]) => stage.pick(x + dx, y + dy))) return [x / w, y / h];
      return [0, 0];
    },
    [box.width, box.height],
  );
  const sheet = await pixel(page, on[0], on[1]);
  line.hold();
  await page.mouse.move(...at(on[0] - 0.01, on[1]));
  await page.mouse.down();
  await page.mouse.move(...at(on[0] + 0.01, on[1]), { steps: 4 });
  await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
  expect(apart(await pixel(page, on[0], on[1]), sheet)).toBeGreaterThan(25);
  await page.keyboard.press('Escape');
  line.letGo();
  await page.mouse.up();
  await page.keyboard.press('v');
  await page.keyboard.press('v');
  await settled(page);
  // no frame came between a move and its ink
  const late = await page.evaluate(() => (window as any).late as number[]);
  expect(late.length).toBeGreaterThan(3);
  expect(late.filter((n) => n > 2)).toEqual([]);
});

test('grain holds ink as it holds the tiles: what is laid in full fills its pits, whatever the strength', async ({ fresh: page }) => {
  const line = await holdable(page);
  await paintLayer(page);
  await take(page, 'Marker');
  await type(page, 'Brush size', '120');
  const hex = page.getByRole('region', { name: 'Brush' }).getByRole('textbox', { name: 'Brush color' });
  await hex.fill('#20f040');
  await hex.press('Enter');
  await page.getByRole('tab', { name: 'Tip' }).click();
  await page.getByRole('combobox', { name: 'Grain', exact: true }).selectOption('weave');
  await type(page, 'Size of the grain', '50');
  await type(page, 'Depth of the grain', '100');
  await page.getByRole('tab', { name: 'Line' }).click();
  await type(page, 'Strength', '50');
  await settled(page);
  /** how green the middle of the post is, by pixels */
  const green = () =>
    page.evaluate(() => {
      const stage = (window as any).stage, c: HTMLCanvasElement = stage.canvas;
      stage.draw();
      const flat = document.createElement('canvas');
      const [w, h] = [Math.round(c.width * 0.1), Math.round(c.height * 0.14)];
      [flat.width, flat.height] = [w, h];
      const g = flat.getContext('2d')!;
      const [x, y] = stage.moved(0.5, 0.5);
      g.drawImage(c, c.width * x - w / 2, c.height * y - h / 2, w, h, 0, 0, w, h);
      const d = g.getImageData(0, 0, w, h).data;
      return Array.from({ length: w * h }, (_, i) => d[4 * i + 1] - d[4 * i]);
    });
  const bare = await green();
  line.hold();
  await stroke(page, [0.44, 0.5], [0.56, 0.5]);
  await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
  const ink = (await green()).map((v, i) => v - bare[i]);
  line.letGo();
  await settled(page);
  await expect.poll(() => page.evaluate(() => (window as any).stage.worn.ink.count)).toBe(0);
  const tiles = (await green()).map((v, i) => v - bare[i]);
  const mean = (a: number[]) => a.reduce((sum, v) => sum + v, 0) / a.length;
  expect(mean(tiles)).toBeGreaterThan(15);
  expect(mean(ink.map((v, i) => Math.abs(v - tiles[i])))).toBeLessThan(18);
});

test('a line is clicked place by place, pulled, given another colour and order, closed, joined and taken back', async ({ page }) => {
  await paintLayer(page);
  const hex = page.getByRole('region', { name: 'Brush' }).getByRole('textbox', { name: 'Brush color' });
  await hex.fill('#ffee00');
  await hex.press('Enter');
  await type(page, 'Brush size', '44');
  await page.evaluate(() => (document.activeElement as HTMLElement)?.blur());
  const box = (await canvas(page).boundingBox())!;
  const at = (x: number, y: number): [number, number] => [box.x + box.width * x, box.y + box.height * y];
  const bare = await pixel(page, 0.5, 0.52);
  const low = await pixel(page, 0.5, 0.66);
  const top = await pixel(page, 0.5, 0.4);
  await page.keyboard.press('Shift+L');
  const grips = () => page.evaluate(() => (window as any).stage.gripsOnScreen() as { label: string; x: number; y: number }[]);
  // three places, smoothly
  for (const [i, p] of [at(0.46, 0.52), at(0.5, 0.52), at(0.54, 0.52)].entries()) {
    await page.mouse.click(...p);
    await expect.poll(async () => (await grips()).length).toBe(i + 1);
  }
  await page.keyboard.press('Enter');
  const stroke = page.getByRole('region', { name: 'Stroke' });
  await expect(stroke).toContainText('1 of 1');
  /** what is seen at a place without the dots of the line, which is taken up again by a click on it */
  const seen = async (at1: [number, number], again: [number, number]) => {
    await page.keyboard.press('Escape');
    await expect(stroke).toBeHidden();
    await settled(page);
    const c = await pixel(page, ...at1);
    await page.mouse.click(...at(...again));
    await expect(stroke).toBeVisible();
    return c;
  };
  expect(apart(await seen([0.48, 0.52], [0.48, 0.52]), bare)).toBeGreaterThan(30);
  // its middle is pulled down: one entry, and the line is where it was pulled to
  const middle = (await grips()).find((g) => g.label === 'Pull the line')!;
  await page.mouse.move(box.x + middle.x, box.y + middle.y);
  await page.mouse.down();
  for (let i = 1; i <= 4; i++) await page.mouse.move(...at(0.5, 0.52 + 0.035 * i));
  await page.mouse.up();
  const yellow = await seen([0.5, 0.66], [0.5, 0.66]);
  expect(apart(yellow, low)).toBeGreaterThan(30);
  expect(apart(await pixel(page, 0.5, 0.52), bare)).toBeLessThan(12);
  expect(await undoTitle(page)).toContain('pull stroke');
  // another colour, by the panel
  const color = stroke.getByRole('textbox', { name: 'Colour of the stroke' });
  await color.fill('#2244ff');
  await color.press('Enter');
  await page.evaluate(() => (document.activeElement as HTMLElement)?.blur());
  const blue = await seen([0.5, 0.66], [0.5, 0.66]);
  expect(blue[2] - blue[0]).toBeGreaterThan(yellow[2] - yellow[0] + 50);
  await stroke.getByRole('button', { name: 'Close', exact: true }).click();
  await expect(stroke).toContainText('closed');
  for (const what of ['close stroke', 'colour of a stroke', 'pull stroke']) {
    expect(await undoTitle(page)).toContain(what);
    await button(page, 'Undo').click();
    await expect.poll(() => undoTitle(page)).not.toContain(what);
  }
  await settled(page);
  expect(apart(await pixel(page, 0.5, 0.66), low)).toBeLessThan(12);
  expect(apart(await seen([0.48, 0.52], [0.48, 0.52]), bare)).toBeGreaterThan(30);
  await expect(stroke).not.toContainText('closed'); // in the hand is what the document has
  // a second one, joined to it: there is one
  await page.keyboard.press('Escape');
  await expect(stroke).toBeHidden();
  for (const [i, p] of [at(0.47, 0.4), at(0.53, 0.4)].entries()) {
    await page.mouse.click(...p);
    await expect.poll(async () => (await grips()).length).toBe(i + 1);
  }
  await page.keyboard.press('Enter');
  await expect(stroke).toContainText('2 of 2');
  await stroke.getByRole('button', { name: 'Lower' }).click();
  await expect(stroke).toContainText('1 of 2');
  await stroke.getByRole('button', { name: 'Join' }).click();
  await page.mouse.click(...at(0.5, 0.52));
  await expect(stroke).toContainText('1 of 1');
  await settled(page);
  await page.keyboard.press('Escape');
  await settled(page);
  expect(apart(await pixel(page, 0.5, 0.4), top)).toBeGreaterThan(30);
  // the ledger takes it up as well, by the entry that laid it
  const joined = await undoTitle(page);
  await button(page, 'Undo').click();
  await expect.poll(() => undoTitle(page)).not.toBe(joined);
  await button(page, 'Ledger').click();
  await page.getByRole('button', { name: /^Take up the stroke of/ }).first().click();
  await expect(stroke).toContainText('of 2');
  // Delete takes out what is in the hand, not its layer
  const layers = await page.locator('ol[aria-label^=Layers] .name').count();
  await page.evaluate(() => (document.activeElement as HTMLElement)?.blur());
  await page.keyboard.press('Delete');
  await expect(stroke).toBeHidden();
  expect(await undoTitle(page)).toContain('remove stroke');
  await expect(page.locator('ol[aria-label^=Layers] .name')).toHaveCount(layers);
});
