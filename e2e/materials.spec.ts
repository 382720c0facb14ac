// Materials: dropped on a part, tried without a trace, turned by their dials.
import { execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { expect, test, type Page } from './setup';
import { apart, openProject, pixel, place, settled, type } from './app';

const top: [number, number] = [0.5, 0.35];

async function stock(page: Page) {
  await page.getByRole('button', { name: 'Stock', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Cast iron', exact: true })).toBeVisible();
}

/** Takes a material over the model; where is a share of the canvas, as it is while nothing lies over it. */
async function hold(page: Page, name: string, where: [number, number]) {
  const card = (await page.getByRole('button', { name, exact: true }).boundingBox())!;
  await page.mouse.move(card.x + card.width / 2, card.y + 30);
  await page.mouse.down();
  await page.mouse.move(card.x - 40, card.y + 40, { steps: 3 });
  const [x, y] = await place(page, ...where);
  await page.mouse.move(x, y, { steps: 4 });
  await page.mouse.move(x + 2, y);
}

test('the model moves over for the stock, and back', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const points = [[0.5, 0.25], [0.42, 0.4], [0.5, 0.7]] as const;
  const before = await Promise.all(points.map((p) => pixel(page, ...p)));
  await stock(page);
  await settled(page);
  const middle = () => page.evaluate(() => (window as any).stage.moved(0.5, 0.5)[0] as number);
  expect(await middle()).toBeLessThan(0.4);
  await page.evaluate(() => (window as any).stage.snapshot()); // the project's picture is taken with the model in the middle
  await expect.poll(middle).toBeLessThan(0.4);
  for (const [i, p] of points.entries()) expect(apart(before[i], await pixel(page, ...p))).toBeLessThan(20);
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await expect.poll(middle).toBe(0.5);
  for (const [i, p] of points.entries()) expect(apart(before[i], await pixel(page, ...p))).toBeLessThan(20);
});

test('brushes, stamps and palettes of the stock are found and taken', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await stock(page);
  const shelf = (name: string) => page.getByRole('group', { name: 'What is shown' }).getByRole('button', { name }).click();
  await shelf('brushes');
  await page.getByLabel('Find among the brushes').fill('bristle');
  await page.getByRole('button', { name: 'Take Dry bristle' }).click();
  await expect(page.getByRole('dialog', { name: 'Stock' })).toHaveCount(0);
  await expect(page.getByText('Dry bristle', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Stock', exact: true }).click();
  await shelf('stamps');
  await page.getByLabel('Find among the stamps').fill('snap');
  await page.getByRole('button', { name: 'Take Snap rivet' }).click();
  await expect(page.getByText('Snap rivet', { exact: true })).toBeVisible();
  await expect(page.getByRole('dialog', { name: 'Stock' })).toHaveCount(0);

  // favourites, what was used last and collections hold things of every kind
  await page.getByRole('button', { name: 'Stock', exact: true }).click();
  const names = page.locator('dialog[aria-label=Stock] article .truncate.grow:not(.text-xs)');
  const on = (name: string | RegExp) => page.getByRole('group', { name: 'Shelves' }).getByRole('button', { name }).click();
  await on('used last');
  await expect(names).toHaveText(['Snap rivet']);
  await page.getByLabel('Put Snap rivet into a collection').selectOption('new');
  await page.getByLabel('Name of the collection').fill('Deck work');
  await page.getByLabel('Name of the collection').press('Enter');
  await shelf('brushes');
  await on('used last');
  await expect(names).toHaveText(['Dry bristle']);
  await page.getByLabel('Put Dry bristle into a collection').selectOption('Deck work');
  await page.getByRole('button', { name: 'Dry bristle is a favourite' }).click();
  await on(/^Deck work 1/);
  await expect(names).toHaveText(['Dry bristle']);
  await on(/^Favourites 1/);
  await expect(names).toHaveText(['Dry bristle']);
  await page.getByRole('button', { name: 'Dry bristle is a favourite' }).click();
  await expect(names).toHaveCount(0);
  await shelf('stamps');
  await on(/^Deck work 1/);
  await expect(names).toHaveText(['Snap rivet']);
  await page.getByRole('button', { name: 'delete the collection' }).click();
  await on('everything');
  await expect(page.getByRole('button', { name: 'Take Snap rivet' })).toBeVisible();
  await page.getByRole('button', { name: 'Close', exact: true }).click();

  const kept = await page.request.post('/api/stock/palettes', { data: { id: '', name: 'Tide colours', colors: ['#203040', '#d0c0a0'] } });
  const { id } = await kept.json();
  await page.getByRole('button', { name: 'Stock', exact: true }).click();
  await shelf('palettes');
  await page.getByRole('button', { name: 'Take Tide colours' }).click();
  await expect(page.getByRole('button', { name: 'Undo', exact: true })).toHaveAttribute('title', /Tide colours/);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await page.request.delete(`/api/stock/${id}`);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
});

test('a material shows on the part under the pointer, leaves no trace, is dropped, turned and taken back', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await stock(page);
  await page.getByLabel('Find a material').fill('gold clean');
  await expect(page.locator('.shelf .card')).toHaveCount(1);
  const before = await pixel(page, ...top);
  const layers = await page.locator('ol[aria-label^=Layers] .name').count();

  // hovering shows it, Escape leaves no trace
  await hold(page, 'Clean gold', top);
  await expect.poll(async () => apart(before, await pixel(page, ...top)), { timeout: 60_000 }).toBeGreaterThan(40);
  await page.keyboard.press('Escape');
  await page.mouse.up();
  await expect.poll(async () => apart(before, await pixel(page, ...top)), { timeout: 60_000 }).toBeLessThan(8);
  expect(await page.locator('ol[aria-label^=Layers] .name').count()).toBe(layers);

  // dropping keeps it, on that part alone
  await hold(page, 'Clean gold', top);
  await page.mouse.up();
  await expect(page.getByRole('group', { name: 'Dials of Clean gold' })).toBeVisible();
  await settled(page);
  const gold = await pixel(page, ...top);
  expect(apart(before, gold)).toBeGreaterThan(40);

  // a dial is one entry
  const gloss = page.getByRole('slider', { name: 'gloss' });
  await gloss.fill('0');
  await expect(page.getByRole('button', { name: 'Undo', exact: true })).toHaveAttribute('title', /gloss/);
  await settled(page);
  await expect(gloss).toHaveValue('0');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(gloss).toHaveValue('0.5');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(page.getByRole('group', { name: 'Dials of Clean gold' })).toHaveCount(0);
  await expect.poll(async () => apart(before, await pixel(page, ...top)), { timeout: 60_000 }).toBeLessThan(8);
});

test('a group is kept as a material of one’s own, found first, used in another project, deleted and brought back', async ({ fresh: page }) => {
  // the line is slow: what is kept is what was renamed before, though that is asked beside the line
  await page.routeWebSocket(/\/live/, (ws) => {
    const server = ws.connectToServer();
    ws.onMessage((m) => setTimeout(() => server.send(m), 400));
  });
  await openProject(page, 'Decoy gull');
  await stock(page);
  await page.getByRole('button', { name: 'Clean gold', exact: true }).click();
  await expect(page.getByRole('group', { name: 'Dials of Clean gold' })).toBeVisible();
  await settled(page);
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await page.locator('.row.open .names').dblclick();
  await page.getByLabel('Layer name').fill('Gull gold');
  await page.getByLabel('Layer name').press('Enter');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Kept', exact: true })).toBeVisible({ timeout: 60_000 });
  await page.getByRole('button', { name: 'Delete', exact: true }).click();

  await openProject(page, 'Mooring bollard');
  const before = await pixel(page, ...top);
  await stock(page);
  const own = page.locator('.shelf .item').first();
  await expect(own).toContainText('Gull gold');
  await own.locator('.card').click();
  await expect(page.getByRole('group', { name: 'Dials of Gull gold' })).toBeVisible();
  await settled(page);
  expect(apart(before, await pixel(page, ...top))).toBeGreaterThan(20);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await page.getByRole('button', { name: 'Delete Gull gold' }).click();
  await expect(page.getByText('Gull gold was deleted.')).toBeVisible();
  await page.getByRole('button', { name: 'Bring back' }).click();
  await expect(own).toContainText('Gull gold');
  await page.getByRole('button', { name: 'Delete Gull gold' }).click();
  await expect(page.getByText('Gull gold was deleted.')).toBeVisible();
});

test('favourites, what was used last and collections; a newer version is offered beside the one that was taken', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await stock(page);
  const shelves = page.getByRole('group', { name: 'Shelves' });
  const items = page.locator('.shelf .item');
  const find = page.getByLabel('Find a material');
  await find.fill('slate');
  await items.first().hover();
  await page.getByRole('button', { name: 'Slate is a favourite' }).click();
  await expect(page.getByRole('button', { name: 'Slate is a favourite' })).toHaveAttribute('aria-pressed', 'true');
  await find.fill('');
  await shelves.getByRole('button', { name: /Favourites 1/ }).click();
  await expect(items).toHaveCount(1);
  await page.getByRole('button', { name: 'Slate', exact: true }).click();
  await expect(page.getByRole('group', { name: 'Dials of Slate' })).toBeVisible();
  await shelves.getByRole('button', { name: 'used last' }).click();
  await expect(items.first()).toContainText('Slate');

  // a collection of what is marked
  await items.first().hover();
  await page.getByRole('button', { name: 'Mark Slate for a line-up' }).click();
  await page.getByLabel('Put what is marked into a collection').selectOption('new');
  await page.getByLabel('Name of the collection').fill('Roofs');
  await page.getByLabel('Name of the collection').press('Enter');
  await shelves.getByRole('button', { name: /Roofs 1/ }).click();
  await expect(items).toHaveCount(1);

  // they are there after a reload, too
  await page.reload();
  await stock(page);
  await shelves.getByRole('button', { name: /Roofs 1/ }).click();
  await expect(items).toHaveCount(1);
  await page.getByRole('button', { name: 'delete the collection' }).click();
  await expect(shelves.getByRole('button', { name: /Roofs/ })).toHaveCount(0);
  await shelves.getByRole('button', { name: /Favourites 1/ }).click();
  await items.first().hover();
  await page.getByRole('button', { name: 'Slate is a favourite' }).click();
  await expect(items).toHaveCount(0);
  await shelves.getByRole('button', { name: 'everything' }).click();

  // kept, put down, kept again: the one that was put down is told of the newer version
  const rename = async (name: string) => {
    await page.locator('.row.open .names').dblclick();
    await page.getByLabel('Layer name').fill(name);
    await page.getByLabel('Layer name').press('Enter');
  };
  const keep = async () => {
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await expect(page.getByRole('button', { name: 'Kept', exact: true })).toBeVisible({ timeout: 60_000 });
    await expect(page.getByRole('button', { name: 'Keep', exact: true })).toBeVisible();
  };
  await rename('Quay roof');
  await keep();
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await stock(page);
  await page.getByRole('button', { name: 'Quay roof', exact: true }).click();
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  const newer = page.getByText('Version 2 of it is in the stock');
  await expect(newer).toHaveCount(0);
  await page.getByRole('slider', { name: 'lichen' }).fill('1');
  await keep();
  await page.reload();
  await page.getByRole('button', { name: /^Hide Quay roof/ }).first().waitFor();
  await page.locator('.row .names', { hasText: 'Quay roof' }).first().click();
  await expect(newer).toBeVisible();
  await page.getByRole('button', { name: 'Compare' }).click();
  await expect(page.locator('.lineup .cell')).toHaveCount(2);
  await page.getByRole('button', { name: /2 Version 2/ }).click();
  await expect(newer).toHaveCount(0);
  for (let i = 0; i < 2; i++) {
    await stock(page);
    await find.fill('quay roof');
    await page.getByRole('button', { name: 'Delete Quay roof' }).click();
    await expect(page.getByText('Quay roof was deleted.')).toBeVisible();
    await page.getByRole('button', { name: 'Close', exact: true }).click();
  }
});

test('a material falls on an island, and on the section between layers', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await stock(page);
  const find = page.getByLabel('Find a material');
  await page.getByLabel('What it covers where it falls').selectOption('the island');
  await find.fill('clean gold');
  await hold(page, 'Clean gold', top);
  await page.mouse.up();
  const open = page.getByRole('group', { name: /^Reach of Clean gold/ });
  await expect(open).toContainText('island');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(open).toHaveCount(0);

  // onto the section: below the outermost layer
  const rows = page.locator('ol[aria-label^=Layers] .row');
  const first = await rows.first().locator('.name, .names').first().innerText();
  const card = (await page.getByRole('button', { name: 'Clean gold', exact: true }).boundingBox())!;
  const row = (await rows.first().boundingBox())!;
  await page.mouse.move(card.x + card.width / 2, card.y + 30);
  await page.mouse.down();
  await page.mouse.move(card.x - 40, card.y + 40, { steps: 3 });
  await page.mouse.move(row.x + 100, row.y + row.height - 4, { steps: 4 });
  await page.mouse.move(row.x + 102, row.y + row.height - 3);
  await page.mouse.up();
  await expect(page.getByRole('group', { name: 'Dials of Clean gold' })).toBeVisible();
  await expect(rows.first()).toContainText(first.split('\n')[0]);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
});

