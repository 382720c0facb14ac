// Materials: dropped on a part, tried without a trace, turned by their dials.
import { expect, test, type Page } from './setup';
import { apart, canvas, openProject, pixel, settled } from './app';

const top: [number, number] = [0.5, 0.35];

async function stock(page: Page) {
  await page.getByRole('button', { name: 'Stock', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Cast iron' })).toBeVisible();
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
  await page.getByRole('button', { name: 'Clean gold' }).click();
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
