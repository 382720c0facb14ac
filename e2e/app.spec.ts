import AxeBuilder from '@axe-core/playwright';
import { expect, test, type Page } from './setup';
import { readFileSync } from 'node:fs';
import { validateBytes } from 'gltf-validator';
import { apart, canvas, narrow, openProject, pixel, settled, stroke, type } from './app';

const middle: [number, number] = [0.5, 0.62]; // on the bollard's post

/** @param of a part of the page; none: all of it */
async function serious(page: Page, of = '') {
  const axe = new AxeBuilder({ page }).disableRules(['scrollable-region-focusable']);
  const r = await (of ? axe.include(of) : axe).analyze();
  return r.violations.filter((v) => v.impact === 'serious' || v.impact === 'critical').map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 140)).slice(0, 4).join(' | ')}`);
}

test('the demo opens: lantern in five sheets, drawn once and then at rest', async ({ page }) => {
  await openProject(page, 'Signal lantern');
  await page.getByRole('button', { name: 'Unfold Enamel' }).click();
  await expect(page.getByText('Enamel, red', { exact: true })).toBeVisible();
  const red = await pixel(page, 0.47, 0.62);
  expect(red[0]).toBeGreaterThan(red[1] + 40);
  await expect
    .poll(async () => {
      const frames = () => page.evaluate(() => (window as any).stage.frames as number);
      const before = await frames();
      await page.waitForTimeout(1500);
      return (await frames()) - before;
    })
    .toBe(0);
});

test('fill layer, colour, noise mask, hand, undo, reload: seen in pixels and kept', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const bare = await pixel(page, ...middle);
  await page.getByRole('button', { name: '+ Fill layer' }).click();
  await expect(page.getByRole('heading', { name: /Mask of Coat/ })).toBeVisible();
  const hex = page.getByLabel('base color as hex');
  await hex.fill('#1040e0');
  await hex.press('Enter');
  await expect.poll(async () => (await pixel(page, ...middle))[2] - (await pixel(page, ...middle))[0]).toBeGreaterThan(40);
  await settled(page);
  const blue = await pixel(page, ...middle);
  expect(apart(blue, bare)).toBeGreaterThan(40);

  await page.getByRole('button', { name: '+ Step' }).click();
  await page.getByRole('button', { name: /^Noise source/ }).click();
  await expect(page.getByRole('article', { name: 'Noise' })).toBeVisible();
  await settled(page);
  await expect.poll(async () => apart(await pixel(page, ...middle), blue)).toBeGreaterThan(8);
  await page.getByRole('button', { name: '+ Step' }).click();
  await page.getByRole('button', { name: /^Even grey source/ }).click();
  await expect(page.getByRole('article', { name: 'Even grey' })).toBeVisible();
  await page.getByLabel('Blend mode').last().selectOption('normal');
  await expect.poll(async () => apart(await pixel(page, ...middle), blue)).toBeLessThan(4);

  // the hand step above the generated ones hides the coat where it paints
  await page.getByRole('button', { name: '+ Step' }).click();
  await page.getByRole('button', { name: /^Hand source/ }).click();
  await page.getByRole('button', { name: 'Paint here' }).click();
  await type(page, 'Brush size', '120');
  await stroke(page, [0.47, 0.6], [0.53, 0.64]);
  await expect(page.getByText('1 stroke', { exact: true })).toBeVisible();
  await settled(page);
  const painted = await pixel(page, ...middle);
  expect(apart(painted, blue)).toBeGreaterThan(30);
  await page.keyboard.press('Control+z');
  await expect(page.getByText('0 strokes')).toBeVisible();
  await settled(page);
  expect(apart(await pixel(page, ...middle), blue)).toBeLessThan(4);
  await page.keyboard.press('Control+Shift+z');
  await expect(page.getByText('1 stroke', { exact: true })).toBeVisible();
  await settled(page);

  await page.reload();
  await settled(page);
  expect(apart(await pixel(page, ...middle), painted)).toBeLessThan(6);
  await expect(page.getByRole('heading', { name: /Mask of/ })).toBeVisible();
  await page.getByRole('button', { name: 'Ledger' }).click();
  await expect(page.getByRole('dialog', { name: 'Ledger' })).toContainText('base color #');
  await page.getByRole('button', { name: 'Close' }).click();
  await page.getByRole('button', { name: 'Delete', exact: true }).click();
  await settled(page);
  expect(apart(await pixel(page, ...middle), bare)).toBeLessThan(6);
});

test('a paint layer takes colour on the model and on the flat sheet, and erases', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await expect(page.getByRole('region', { name: 'Brush' })).toContainText('paint · base color');
  const color = page.getByLabel('Brush color as hex');
  await color.fill('#20d040');
  await color.press('Enter');
  await type(page, 'Brush size', '90');
  await settled(page);
  await stroke(page, [0.45, 0.62], [0.55, 0.62]);
  await settled(page);
  const green = await pixel(page, ...middle);
  expect(green[1]).toBeGreaterThan(green[0] + 40);
  const box = (await canvas(page).boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + box.height * 0.62);
  await expect(page.getByText(/Paint \d+ · paint · base color · 100 %/)).toBeVisible();
  await page.getByRole('button', { name: 'Erase' }).click();
  await stroke(page, [0.45, 0.62], [0.55, 0.62]);
  await settled(page);
  expect(apart(await pixel(page, ...middle), green)).toBeGreaterThan(40);

  await page.getByRole('button', { name: 'Flat' }).click();
  await page.getByRole('button', { name: 'Brush', exact: true }).click();
  await page.waitForTimeout(600);
  const spot = await page.evaluate(() => {
    const s = (window as any).stage;
    for (let y = 0.3; y < 0.8; y += 0.02) for (let x = 0.35; x < 0.65; x += 0.02) if (s.pick(x * s.canvas.clientWidth, y * s.canvas.clientHeight)) return [x, y];
  });
  const before = await pixel(page, ...(spot as [number, number]));
  // what the brush would reach is drawn round the pointer, here too
  const pointer = [box.width * spot![0], box.height * spot![1]];
  await page.mouse.move(box.x + pointer[0], box.y + pointer[1]);
  const outline = page.locator('svg.over path:not(.halo)').last();
  await expect(outline).toHaveAttribute('d', /^M.+L/);
  const reach = await outline.evaluate((p: SVGPathElement) => {
    const { x, y, width, height } = p.getBBox();
    return { x, y, width, height };
  });
  expect(reach.x < pointer[0] && pointer[0] < reach.x + reach.width && reach.y < pointer[1] && pointer[1] < reach.y + reach.height, JSON.stringify([reach, pointer])).toBe(true);
  await stroke(page, spot as [number, number], [spot![0] + 0.005, spot![1]]);
  await settled(page);
  expect(apart(await pixel(page, ...(spot as [number, number])), before)).toBeGreaterThan(25);
});

test('a stroke that can hit nothing is refused with a remedy', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.getByText('Weed at the foot', { exact: true }).click();
  await page.getByRole('button', { name: 'Brush', exact: true }).click();
  await expect(page.getByRole('status')).toContainText('without a hand step');
  await page.getByRole('button', { name: 'Add a hand step' }).click();
  await expect(page.getByRole('region', { name: 'Brush' })).toContainText('Weed at the foot · mask · hand · hides');
});

test('layers: amount, hide, double, move, rename, delete; drill and mask alone', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.getByText('White band', { exact: true }).click();
  const band: [number, number] = [0.575, 0.255];
  const white = await pixel(page, ...band);
  await page.getByRole('button', { name: 'Hide White band' }).click();
  await settled(page);
  expect(apart(await pixel(page, ...band), white)).toBeGreaterThan(30);
  await page.getByRole('button', { name: 'Show White band' }).click();
  await settled(page);
  await page.getByRole('button', { name: 'Double' }).click();
  await expect(page.getByText('White band copy', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Move outward' }).click();
  await settled(page); // its row is elsewhere now
  await page.getByText('White band copy', { exact: true }).dblclick();
  const name = page.getByLabel('Layer name');
  await name.fill('Second band');
  await name.press('Enter');
  await expect(page.getByText('Second band', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Delete', exact: true }).click();
  await expect(page.getByText('Second band', { exact: true })).toHaveCount(0);
  await page.getByText('White band', { exact: true }).click();

  await page.keyboard.down('m');
  await expect(page.getByText('mask alone')).toBeVisible();
  await expect.poll(async () => (await pixel(page, ...band))[0]).toBeGreaterThan(200);
  await page.keyboard.up('m');
  await page.getByRole('button', { name: 'Drill' }).click();
  const box = (await canvas(page).boundingBox())!;
  await page.mouse.click(box.x + box.width * band[0], box.y + box.height * band[1]);
  await expect(page.getByRole('region', { name: 'Core sample' })).toContainText('Post · Cast iron');
});

test('order by dragging, and a pen whose pressure is felt', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const names = () => page.locator('ol[aria-label^=Layers] .name').allInnerTexts();
  const before = await names();
  const [high, low] = [before.indexOf('Weed at the foot'), before.indexOf('Tar paint')];
  await page.locator('li', { hasText: 'Tar paint' }).first().dragTo(page.locator('li', { hasText: 'Weed at the foot' }).first());
  const moved = before.filter((_, i) => i !== low);
  moved.splice(high, 0, 'Tar paint');
  await expect.poll(names).toEqual(moved);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect.poll(names).toEqual(before);

  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await expect(page.getByRole('region', { name: 'Brush' })).toContainText('paint · base color');
  await settled(page);
  const sent = page.waitForEvent('console', (m) => m.text().startsWith('pressure'));
  await page.evaluate(() => {
    const send = WebSocket.prototype.send;
    WebSocket.prototype.send = function (data) {
      const m = JSON.parse(String(data));
      if (m.t === 'stroke.add') console.log('pressure ' + m.points[6]);
      send.call(this, data);
    };
    const c = document.querySelector<HTMLCanvasElement>('canvas[data-settled]')!;
    const r = c.getBoundingClientRect();
    const pen = { pointerType: 'pen', pointerId: 1, isPrimary: true, bubbles: true, button: 0, buttons: 1, clientX: r.left + r.width / 2, clientY: r.top + r.height * 0.62 };
    c.setPointerCapture = c.releasePointerCapture = () => {};
    c.dispatchEvent(new PointerEvent('pointerdown', { ...pen, pressure: 0.25 }));
    c.dispatchEvent(new PointerEvent('pointerup', { ...pen, buttons: 0, pressure: 0 }));
  });
  expect((await sent).text()).toBe('pressure 0.25');
  await expect.poll(async () => (await page.getByRole('button', { name: 'Undo' }).getAttribute('title')) ?? '').toContain('stroke');
});

test('two windows on one project show each other’s changes', async ({ page, context }) => {
  await openProject(page, 'Mooring bollard');
  const other = await context.newPage();
  await openProject(other, 'Mooring bollard');
  await expect(page.getByText(/2 windows/)).toBeVisible();
  await other.getByRole('button', { name: '+ Fill layer' }).click();
  const title = await other.getByRole('heading', { name: /Mask of Coat/ }).innerText();
  await expect(page.getByText(title.replace('Mask of ', ''), { exact: true })).toBeVisible();
});

test('deliver: table, files, and a GLB without errors or warnings', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.getByRole('button', { name: 'Deliver', exact: true }).click();
  await page.getByLabel('size').selectOption('512');
  const side = page.getByRole('complementary', { name: 'Deliver' });
  await expect(page.getByRole('region', { name: 'What will be written' })).toContainText('Mooring_bollard_Cast_iron_orm.png');
  await side.getByRole('button', { name: 'Deliver', exact: true }).click();
  await side.getByText('5 files', { exact: true }).click({ timeout: 300_000 });
  const link = page.getByRole('link', { name: /Mooring_bollard\.glb/ });
  await expect(link).toBeVisible({ timeout: 300_000 });
  const [file] = await Promise.all([page.waitForEvent('download'), link.click()]);
  const report = await validateBytes(new Uint8Array(readFileSync(await file.path())));
  expect(report.issues.messages.filter((m: { severity: number }) => m.severity < 2)).toEqual([]);
  expect(report.info.totalTriangleCount).toBeGreaterThan(5000);
  expect(report.info.resources.filter((r: { mimeType?: string }) => r.mimeType === 'image/png').length).toBe(3);
});

test('a model that is given before the page knows what else is being read is opened all the same', async ({ page }) => {
  let known = () => {};
  const sent = new Promise<void>((f) => (known = f));
  await page.route('**/api/imports', async (r) => {
    if (r.request().method() !== 'GET') return r.continue();
    const response = await r.fetch(); // older than what is sent now
    await sent;
    await page.waitForTimeout(100); // the page has heard of its job
    await r.fulfill({ response });
  });
  page.on('response', (r) => r.request().method() === 'POST' && r.status() < 300 && known());
  await page.goto('/');
  const obj = 'o Plank\nv -1 0 -1\nv 1 0 -1\nv 1 0 1\nv -1 0 1\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 4/4 3/3 2/2 1/1\n';
  await page.getByTestId('chooser').setInputFiles({ name: 'plank.obj', mimeType: 'text/plain', buffer: Buffer.from(obj) });
  await expect(page).toHaveURL(/#\/project\//);
  await page.unroute('**/api/imports');
  await page.getByRole('link', { name: 'Velvet Grime' }).click();
  await page.getByRole('button', { name: 'Delete plank' }).click();
  await expect(page.getByText('was deleted')).toBeVisible();
});

test('projects: create from an OBJ, a broken file is refused, rename, delete, bring back', async ({ page }) => {
  await page.goto('/');
  await page.getByTestId('chooser').setInputFiles({ name: 'broken.glb', mimeType: 'model/gltf-binary', buffer: Buffer.from('glTF\x02\0\0\0\xff\xff\0\0') });
  await expect(page.getByRole('alert')).toContainText('broken.glb');
  const obj = 'o Slab\nv -1 0 -1\nv 1 0 -1\nv 1 0 1\nv -1 0 1\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nusemtl Quay stone\nf 4/4 3/3 2/2 1/1\n';
  await page.getByTestId('chooser').setInputFiles({ name: 'slab.obj', mimeType: 'text/plain', buffer: Buffer.from(obj) });
  await settled(page);
  await page.getByRole('button', { name: 'Prepare' }).click();
  await expect(page.getByText('Quay stone').first()).toBeVisible();
  await page.getByRole('link', { name: 'Velvet Grime' }).click();
  await page.getByRole('button', { name: 'Rename slab' }).click();
  await page.getByRole('textbox', { name: 'Name' }).fill('Quay slab');
  await page.getByRole('dialog').getByRole('button', { name: 'Rename' }).click();
  await page.getByRole('button', { name: 'Delete Quay slab' }).click();
  await expect(page.getByRole('link', { name: 'Open Quay slab' })).toHaveCount(0);
  await page.getByRole('button', { name: 'Bring it back' }).click();
  await expect(page.getByRole('link', { name: 'Open Quay slab' })).toBeVisible();
  // the bin keeps it until it expires, and no longer when one says so
  await page.getByRole('button', { name: 'Delete Quay slab' }).click();
  await page.getByRole('link', { name: 'Bin', exact: true }).click();
  const line = page.getByRole('listitem').filter({ hasText: 'Quay slab' });
  const year = new Date(Date.now() + 30 * 86_400_000).getFullYear();
  await expect(line).toContainText(`goes for good on`);
  await expect(line).toContainText(String(year));
  expect(await serious(page)).toEqual([]);
  await page.getByRole('button', { name: 'Bring Quay slab back' }).click();
  await expect(page.getByRole('status')).toContainText('Quay slab');
  await page.getByRole('link', { name: 'All projects' }).click();
  await page.getByRole('button', { name: 'Delete Quay slab' }).click();
  await page.getByRole('link', { name: 'Open the bin' }).click();
  await page.getByRole('button', { name: 'Delete Quay slab for good' }).click();
  const keep = page.getByRole('dialog').getByRole('button', { name: 'Keep it' });
  const forGood = page.getByRole('button', { name: 'Delete Quay slab for good', includeHidden: true });
  await keep.click();
  await expect(line).toBeVisible();
  await expect(page.getByRole('dialog')).toHaveCount(0);
  // one that closes takes none with it that is opened meanwhile
  for (const wait of [0, 90, 105]) {
    await forGood.evaluate((b: HTMLElement) => b.click());
    await keep.evaluate(async (b: HTMLElement, wait) => {
      b.click();
      await new Promise((done) => setTimeout(done, wait));
      document.querySelector<HTMLElement>('[aria-label="Delete Quay slab for good"]')!.click();
    }, wait);
    await page.waitForTimeout(250);
    await expect(page.getByRole('dialog')).toHaveCount(1);
    await keep.click();
    await expect(page.getByRole('dialog')).toHaveCount(0);
  }
  await page.getByRole('button', { name: 'Delete Quay slab for good' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Delete for good' }).click();
  await expect(line).toHaveCount(0);
});

test('axe finds nothing serious on the main views, light or dark', async ({ fresh: page }) => {
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  expect(await serious(page)).toEqual([]);
  await openProject(page, 'Mooring bollard');
  for (const station of ['Prepare', 'Layer', 'Judge', 'Deliver']) {
    await page.getByRole('button', { name: station, exact: true }).first().click();
    await page.waitForTimeout(500);
    expect(await serious(page), station).toEqual([]);
    expect(await narrow(page), station).toEqual([]);
  }
  await page.getByRole('button', { name: 'Layer', exact: true }).click();
  await page.getByRole('button', { name: 'Light', exact: true }).click();
  await page.waitForTimeout(500);
  expect(await serious(page), 'light').toEqual([]);
  // dialogs
  await page.getByRole('button', { name: 'Guide' }).click();
  await expect(page.getByRole('dialog')).toBeVisible();
  expect(await serious(page, 'dialog'), 'guide').toEqual([]);
  expect(await narrow(page), 'guide').toEqual([]);
  await page.getByRole('tab', { name: 'All keys' }).click();
  expect(await serious(page, 'dialog'), 'keys').toEqual([]);
  // one of the tabs is reached by Tab, the others by arrows
  const tab = (nth: number) => page.getByRole('dialog').getByRole('tab').nth(nth);
  const last = (await page.getByRole('dialog').getByRole('tab').count()) - 1;
  await tab(last).focus();
  await page.keyboard.press('Home');
  await expect(tab(0)).toBeFocused();
  await expect(tab(0)).toHaveAttribute('aria-selected', 'true');
  await page.keyboard.press('ArrowDown');
  await expect(tab(1)).toHaveAttribute('aria-selected', 'true');
  expect(await page.getByRole('dialog').getByRole('tab').evaluateAll((all) => all.map((t) => (t as HTMLElement).tabIndex).filter((t) => t === 0).length)).toBe(1);
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('ArrowUp');
  await expect(tab(last)).toBeFocused();
  await page.keyboard.press('Escape');
  // less motion, and the system's own colours: what a shadow tells is told by an outline then
  await page.emulateMedia({ reducedMotion: 'reduce', forcedColors: 'active' });
  const opens = page.getByRole('button', { name: 'Stock', exact: true });
  await opens.click();
  const stock = page.getByRole('dialog', { name: 'Stock' });
  await expect(stock).toBeFocused();
  expect(await narrow(page), 'stock').toEqual([]);
  expect(parseFloat(await stock.evaluate((e) => getComputedStyle(e).animationDuration))).toBeLessThan(0.001);
  const outline = (name: string) => page.getByRole('button', { name, exact: true }).evaluate((e) => getComputedStyle(e).outlineStyle);
  expect([await outline('Orbit'), await outline('Erase')]).toEqual(['solid', 'none']);
  // what was opened by a key is closed by one, and who opened it has the focus again
  await page.keyboard.press('Escape');
  await expect(stock).toHaveCount(0);
  await expect(opens).toBeFocused();
});

test('what a title says is told under the pointer and to who comes by keys, and the title is given back', async ({ page }) => {
  await openProject(page, 'Mooring bollard', false);
  const help = page.getByRole('button', { name: 'Guide' });
  const title = await help.getAttribute('title');
  const tip = page.getByRole('tooltip');
  await help.hover();
  await expect(tip).toHaveText(title!);
  await expect(help).not.toHaveAttribute('title', /./); // the browser's own does not come as well
  await expect(help).toHaveAccessibleDescription(title!);
  const at = (await tip.boundingBox())!;
  const of = (await help.boundingBox())!;
  expect(at.y).toBeGreaterThan(of.y + of.height - 1);
  expect(at.x + at.width).toBeLessThanOrEqual(1024);
  await page.mouse.move(500, 400);
  await expect(tip).toHaveCount(0);
  await expect(help).toHaveAttribute('title', title!);

  await page.getByRole('button', { name: /^(Light|Dark)$/ }).focus();
  await page.keyboard.press('Tab');
  await expect(help).toBeFocused();
  await expect(tip).toHaveText(title!);
  await page.keyboard.press('Escape');
  await expect(tip).toHaveCount(0);
  await expect(help).toHaveAttribute('title', title!);

  // what slides in takes the focus, and gives it back
  const ledger = page.getByRole('button', { name: 'Ledger', exact: true });
  await ledger.focus();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('dialog', { name: 'Ledger' })).toBeFocused();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog', { name: 'Ledger' })).toHaveCount(0);
  await expect(ledger).toBeFocused();
});

test('a part of the page that cannot be fetched says so, and is fetched again', async ({ fresh: page }) => {
  await page.route('**/assets/Deliver*', (r) => r.abort());
  // once refused when the page fetches ahead, and again when it is asked for
  const refused = page.waitForEvent('requestfailed', (r) => /Deliver-/.test(r.url()));
  await openProject(page, 'Landing cleat', false);
  await refused;
  await page.getByRole('button', { name: 'Deliver', exact: true }).click();
  // the panel itself has something to say of the cleat, which has no UVs
  const says = page.getByRole('alert').filter({ hasText: 'could not be fetched' });
  await expect(says).toBeVisible();
  await page.unroute('**/assets/Deliver*');
  await says.getByRole('button', { name: 'Try again' }).click();
  await expect(says).toHaveCount(0);
  await expect(page.getByRole('complementary', { name: 'Deliver' }).getByRole('button').first()).toBeVisible();
  await expect.poll(() => page.evaluate(() => [...document.styleSheets].some((s) => s.href?.includes('/Deliver-')))).toBe(true);
});

test('the part under the pointer is shown alone and framed, and all are seen again from where they were', async ({ page }) => {
  await openProject(page, 'Ferry Dunlin');
  const look = () =>
    page.evaluate(() => {
      const s = (window as any).stage;
      return { parts: [...new Set(s.meshes.filter((m: any) => m.visible).map((m: any) => m.userData.part))], eye: s.camera.position.toArray() as number[] };
    });
  const was = await look();
  expect(was.parts.length).toBeGreaterThan(8);
  // the fender, in the view's left half
  const at = await page.evaluate(() => {
    const s = (window as any).stage;
    const { width, height } = s.canvas.getBoundingClientRect();
    for (let y = 60; y < height - 40; y += 6) for (let x = 40; x < width - 40; x += 6) if (s.pick(x, y)?.part === 'Fender') return [x, y];
    return [0, 0];
  });
  const box = (await canvas(page).boundingBox())!;
  await page.mouse.move(box.x + at[0], box.y + at[1]);
  await page.keyboard.press('Shift+A');
  await settled(page);
  const alone = await look();
  expect(alone.parts).toEqual(['Fender']);
  await expect(page.getByText('Fender alone')).toBeVisible();
  // it fills the view, and what is hidden is not hit
  const share = await page.evaluate(() => {
    const s = (window as any).stage;
    const { width, height } = s.canvas.getBoundingClientRect();
    let [hit, other, n] = [0, 0, 0];
    for (let y = 5; y < height; y += 12)
      for (let x = 5; x < width; x += 12) {
        const p = s.pick(x, y)?.part;
        n++;
        if (p === 'Fender') hit++;
        else if (p) other++;
      }
    return [hit / n, other];
  });
  expect(share[0]).toBeGreaterThan(0.12);
  expect(share[1]).toBe(0);
  await page.getByRole('button', { name: 'Show all' }).click();
  await settled(page);
  const back = await look();
  expect(back.parts.length).toBe(was.parts.length);
  back.eye.forEach((v, i) => expect(v).toBeCloseTo(was.eye[i], 4));
});

test('the layers and the worktop are widened and folded away, by hand and by key, and stay so', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const wide = async () => (await canvas(page).boundingBox())!;
  const first = await wide();
  const edge = page.getByRole('separator', { name: 'Width of the side' });
  const box = (await edge.boundingBox())!;
  await page.mouse.move(box.x + 4, box.y + 200);
  await page.mouse.down();
  await page.mouse.move(box.x + 84, box.y + 200, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => first.width - (await wide()).width).toBe(80);
  await edge.focus();
  await page.keyboard.press('ArrowLeft');
  await expect.poll(async () => first.width - (await wide()).width).toBe(64);
  await edge.dblclick();
  await expect.poll(async () => (await wide()).width).toBe(first.width);
  await page.keyboard.press('Shift+S');
  await page.keyboard.press('Shift+W');
  await expect.poll(async () => Object.values(await wide()).slice(2)).toEqual([1024, 655]);
  await expect(page.getByRole('button', { name: 'Hide Bare surface' })).toBeHidden();
  await page.reload();
  await settled(page);
  expect((await wide()).width).toBe(1024);
  await page.getByRole('button', { name: 'layers ›' }).click();
  await page.getByRole('button', { name: 'worktop ▴' }).click();
  await expect.poll(wide).toEqual(first);
});

test('in a wide side the open layer has a column of its own; other stations keep a narrow one', async ({ fresh: page }) => {
  await page.addInitScript(() => localStorage.setItem('side', '700'));
  await page.setViewportSize({ width: 1700, height: 600 });
  await openProject(page, 'Landing cleat', false);
  await page.getByRole('button', { name: /^Bare surface/ }).first().click(); // not the one that hides it
  const list = (await page.getByRole('list', { name: 'Layers, outermost first' }).boundingBox())!;
  const side = (await page.getByRole('complementary', { name: 'Section' }).boundingBox())!;
  const double = page.getByRole('button', { name: 'Double' });
  const at = (await double.boundingBox())!;
  expect(side.width).toBe(700);
  expect(list.width).toBeCloseTo(350, -1);
  expect(at.x).toBeGreaterThan(list.x + list.width);
  expect(at.x + at.width).toBeLessThanOrEqual(side.x + side.width);
  // drawn narrow again, it opens in place
  const edge = page.getByRole('separator', { name: 'Width of the side' });
  await edge.dblclick();
  await expect.poll(async () => (await double.boundingBox())!.x).toBeLessThan(344);
  await edge.focus();
  for (let i = 0; i < 8; i++) await page.keyboard.press('ArrowRight');
  await page.getByRole('button', { name: 'Prepare', exact: true }).click();
  await expect.poll(async () => (await page.getByRole('complementary', { name: 'Prepare' }).boundingBox())!.width).toBe(460);
});

test('from project to project the card holds no more', async ({ page }) => {
  const held = async (name: string) => {
    await openProject(page, name);
    return page.evaluate(() => {
      const { info } = (window as any).stage.renderer;
      return [info.memory.geometries, info.memory.textures, info.programs.length] as number[];
    });
  };
  await held('Mooring bollard');
  const was = await held('Landing cleat');
  for (let i = 0; i < 2; i++) {
    await held('Mooring bollard');
    const now = await held('Landing cleat');
    now.forEach((n, k) => expect(n, `${now} after ${was}`).toBeLessThanOrEqual(was[k]));
  }
});