test('a dial is made by two states of a group, turned, and deleted', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await stock(page);
  await page.getByLabel('Find a material').fill('clean gold');
  await page.getByRole('button', { name: 'Clean gold', exact: true }).click();
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await page.getByRole('button', { name: 'New dial' }).click();
  await type(page, 'Amount', '30');
  await page.getByRole('slider', { name: 'gloss' }).fill('1');
  await expect(page.getByText(/It moves 2 settings/)).toBeVisible();
  await page.getByLabel('Name of the dial').fill('cover');
  await page.getByRole('button', { name: 'Make it' }).click();
  const cover = page.getByRole('slider', { name: 'cover' });
  await expect(cover).toHaveValue('1');
  await cover.fill('0');
  await expect(page.getByRole('slider', { name: 'Amount', exact: true }).first()).toHaveAttribute('aria-valuenow', '1');
  // what it moves was set by another dial too, which says so
  await expect(page.getByRole('button', { name: 'set by hand' })).toBeVisible();
  await page.getByRole('button', { name: 'Delete the dial cover' }).click({ force: true });
  await expect(cover).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(cover).toHaveCount(1);
  for (let i = 0; i < 5; i++) await page.getByRole('button', { name: 'Undo', exact: true }).click();
});

/** Brings a box in with UVs, each side a strip; large says how long a side is, in metres. Returns
 * its file. */
