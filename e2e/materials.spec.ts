// Materials: dropped on a part, tried without a trace, turned by their dials.
import { expect, test, type Page } from './setup';
import { apart, canvas, openProject, pixel, settled } from './app';

const top: [number, number] = [0.5, 0.35];

async function stock(page: Page) {
  await page.getByRole('button', { name: 'Stock', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Cast iron', exact: true })).toBeVisible();
}

/** Takes a material over the model; where is a share of the canvas. */
async function hold(page: Page, name: string, where: [number, number]) {
  const card = (await page.getByRole('button', { name, exact: true }).boundingBox())!;
  const box = (await canvas(page).boundingBox())!;
  await page.mouse.move(card.x + card.width / 2, card.y + 30);
  await page.mouse.down();
  await page.mouse.move(card.x - 40, card.y + 40, { steps: 3 });
  await page.mouse.move(box.x + box.width * where[0], box.y + box.height * where[1], { steps: 4 });
  await page.mouse.move(box.x + box.width * where[0] + 2, box.y + box.height * where[1]);
}

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

test('a group is kept as a material of one’s own, found first, used in another project, deleted and brought back', async ({ page }) => {
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
