// Alternatives beside one another: materials, values, seeds, marked states; one is taken, the
// others leave no trace.
import { expect, test, type Page } from './setup';
import { apart, canvas, openProject, pixel, settled } from './app';

const lineup = (page: Page) => page.getByRole('group', { name: /^Line-up/ });
const layers = (page: Page) => page.getByRole('button', { name: /^Hide / });

/** Waits until all pictures of the line-up are drawn. */
async function drawn(page: Page, n: number) {
  const cells = page.locator('.lineup .cell');
  await expect(cells).toHaveCount(n);
  for (let i = 0; i < n; i++) await expect(cells.nth(i)).toHaveAttribute('data-settled', 'true', { timeout: 300_000 });
  await page.waitForTimeout(150);
}

/** The colour in the middle of each picture of the line-up. */
async function middles(page: Page): Promise<number[][]> {
  const box = (await canvas(page).boundingBox())!;
  const out = [];
  for (const c of await page.locator('.lineup .cell').all()) {
    const b = (await c.boundingBox())!;
    out.push(await pixel(page, (b.x + b.width / 2 - box.x) / box.width, (b.y + b.height * 0.45 - box.y) / box.height));
  }
  return out;
}

test('materials are lined up, turned together, left without a trace, and one is taken', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const before = await pixel(page, 0.5, 0.5);
  const count = await layers(page).count();
  const begin = async () => {
    await page.getByRole('button', { name: 'Stock', exact: true }).click();
    for (const name of ['Clean gold', 'Clean enamel, blue']) {
      await page.getByLabel('Find a material').fill(name);
      await page.locator('.shelf .item').hover();
      await page.getByRole('button', { name: `Mark ${name} for a line-up` }).click();
    }
    await page.getByRole('button', { name: 'Line up 2' }).click();
    await drawn(page, 3);
  };
  await begin();
  const [asIs, gold, blue] = await middles(page);
  expect(gold[0] - gold[2]).toBeGreaterThan(40);
  expect(blue[2] - blue[0]).toBeGreaterThan(20);
  expect(apart(asIs, gold)).toBeGreaterThan(30);

  // one drag turns all
  const eye = () => page.evaluate(() => (window as any).stage.camera.position.toArray() as number[]);
  const [from, box] = [await eye(), (await canvas(page).boundingBox())!];
  await page.mouse.move(box.x + 80, box.y + 150);
  await page.mouse.down();
  await page.mouse.move(box.x + 200, box.y + 150, { steps: 4 });
  await page.mouse.up();
  expect(Math.hypot(...(await eye()).map((v, i) => v - from[i]))).toBeGreaterThan(0.05);
  await expect(lineup(page)).toBeVisible();
  await drawn(page, 3);

  await page.keyboard.press('Escape');
  await expect(lineup(page)).toHaveCount(0);
  await settled(page);
  await expect(layers(page)).toHaveCount(count);
  await page.evaluate((p) => {
    const s = (window as any).stage;
    s.camera.position.fromArray(p);
    s.controls.update();
  }, from);
  await page.waitForTimeout(400);
  await settled(page);
  expect(apart(before, await pixel(page, 0.5, 0.5))).toBeLessThan(12);

  // a click takes one, as one entry
  await begin();
  const gilded = (await page.locator('.lineup .cell').nth(1).boundingBox())!;
  await page.mouse.click(gilded.x + gilded.width / 2, gilded.y + gilded.height / 2);
  await expect(lineup(page)).toHaveCount(0);
  await expect(page.getByRole('group', { name: 'Dials of Clean gold' })).toBeVisible();
  await expect(layers(page)).toHaveCount(count + 1);
  await settled(page);
  const now = await pixel(page, 0.5, 0.5);
  expect(now[0] - now[2]).toBeGreaterThan(40);

  // another in its place
  await page.getByRole('button', { name: 'Others …' }).click();
  await page.getByLabel('Find a material').fill('Clean stone');
  await page.locator('.shelf .item').hover();
  await page.getByRole('button', { name: 'Mark Clean stone for a line-up' }).click();
  await expect(page.getByLabel('Where they are compared')).toHaveValue('open');
  await page.getByRole('button', { name: 'Line up 1' }).click();
  await drawn(page, 2);
  await page.keyboard.press('2');
  await expect(page.getByRole('group', { name: 'Dials of Clean stone' })).toBeVisible();
  await expect(layers(page)).toHaveCount(count + 1);
  for (let i = 0; i < 2; i++) await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(layers(page)).toHaveCount(count);
});

