// Masks and weathering: streams of sources, agents, conditions, the stock.
import { test, expect, type Page } from './setup';
import { addChannel, apart, change, openProject, pixel, place, settled, stroke, type } from './app';

const button = (page: Page, name: string) => page.getByRole('button', { name, exact: true });
const card = (page: Page, name: string) => page.getByRole('article', { name, exact: true });

async function add(page: Page, label: string) {
  await button(page, '+ Step').click();
  await page.getByLabel('Find a step').fill(label);
  await page.getByRole('button', { name: new RegExp(`^${label} `) }).first().click();
  await expect(card(page, label).last()).toBeVisible();
}

async function coat(page: Page, hex: string) {
  await button(page, '+ Fill layer').click();
  await expect(page.getByRole('heading', { name: /^Mask of Coat/ })).toBeVisible();
  const field = page.getByLabel('base color as hex');
  await field.fill(hex);
  await field.press('Enter');
}

/** The mean grey of a card's picture over a share of its height. */
const shade = (page: Page, name: string, from: number, to: number) =>
  card(page, name)
    .last()
    .locator('canvas')
    .evaluate(
      (c: HTMLCanvasElement, [a, b]) => {
        const h = Math.max(1, Math.floor(c.height * (b - a)));
        const d = c.getContext('2d')!.getImageData(0, Math.floor(c.height * a), c.width, h).data;
        let [sum, n] = [0, 0];
        for (let i = 0; i < d.length; i += 4) if (d[i + 3] > 250) [sum, n] = [sum + d[i], n + 1];
        return n ? sum / n : -1;
      },
      [from, to],
    );

test('mud from the floor: an axis gradient, two noises over it, a faint third', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const [bareFoot, bareHead] = [await pixel(page, 0.5, 0.88), await pixel(page, 0.5, 0.2)];
  await coat(page, '#ff00ff');
  await add(page, 'Gradient');
  await page.getByLabel('towards').selectOption('down');
  await add(page, 'Noise');
  await page.getByLabel('Blend mode').last().selectOption('overlay');
  await add(page, 'Turbulence');
  await page.getByLabel('Blend mode').last().selectOption('overlay');
  await add(page, 'Cells');
  const amount = page.getByRole('slider', { name: 'Amount', exact: true }).last();
  await amount.focus();
  await amount.press('Enter');
  const box = page.getByRole('textbox', { name: 'Amount', exact: true });
  await box.fill('20');
  await box.press('Enter');
  await settled(page);
  await expect(page.getByText('4 steps')).toBeVisible();
  const [foot, head] = [await pixel(page, 0.5, 0.88), await pixel(page, 0.5, 0.2)];
  expect(apart(foot, bareFoot)).toBeGreaterThan(35);
  expect(foot[0] - foot[1]).toBeGreaterThan(30);
  expect(apart(head, bareHead)).toBeLessThan(25);
  await button(page, 'Delete').click();
});