async function crate(page: Page, large: number): Promise<string> {
  await page.goto('/');
  const corners = [0, 1, 2, 3, 4, 5, 6, 7].map((i) => `v ${large * (i & 1)} ${large * ((i >> 1) & 1)} ${large * ((i >> 2) & 1)}`);
  const sides = ['1 3 4 2', '5 6 8 7', '1 2 6 5', '3 7 8 4', '1 5 7 3', '2 4 8 6'];
  const uv = sides.flatMap((_, n) => [0, 1, 2, 3].map((k) => `vt ${(n + (k === 1 || k === 2 ? 0.9 : 0.1)) / 6} ${k > 1 ? 0.9 : 0.1}`));
  const faces = sides.map((f, n) => `f ${f.split(' ').map((v, k) => `${v}/${4 * n + k + 1}`).join(' ')}`);
  const obj = ['o Crate', ...corners, ...uv, ...faces].join('\n');
  await page.getByTestId('chooser').setInputFiles({ name: 'crate.obj', mimeType: 'text/plain', buffer: Buffer.from(obj) });
  await expect(page).toHaveURL(/#\/project\//);
  await settled(page);
  return obj;
}

async function away(page: Page) {
  await page.goto('/');
  await page.getByRole('button', { name: 'Delete crate' }).click();
  await expect(page.getByRole('button', { name: 'Delete crate' })).toHaveCount(0);
}

test('on a model that comes from elsewhere, without bakes, a material shows at once; what it needs is baked with one click', async ({ page }) => {
  await crate(page, 1);
  const before = await pixel(page, 0.5, 0.5);
  await stock(page);
  await page.getByRole('button', { name: 'Cast iron', exact: true }).click();
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await expect.poll(async () => apart(before, await pixel(page, 0.5, 0.5)), { timeout: 60_000 }).toBeGreaterThan(25);
  const lacks = page.getByText(/which are not baked, and does with less/);
  await expect(lacks).toBeVisible();
  await page.getByRole('button', { name: 'Bake them' }).click();
  await expect(lacks).toHaveCount(0, { timeout: 300_000 });
  await settled(page);
  await expect(page.getByRole('button', { name: 'Undo', exact: true })).toHaveAttribute('title', /[Bb]ake/);
  await away(page);
});

test('pictures of the shelf do not stand before what is asked for by a click', async ({ fresh: page }) => {
  await openProject(page, 'Mooring bollard');
  let [now, most, come] = [0, 0, 0];
  await page.route('**/api/materials/*/picture', async (route) => {
    most = Math.max(most, ++now);
    await new Promise((done) => setTimeout(done, 200));
    now--;
    come++;
    await route.continue();
  });
  await stock(page);
  await expect.poll(() => come).toBeGreaterThan(3);
  expect(most).toBeLessThanOrEqual(2);
  const first = page.locator('.shelf .item img').first();
  await expect.poll(() => first.evaluate((i: HTMLImageElement) => i.naturalWidth)).toBe(132);
});

test('on a model without UVs a material says so, and offers to unwrap it', async ({ page }) => {
  await page.goto('/');
  const corners = [0, 1, 2, 3, 4, 5, 6, 7].map((i) => `v ${i & 1} ${(i >> 1) & 1} ${(i >> 2) & 1}`);
  const obj = ['o Bare', ...corners, ...['1 3 4 2', '5 6 8 7', '1 2 6 5', '3 7 8 4', '1 5 7 3', '2 4 8 6'].map((f) => `f ${f}`)].join('\n');
  await page.getByTestId('chooser').setInputFiles({ name: 'crate.obj', mimeType: 'text/plain', buffer: Buffer.from(obj) });
  await expect(page).toHaveURL(/#\/project\//);
  await settled(page);
  const before = await pixel(page, 0.5, 0.5);
  await stock(page);
  await page.getByRole('button', { name: 'Clean gold', exact: true }).click();
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await page.getByRole('button', { name: 'Unwrap it' }).click();
  await expect.poll(async () => apart(before, await pixel(page, 0.5, 0.5)), { timeout: 120_000 }).toBeGreaterThan(25);
  await expect(page.getByText('The model has no UVs')).toHaveCount(0);
  await away(page);
});

test('the command line gives what the page gives', async ({ page }, info) => {
  const model = info.outputPath('crate.obj');
  mkdirSync(info.outputDir, { recursive: true });
  writeFileSync(model, await crate(page, 1));
  const project = page.url().split('/').pop()!;
  await stock(page);
  await page.getByRole('button', { name: 'Cast iron', exact: true }).click();
  const top = async () => (await (await page.request.get(`/api/projects/${project}/document`)).json()).layers.at(-1);
  await expect.poll(async () => (await top())?.made?.name).toBe('Cast iron');
  const { seed } = (await top()).made;
  const out = info.outputPath('by-command');
  execFileSync('../bin/velvetgrime', ['apply', 'Cast iron', '--model', model, '--seed', `${seed}`, '--bake', 'none', '--size', '256', '--maps', 'base color,occlusion roughness metallic,height', '--glb=false', '-o', out]);
  const order = { sheets: [], maps: ['base color', 'occlusion roughness metallic', 'height'], depth: {}, glb: false, size: 256 };
  let job = await (await page.request.post(`/api/projects/${project}/deliveries`, { data: order })).json();
  await expect.poll(async () => (job = await (await page.request.get(`/api/jobs/${job.id}`)).json()).state, { timeout: 300_000 }).toBe('done');
  const files = readdirSync(out).sort();
  expect(files.length).toBe(3);
  expect(job.files.map((f: { name: string }) => f.name).sort()).toEqual(files);
  for (const f of files) {
    const theirs = await (await page.request.get(`/api/jobs/${job.id}/files/${f}`)).body();
    expect(theirs.equals(readFileSync(`${out}/${f}`)), f).toBe(true);
  }
  await away(page);
});

test('what is added by hand has lengths for the object: on a hull as on a thimble', async ({ page }) => {
  const lengths = async () => {
    await page.getByRole('button', { name: '+ Fill layer' }).click();
    await page.getByRole('button', { name: '+ Step' }).click();
    await page.getByRole('button', { name: /^Noise source/ }).click();
    const noise = page.getByRole('article', { name: 'Noise' });
    const frequency = Number((await noise.getByLabel('frequency', { exact: true }).innerText()).replace(/[^0-9.]/g, ''));
    await page.getByRole('button', { name: '+ Step' }).click();
    await page.getByRole('button', { name: /^Blur shaper/ }).click();
    const blur = page.getByRole('article', { name: 'Blur' });
    await expect(blur.getByText('radius', { exact: true })).toHaveAttribute('title', /suggested for the size of the object/);
    const radius = Number((await blur.getByLabel('radius', { exact: true }).innerText()).replace(/[^0-9.]/g, ''));
    await page.getByRole('button', { name: '+ Paint layer' }).click();
    const brush = Number((await page.getByLabel('Brush size', { exact: true }).innerText()).replace(/[^0-9.]/g, ''));
    return { frequency, radius, brush };
  };
  const across = Math.sqrt(3); // from corner to corner; the defaults are for half a metre
  await crate(page, 6);
  const hull = await lengths();
  await away(page);
  await crate(page, 0.02);
  const thimble = await lengths();
  await away(page);
  expect(hull.frequency).toBeCloseTo((20 * 0.5) / (6 * across), 1);
  expect(thimble.frequency).toBeCloseTo((20 * 0.5) / (0.02 * across), -1);
  expect(hull.radius / thimble.radius).toBeCloseTo(300, -1);
  expect(hull.brush / thimble.brush).toBeCloseTo(300, -2);
});

test('glass on one part makes no other sheet see-through', async ({ page }) => {
  await openProject(page, 'Signal lantern');
  const clear = () => page.evaluate(() => (window as any).stage.worn.list.map((s: any) => (s.transparent ? s.name : '')).filter(Boolean) as string[]);
  expect(await clear()).toEqual(['Glass']);
  await stock(page);
  await page.getByLabel('Find a material').fill('old glass');
  await page.getByLabel('What it covers where it falls').selectOption('the part');
  await hold(page, 'Old glass, salted', [0.5, 0.62]);
  await page.mouse.up();
  await expect(page.getByRole('group', { name: 'Dials of Old glass, salted' })).toBeVisible();
  await expect.poll(clear).toContain('Enamel');
  expect((await clear()).length).toBe(2);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect.poll(clear).toEqual(['Glass']);
});