test('values of a number, of a dial, seeds and marked states are lined up', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const undo = page.getByRole('button', { name: 'Undo', exact: true });
  const amount = page.getByRole('slider', { name: 'Amount', exact: true }).first();
  const was = await amount.getAttribute('aria-valuenow');
  await amount.click({ button: 'right' });
  await page.getByRole('menuitem', { name: 'Line up values' }).click();
  await drawn(page, 6);
  await page.getByRole('button', { name: /Amount 0.00/ }).click();
  await expect(amount).toHaveAttribute('aria-valuenow', '0');
  await undo.click();
  await expect(amount).toHaveAttribute('aria-valuenow', was!);

  await page.getByRole('button', { name: 'Stock', exact: true }).click();
  await page.getByRole('button', { name: 'Clean gold', exact: true }).click();
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await page.getByRole('button', { name: 'Line up gloss' }).click();
  await drawn(page, 5);
  const colours = await middles(page);
  expect(apart(colours[0], colours[4])).toBeGreaterThan(3);
  await page.keyboard.press('5');
  await expect(page.getByRole('slider', { name: 'gloss' })).toHaveValue('1');
  await page.getByRole('button', { name: 'Line up seeds' }).click();
  await drawn(page, 6);
  const second = page.getByRole('button', { name: /Seed \d+/ }).nth(1);
  const seed = Number((await second.innerText()).match(/Seed (\d+)/)![1]);
  await second.click();
  await expect(undo).toHaveAttribute('title', /Another seed/);
  // it is what the material is by that seed, and tells it
  const project = page.url().split('/').pop()!;
  const seedsOf = (l: any): number[] => [
    ...[l.mask, ...Object.values(l.channels ?? {}).map((c: any) => c.stream)].flatMap((s) => s ?? []).map((s: any) => s.params?.seed ?? -1),
    ...(l.layers ?? []).flatMap(seedsOf),
  ];
  const gold = async () => (await (await page.request.get(`/api/projects/${project}/document`)).json()).layers.find((l: any) => l.name === 'Clean gold');
  await expect.poll(async () => (await gold()).made.seed).toBe(seed);
  const made = await (await page.request.get(`/api/materials/Clean%20gold/group?seed=${seed}&size=0`)).json();
  expect(seedsOf(await gold())).toEqual(seedsOf(made));

  // a state that was marked before all this, beside what is
  await page.getByRole('button', { name: 'Ledger' }).click();
  const beginning = page.getByRole('dialog', { name: 'Ledger' }).getByRole('listitem').last();
  await beginning.hover();
  await beginning.getByRole('button', { name: /^Mark / }).click();
  await page.getByLabel('Name of the mark').fill('bare');
  await page.getByLabel('Name of the mark').press('Enter');
  await page.getByRole('button', { name: 'Line up', exact: true }).click();
  const states = page.locator('.lineup .cell'); // others may have marked some
  await expect.poll(() => states.count()).toBeGreaterThan(1);
  await drawn(page, await states.count());
  const looks = await middles(page);
  expect(apart(looks[0], looks.at(-1)!)).toBeGreaterThan(12);
  await page.getByRole('button', { name: /\d bare/ }).click();
  await expect(page.getByRole('group', { name: 'Dials of Clean gold' })).toHaveCount(0);
  await undo.click();
  await expect(page.getByRole('button', { name: 'Hide Clean gold' })).toBeVisible();
  for (let i = 0; i < 3; i++) await undo.click(); // the seed, the dial, the material
  await expect(page.getByRole('button', { name: 'Hide Clean gold' })).toHaveCount(0);
});

test('a number that is no part of the object is not lined up, and stays as it is', async ({ page }) => {
  await openProject(page, 'Mooring bollard', false);
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await page.keyboard.press('p');
  const strength = page.getByRole('slider', { name: 'Strength', exact: true });
  const was = await strength.getAttribute('aria-valuenow');
  await strength.click({ button: 'right' });
  await page.waitForTimeout(300);
  await expect(page.getByRole('menuitem', { name: 'Line up values' })).toHaveCount(0);
  await expect(strength).toHaveAttribute('aria-valuenow', was!);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
});