test('rub: what is not baked is baked from the card; a hand goes over it while the mask is pinned; the stock keeps it', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  // other tests may have left its sheet large, and maps are baked as large
  const doc = (await (await page.request.get(`/api/projects/${page.url().split('/').at(-1)}/document`)).json()) as { sheets: Record<string, unknown> };
  for (const target of Object.keys(doc.sheets)) await change(page, { kind: 'sheet.size', target, value: 256 });
  await settled(page);
  await coat(page, '#ff00ff');
  await add(page, 'Rub');
  await expect(card(page, 'Rub')).toContainText('not baked yet: curvature, ao');
  await button(page, 'Bake them').click();
  await expect(card(page, 'Rub')).not.toContainText('not baked yet', { timeout: 90_000 });
  await settled(page);
  // three levels of control, and presets
  const controls = card(page, 'Rub').getByRole('slider');
  await button(page, 'one').click();
  await expect(controls).toHaveCount(1);
  await button(page, 'all').click();
  expect(await controls.count()).toBeGreaterThan(10);
  await button(page, 'some').click();
  await page.getByLabel('Preset').selectOption('Worn round');
  await expect(button(page, 'Undo')).toHaveAttribute('title', /Worn round for Rub/);
  await settled(page);
  const worn = await pixel(page, 0.5, 0.5);

  await add(page, 'Hand');
  await button(page, 'Paint here').click();
  await button(page, 'Pin mask').click();
  await expect(page.getByText('mask alone')).toBeVisible();
  await page.keyboard.press('w'); // from hiding to showing
  await type(page, 'Brush size', '120');
  await stroke(page, [0.485, 0.5], [0.515, 0.5]);
  await expect(page.getByText('1 stroke', { exact: true })).toBeVisible();
  await settled(page);
  const white = await pixel(page, 0.5, 0.5);
  expect(Math.min(...white)).toBeGreaterThan(150);
  await button(page, 'Pin mask').click();
  await settled(page);
  const painted = await pixel(page, 0.5, 0.5);
  expect(painted[0] - painted[1]).toBeGreaterThan(60);
  expect(apart(painted, worn)).toBeGreaterThan(30);
  // the agent underneath can still be changed
  await button(page, 'Rub').click();
  await type(page, 'how much', '0.1');
  await settled(page);
  expect(apart(await pixel(page, 0.5, 0.5), painted)).toBeLessThan(20);

  await button(page, 'Stock').click();
  const stock = page.getByRole('dialog', { name: 'Stock' });
  await stock.getByRole('button', { name: 'masks', exact: true }).click();
  await stock.getByRole('button', { name: /^Keep the mask of Coat/ }).click();
  const kept = stock.getByRole('article');
  await expect(kept).toHaveCount(1, { timeout: 300_000 });
  await expect(kept.locator('img')).toBeVisible();
  await expect(kept).toContainText('1 step'); // the hand belongs to this model
  await stock.getByRole('button', { name: 'Close' }).click();
  await coat(page, '#0000ff');
  await button(page, 'Stock').click();
  await stock.getByRole('button', { name: /^Use Coat/ }).click();
  await expect(page.getByRole('article', { name: /^Coat/ })).toBeVisible();
  await expect(page.getByRole('button', { name: /^made of: 1 step/ })).toBeVisible();
  await button(page, 'Delete').click();
});

test('dirt follows a layer that was laid later', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await coat(page, '#101010');
  await add(page, 'Nook');
  const name = (await page.getByRole('heading', { name: /^Mask of Coat/ }).innerText()).replace('Mask of ', '');
  await settled(page);
  const before = await shade(page, 'Nook', 0, 1);
  // rivets in rows: heights of a few millimetres
  await coat(page, '#808080');
  const rivets = (await page.getByRole('heading', { name: /^Mask of Coat/ }).innerText()).replace('Mask of ', '');
  await addChannel(page, 'height');
  await type(page, 'height', '2');
  await add(page, 'Dots');
  await type(page, 'size', '60');
  await page.getByText(name, { exact: true }).click();
  await button(page, 'Nook').click();
  await button(page, 'all').click();
  await page.getByLabel('follows').selectOption({ label: rivets });
  await type(page, 'relief', '2');
  await type(page, 'ring', '8');
  await settled(page);
  await expect.poll(() => shade(page, 'Nook', 0, 1)).toBeGreaterThan(before + 4);
  await button(page, 'some').click();
});

test('the age takes the object from new to wreck; touch points and directions are set on the model', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await coat(page, '#00ffff');
  await add(page, 'Tide');
  await page.keyboard.press('c');
  const panel = page.getByRole('region', { name: 'Conditions' });
  await expect(panel).toBeVisible();
  await type(page, 'Age', '0');
  await settled(page);
  const fresh = await shade(page, 'Tide', 0.5, 1);
  await type(page, 'Age', '50');
  await settled(page);
  await expect.poll(() => shade(page, 'Tide', 0.5, 1)).toBeGreaterThan(fresh + 10);
  expect(fresh).toBeLessThan(3);
  await button(page, '+ on the model').click();
  await page.mouse.click(...(await place(page, 0.5, 0.5)));
  await expect(panel.getByLabel('Name of touch point 1')).toHaveValue(/^Post/);
  await button(page, 'Undo').click();
  await expect(panel).toContainText('None yet');
  await panel.getByLabel('Wind blows', { exact: true }).selectOption('north');
  await expect(button(page, 'Undo')).toHaveAttribute('title', /Wind blows/);
  await button(page, 'The usual').click();
  await expect(button(page, 'The usual')).toBeDisabled();
  await panel.getByRole('button', { name: 'Close' }).click();
});

test('every kind of source has its picture in the list', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await button(page, '+ Step').click();
  await page.getByLabel('Find a step').fill('bricks');
  const shot = page.getByRole('button', { name: /^Bricks source/ }).locator('img');
  await expect.poll(() => shot.evaluate((i: HTMLImageElement) => i.naturalWidth), { timeout: 300_000 }).toBe(132);
});

/** Where a grip lies in the window, when the model does not move over for a panel any more. */
async function grip(page: Page, label: string): Promise<[number, number]> {
  const box = (await page.getByLabel('The model', { exact: true }).boundingBox())!;
  const find = () => page.evaluate((l) => (window as any).stage.gripsOnScreen().find((g: any) => g.label === l) ?? null, label);
  let [was, g]: any[] = [null, null];
  await expect
    .poll(async () => {
      [was, g] = [g, await find()];
      return !!was && !!g && Math.hypot(g.x - was.x, g.y - was.y) < 0.5;
    }, { intervals: [100] })
    .toBe(true);
  return [box.x + g.x, box.y + g.y];
}

async function pull(page: Page, label: string, dx: number, dy: number) {
  const [x, y] = await grip(page, label);
  await page.mouse.move(x, y);
  await page.mouse.down();
  for (let i = 1; i <= 5; i++) await page.mouse.move(x + (dx * i) / 5, y + (dy * i) / 5);
  await page.mouse.up();
  return [x, y];
}

test('places of a step and the conditions are pulled on the model', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await coat(page, '#ff00ff');
  await add(page, 'Between two points');
  await settled(page);
  const name = 'Between two points';
  const top = await shade(page, name, 0.1, 0.4);
  expect(top).toBeGreaterThan(await shade(page, name, 0.6, 0.9)); // it was laid over the model's height
  // the white end is pulled far up: the same place is darker then, and undo brings it back
  const before = await grip(page, 'white at');
  await pull(page, 'white at', 0, -60);
  await expect(button(page, 'Undo')).toHaveAttribute('title', /Pull white at of Between two points/);
  await settled(page);
  await expect.poll(() => shade(page, name, 0.1, 0.4)).toBeLessThan(top - 5);
  const after = await grip(page, 'white at');
  expect(Math.abs(before[1] - 60 - after[1])).toBeLessThan(2);
  expect(Math.abs(before[0] - after[0])).toBeLessThan(2);
  await button(page, 'Undo').click();
  await expect.poll(async () => Math.abs((await grip(page, 'white at'))[1] - before[1])).toBeLessThan(1);

  // a box: pulled wider, and turned
  await add(page, 'In a box');
  const wide = await page.getByRole('slider', { name: 'width', exact: true }).getAttribute('aria-valuenow');
  await pull(page, 'width', 40, 0);
  await expect.poll(async () => Number(await page.getByRole('slider', { name: 'width', exact: true }).getAttribute('aria-valuenow'))).toBeGreaterThan(Number(wide) * 1.1);
  await pull(page, 'turn', -30, 25);
  await expect(button(page, 'Undo')).toHaveAttribute('title', /Pull turn of In a box/);

  await page.keyboard.press('c');
  await pull(page, 'waterline', 0, -40);
  await expect(button(page, 'Undo')).toHaveAttribute('title', /Pull waterline/);
  await pull(page, 'wind', 30, 30);
  await expect(button(page, 'Undo')).toHaveAttribute('title', /Pull wind/);
  await button(page, 'The usual').click();
  await page.keyboard.press('c');
  await button(page, 'Delete').click();
});
