// What the Layer station does with the engine's full depth, as an artist does it.
import { expect, test, type Page } from './setup';
import { addChannel, apart, canvas, change, holdable, openProject, pixel, settled, stroke, type } from './app';

const middle: [number, number] = [0.5, 0.62]; // on the bollard's post

const row = (page: Page, name: string) => page.getByRole('listitem').filter({ has: page.getByText(name, { exact: true }) });
const layer = (page: Page, name: string) => page.locator('.names').filter({ has: page.getByText(name, { exact: true }) });
const names = (page: Page) => page.locator('ol[aria-label^=Layers] .name').allInnerTexts();
const button = (page: Page, name: string | RegExp) => page.getByRole('button', { name, exact: true });

async function point(page: Page, at: [number, number]) {
  const box = (await canvas(page).boundingBox())!;
  await page.mouse.click(box.x + box.width * at[0], box.y + box.height * at[1]);
}

async function addStep(page: Page, kind: string) {
  await button(page, '+ Step').click();
  await page.getByLabel('Find a step').fill(kind);
  await page.getByLabel('Find a step').press('Enter');
}

async function newFill(page: Page, hex = '#1040e0') {
  const before = new Set(await names(page));
  await button(page, '+ Fill layer').click();
  await expect(page.getByRole('heading', { name: /^Mask of Coat/ })).toBeVisible();
  const field = page.getByLabel('base color as hex');
  await field.fill(hex);
  await field.press('Enter');
  await settled(page);
  return (await names(page)).find((n) => !before.has(n))!;
}

test('several layers are grouped, folded, isolated, alone, locked, moved and taken back', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const start = await names(page);
  const shaded = await pixel(page, ...middle);
  await layer(page, 'Rust').click();
  await layer(page, 'Weed at the foot').click({ modifiers: ['Control'] });
  await expect(page.getByText('2 layers selected')).toBeVisible();
  await page.keyboard.press('b');
  const group = page.getByRole('heading', { name: /^Mask of Group/ });
  await expect(group).toBeVisible();
  const name = (await group.innerText()).replace('Mask of ', '');
  await expect.poll(() => names(page)).toContain(name);
  await settled(page);
  expect(apart(await pixel(page, ...middle), shaded)).toBeLessThan(4); // a group that is not isolated changes nothing
  await button(page, `Fold ${name}`).click();
  expect(await names(page)).not.toContain('Rust');
  await button(page, `Unfold ${name}`).click();
  await page.getByLabel('isolated').check();
  await page.getByLabel('Blend mode of the group').selectOption('multiply');
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /blend normal → multiply/);
  await group.click(); // the list would take the keys

  await page.keyboard.press('k');
  await expect(layer(page, name)).toContainText('locked');
  await layer(page, 'Rust').click();
  await page.keyboard.press('Delete');
  await expect(page.getByRole('alert')).toContainText('is locked; unlock it');
  await button(page, 'Close').click();
  await layer(page, name).click();
  await page.keyboard.press('k');
  await page.keyboard.press('a');
  await expect(page.locator('.hint')).toContainText(`${name} alone`);
  await settled(page);
  expect(apart(await pixel(page, ...middle), shaded)).toBeGreaterThan(12);
  await button(page, 'Show all').click();

  await page.keyboard.press('Control+d');
  await expect.poll(() => names(page)).toContain(`${name} copy`);
  await page.keyboard.press('Delete');
  await expect.poll(() => names(page)).not.toContain(`${name} copy`);
  await layer(page, 'Rust').click();
  const inner = async () => (await names(page)).filter((n) => n === 'Rust' || n === 'Weed at the foot');
  const before = await inner();
  await page.keyboard.press('Alt+ArrowUp');
  await expect.poll(inner).toEqual(before.reverse());
  for (let i = 0; i < 9 && (await names(page)).join() !== start.join(); i++) {
    await page.keyboard.press('Control+z');
    await page.waitForTimeout(250);
  }
  expect(await names(page)).toEqual(start);
  await settled(page);
  expect(apart(await pixel(page, ...middle), shaded)).toBeLessThan(4);
});

test('layers are found by name, channel and part', async ({ page }) => {
  await openProject(page, 'Signal lantern', false);
  const find = page.getByLabel('Find layers');
  await find.fill('enamel');
  await expect.poll(() => names(page)).toContain('Rust');
  expect(await names(page)).not.toContain('Tarred rope');
  await find.fill('opacity');
  await expect.poll(() => names(page)).toEqual(['Panes', 'Salt and soot on glass', 'Glass']);
  await find.press('Escape');
  await expect.poll(() => names(page)).toContain('Chalk tally');
});

test('a channel is made of a stream: noise, ramp, a colour of the ramp; values are seen in pixels', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const name = await newFill(page);
  const blue = await pixel(page, ...middle);
  await button(page, 'base color: make it of a stream').click();
  await expect(page.getByRole('heading', { name: `base color of ${name}` })).toBeVisible();
  await settled(page);
  expect(apart(await pixel(page, ...middle), blue)).toBeGreaterThan(20);
  await addStep(page, 'Ramp');
  await expect(page.getByRole('article', { name: 'Ramp' })).toBeVisible();
  for (const stop of ['Stop 1 at 0 %', 'Stop 2 at 100 %']) {
    await button(page, stop).click();
    const hex = page.getByLabel('colour of the stop as hex');
    await hex.fill('#20c020');
    await hex.press('Enter');
  }
  await settled(page);
  const green = await pixel(page, ...middle);
  expect(green[1]).toBeGreaterThan(green[0] + 30);
  await page.getByRole('group', { name: 'ramp' }).locator('.bar').click({ position: { x: 40, y: 8 } });
  await expect(page.getByRole('group', { name: 'ramp' }).getByRole('button', { name: /^Stop/ })).toHaveCount(3);
  // card pictures of a colour stream are in colour
  const coloured = await page.getByRole('article', { name: 'Ramp' }).locator('canvas').evaluate((c: HTMLCanvasElement) => {
    const d = c.getContext('2d')!.getImageData(c.width / 2, c.height / 2, 1, 1).data;
    return d[1] - d[0];
  });
  expect(coloured).toBeGreaterThan(60);
  await button(page, 'base color: one value').click();
  await settled(page);
  expect(apart(await pixel(page, ...middle), blue)).toBeLessThan(4);
});

test('a mask of six steps: curve, warp with a stream inside, blur, follow, a bundle; order by dragging', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const name = await newFill(page);
  await addStep(page, 'Noise');
  await addStep(page, 'Curve');
  const curve = page.getByRole('article', { name: 'Curve' });
  await curve.getByRole('button', { name: /^Point 2/ }).focus();
  for (let i = 0; i < 6; i++) await page.keyboard.press('ArrowUp');
  await expect(curve.getByRole('button', { name: 'Point 2: 50 % becomes 62 %' })).toBeVisible();
  await addStep(page, 'Warp');
  await page.getByRole('button', { name: 'pushed by: 1 step …' }).click();
  await expect(page.getByRole('article', { name: 'Noise' })).toHaveCount(1);
  await addStep(page, 'Posterize');
  await page.getByRole('heading').filter({ hasText: `Mask of ${name}` }).waitFor();
  await page.getByRole('tab', { name: 'mask' }).click();
  await addStep(page, 'Blur');
  await page.getByRole('article', { name: 'Blur' }).getByRole('button', { name: 'Blur', exact: true }).click();
  await page.getByRole('button', { name: 'Noise', exact: true }).click();
  await addStep(page, 'Follow');
  await page.getByRole('article', { name: 'Follow' }).getByLabel('layer').selectOption({ label: 'Rust' });
  await page.getByRole('article', { name: 'Follow' }).getByLabel('reads').selectOption('mask');
  await addStep(page, 'Bundle');
  const cards = () => page.locator('.cards article').evaluateAll((all) => all.map((a) => a.getAttribute('aria-label')));
  await expect.poll(cards).toEqual(['Noise', 'Follow', 'Bundle', 'Curve', 'Warp', 'Blur']);
  await settled(page);
  await page.getByRole('button', { name: 'Switch off Follow' }).dragTo(page.getByRole('group', { name: 'Step 1' }));
  await expect.poll(cards).toEqual(['Follow', 'Noise', 'Bundle', 'Curve', 'Warp', 'Blur']);
  await page.getByRole('article', { name: 'Follow' }).getByRole('button', { name: 'Follow', exact: true }).click();
  await page.getByRole('article', { name: 'Follow' }).getByLabel('layer').selectOption({ label: name });
  await expect(page.getByRole('alert')).toContainText(`"${name}" would follow itself`);
  await expect(page.getByRole('article', { name: 'Follow' }).getByLabel('layer').locator('option:checked')).not.toHaveText(name); // what was refused is not shown
});

test('the reach is picked on the model: parts, islands, faces', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await newFill(page);
  const blue = await pixel(page, ...middle);
  await button(page, 'pick on the model').click();
  await point(page, middle);
  const reach = page.getByRole('group', { name: /^Reach of Coat/ });
  await expect(reach).toContainText('Post');
  await settled(page);
  expect(apart(await pixel(page, ...middle), blue)).toBeLessThan(4);
  await point(page, middle);
  await expect(reach).toContainText('whole model');
  await page.getByLabel('A click picks').selectOption('face');
  await point(page, middle);
  await expect(reach).toContainText('1 face');
  await settled(page);
  await page.getByLabel('A click picks').selectOption('island');
  await point(page, middle);
  await expect(reach).toContainText('island');
  await page.getByRole('button', { name: /Take .*1 face off/ }).click();
  await expect(reach).not.toContainText('1 face');
  await page.getByLabel('Add to the reach').selectOption('sheet Cast iron');
  await expect(reach).toContainText('Cast iron');
});

test('quick changes of one thing all count while the line stalls, and are seen at once; they are undone one by one', async ({ fresh: page }) => {
  const line = await holdable(page);
  await openProject(page, 'Mooring bollard');
  await newFill(page);
  const reach = page.getByRole('group', { name: /^Reach of Coat/ });
  const add = page.getByLabel('Add to the reach');
  line.hold();
  await add.selectOption('part Post');
  await add.selectOption('part Horns');
  await add.selectOption('sheet Cast iron');
  await page.getByRole('button', { name: 'Take part Horns off the reach' }).click();
  await expect(reach).toContainText(/Post.*Cast iron/);
  await expect(reach).not.toContainText(/part\s*Horns/);
  expect(line.waiting).toBeGreaterThan(3);
  line.letGo();
  await settled(page);
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /reach changed/);
  const kept = async () => {
    const doc = await (await page.request.get(`/api/projects/${/project\/([^/]+)/.exec(page.url())![1]}/document`)).json();
    return doc.layers.at(-1).reach;
  };
  expect(await kept()).toEqual({ parts: ['Post'], sheets: ['Cast iron'] });
  await expect(reach).toContainText(/Post.*Cast iron/);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(reach).toContainText(/part\s*Horns/);
  expect(await kept()).toEqual({ parts: ['Post', 'Horns'], sheets: ['Cast iron'] });
});

test('the colour picker takes the channel’s value from the model, not the shaded colour', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await newFill(page, '#c84020');
  await newFill(page, '#808080');
  await button(page, 'Alone').click();
  await button(page, 'Show all').click();
  await page.getByLabel(/^Hide Coat/).first().click(); // the first one shows again below it
  await settled(page);
  await page.getByRole('button', { name: 'base color', exact: true }).click();
  await expect(page.getByRole('dialog')).toBeVisible();
  await button(page, 'Take from the model').click();
  await point(page, middle);
  await expect(page.getByLabel('base color as hex')).toHaveValue('#c84020');
  await button(page, 'sRGB-encoded').click();
  await expect(page.getByRole('dialog').getByRole('slider', { name: 'red' })).toHaveAttribute('aria-valuetext', /^0\.58/); // 200/255 as linear light
});

test('the core sample tells each layer’s part, its steps on demand, and leads to the layer', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.keyboard.press('d');
  await point(page, middle);
  const sample = page.getByRole('region', { name: 'Core sample' });
  await expect(sample).toContainText('Post · Cast iron');
  await sample.getByRole('button', { name: 'all layers' }).click();
  await sample.getByRole('button', { name: 'Steps of Tar paint' }).click();
  await expect(sample).toContainText('reach and mask');
  await expect(sample).toContainText(/Noise\s+0\.\d\d/);
  await sample.getByRole('button', { name: 'White band', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'Mask of White band' })).toBeVisible();
});

test('the ledger: a drag is one entry, marks, a jump back, a branch, and the newer again', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await layer(page, 'White band').click();
  await button(page, 'Ledger').click();
  const ledger = page.getByRole('dialog', { name: 'Ledger' });
  await expect.poll(() => page.evaluate(() => (window as any).stage.covered)).toBe(380); // the model moved over for it
  const count = () => ledger.getByRole('listitem').count();
  await expect(ledger.getByRole('listitem').first()).toBeVisible();
  const before = await count();
  const field = page.getByRole('slider', { name: 'roughness', exact: true });
  const box = (await field.boundingBox())!;
  await page.mouse.move(box.x + 20, box.y + 10);
  await page.mouse.down();
  for (let i = 1; i < 12; i++) await page.mouse.move(box.x + 20 + i * 4, box.y + 10);
  await page.mouse.up();
  await expect.poll(count).toBe(before + 1);
  await expect(ledger.getByRole('listitem').first()).toContainText(/White band: roughness 0\.45 → 0\.\d/);
  const changed = await field.getAttribute('aria-valuenow');
  await ledger.getByRole('listitem').first().hover();
  await ledger.getByRole('button', { name: /^Mark / }).first().click();
  await page.getByLabel('Name of the mark').fill('Rough band');
  await page.getByLabel('Name of the mark').press('Enter');
  await expect(ledger).toContainText('Rough band');

  await ledger.getByRole('button', { name: /^Go to/ }).nth(1).click();
  await expect.poll(() => field.getAttribute('aria-valuenow')).toBe('0.45');
  await expect(ledger.locator('li.branch')).toHaveCount(1);
  await type(page, 'roughness', '0.9'); // a new branch grows
  await expect.poll(() => field.getAttribute('aria-valuenow')).toBe('0.9');
  await ledger.getByRole('button', { name: 'Marks' }).click();
  await ledger.getByRole('button', { name: /^Go to/ }).first().click();
  await expect.poll(() => field.getAttribute('aria-valuenow')).toBe(changed);
  await page.keyboard.press('Escape');
  await page.getByRole('heading', { name: 'Mask of White band' }).click();
  await page.keyboard.press('Control+z'); // the jump itself is undone
  await expect.poll(() => field.getAttribute('aria-valuenow')).toBe('0.9');
  await page.reload();
  await settled(page);
  await button(page, 'Ledger').click();
  await expect(page.getByRole('dialog', { name: 'Ledger' })).toContainText('Rough band');
});

test('layers are copied to another project, with their strokes', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await newFill(page, '#20d040');
  await addStep(page, 'Hand');
  await button(page, 'Paint here').click();
  await type(page, 'Brush size', '90');
  await settled(page);
  await stroke(page, [0.45, 0.62], [0.55, 0.62]);
  await expect(page.getByText('1 stroke', { exact: true })).toBeVisible();
  await page.keyboard.press('o');
  await page.keyboard.press('Control+c');
  await expect(button(page, 'Paste')).toBeEnabled();
  const name = (await page.getByRole('heading', { name: /^Mask of/ }).innerText()).replace('Mask of ', '');
  await openProject(page, 'Signal lantern', false);
  await button(page, 'Paste').click();
  await expect(layer(page, name)).toBeVisible();
  await layer(page, name).click();
  await expect(page.getByText('1 stroke', { exact: true })).toBeVisible();
  await button(page, 'Undo').click();
  await expect(layer(page, name)).toHaveCount(0);
});

test('merging down bakes to a picture layer that looks the same, and can be undone', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await newFill(page, '#d0a020');
  await addStep(page, 'Noise');
  await newFill(page, '#2040d0');
  await addStep(page, 'Noise');
  await settled(page);
  const shaded = await pixel(page, ...middle);
  const list = await names(page);
  await button(page, 'Merge down').click();
  await expect.poll(() => names(page)).toHaveLength(list.length - 1);
  expect((await names(page))[0]).toContain('merged');
  await settled(page);
  expect(apart(await pixel(page, ...middle), shaded)).toBeLessThan(5);
  await button(page, 'Undo').click();
  await expect.poll(() => names(page)).toEqual(list);
});

test('a channel of one’s own is added, used, seen alone and deleted', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await newFill(page);
  await page.getByLabel('Add a channel').selectOption('a channel of your own …');
  await page.getByLabel('Name of the channel').fill('wetness');
  await page.getByLabel('Name of the channel').press('Enter');
  await expect(page.getByLabel('wetness on')).toBeChecked();
  await type(page, 'wetness', '0.8');
  await page.keyboard.down('9');
  await expect(page.getByText('wetness alone')).toBeVisible();
  await expect.poll(async () => (await pixel(page, ...middle))[0]).toBeGreaterThan(90);
  await page.keyboard.up('9');
  await page.getByLabel('wetness on').uncheck();
  // off the layer, then out of the project, and back
  await button(page, 'Take wetness off the layer').click();
  await expect(page.getByLabel('wetness on')).toHaveCount(0);
  const others = page.getByLabel('Add a channel');
  const gone = others.locator('optgroup option', { hasText: 'wetness' });
  await others.selectOption((await gone.getAttribute('value'))!);
  await expect(others.locator('option', { hasText: 'wetness' })).toHaveCount(0);
  await button(page, 'Undo').click();
  await addChannel(page, 'wetness');
});

test('a picture is brought in and laid from three sides', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await newFill(page);
  const blue = await pixel(page, ...middle);
  await button(page, 'base color: make it of a stream').click();
  await addStep(page, 'Picture');
  const png = await page.evaluate(async () => {
    const c = document.createElement('canvas');
    c.width = c.height = 16;
    const g = c.getContext('2d')!;
    g.fillStyle = '#e02020';
    g.fillRect(0, 0, 16, 16);
    const b = await new Promise<Blob>((r) => c.toBlob((x) => r(x!), 'image/png'));
    return [...new Uint8Array(await b.arrayBuffer())];
  });
  await page.getByLabel('Bring in a picture').setInputFiles({ name: 'plank.png', mimeType: 'image/png', buffer: Buffer.from(png) });
  await expect(page.getByRole('article', { name: 'Picture' }).getByLabel('picture', { exact: true })).toContainText('plank.png · 16 × 16');
  await settled(page);
  const red = await pixel(page, ...middle);
  expect(red[0]).toBeGreaterThan(red[2] + 40);
  expect(apart(red, blue)).toBeGreaterThan(40);
  await type(page, 'size', '900');
  await expect(page.getByRole('article', { name: 'Picture' })).toContainText('times as large as the sheet’s'.replace('’', "'"));
  await page.getByLabel('Bring in a picture').setInputFiles({ name: 'not.png', mimeType: 'image/png', buffer: Buffer.from('nothing') });
  await expect(page.getByRole('alert')).toContainText('not.png');
});

test('the size of a sheet: strokes come back sharper, and one undo brings the old size', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await newFill(page);
  await addStep(page, 'Even grey');
  await type(page, 'grey', '0.5'); // half over what lies below: there light is mixed
  await button(page, 'Prepare').click();
  await page.getByRole('button', { name: /^2 Parts/ }).click();
  await page.getByRole('combobox', { name: 'Size of Cast iron' }).selectOption('256');
  await settled(page);
  await page.getByRole('combobox', { name: 'Size of Cast iron' }).selectOption('512');
  await settled(page);
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /size 256 → 512/);
  await button(page, 'Undo').click();
  await expect(page.getByRole('button', { name: 'Redo' })).toHaveAttribute('title', /256 → 512/);
  await settled(page);
  const mixed = await pixel(page, ...middle);
  await page.getByLabel('Colours are mixed as').selectOption('linear');
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /linear light/);
  await expect.poll(async () => apart(await pixel(page, ...middle), mixed)).toBeGreaterThan(4);
});

test('the guide opens at the station’s page by ?; keys are told there, changed, refused where they are taken, and as they were', async ({ page }) => {
  await openProject(page, 'Mooring bollard', false);
  await page.keyboard.press('?');
  const guide = page.getByRole('dialog', { name: 'Guide' });
  await expect(guide.getByRole('heading', { name: 'Layer', exact: true })).toBeVisible();
  await guide.getByRole('link', { name: 'painting' }).click();
  await expect(guide.getByRole('heading', { name: 'The first stroke' })).toBeVisible();
  await guide.getByRole('tab', { name: 'All keys' }).click();
  const sheet = page.getByRole('dialog', { name: 'All keys' });
  await expect(sheet).toContainText('bind what is selected into a group');
  const key = sheet.getByRole('button', { name: 'Change the key of: erase' });
  await key.click();
  await page.keyboard.press('p'); // the brush has it
  await expect(sheet.getByRole('alert')).toContainText('taken: paint with the brush');
  await key.click();
  await page.keyboard.press('m'); // shows the mask while it is held
  await expect(sheet.getByRole('alert')).toContainText('a use of its own');
  await key.click();
  await page.keyboard.press('Shift+E');
  await expect(key).toHaveText('Shift E');
  await page.keyboard.press('Escape');
  await expect(sheet).toHaveCount(0);
  const erase = page.getByRole('button', { name: 'Erase', exact: true });
  await page.keyboard.press('e');
  await expect(erase).toHaveAttribute('aria-pressed', 'false');
  await page.keyboard.press('Shift+E');
  await expect(erase).toHaveAttribute('aria-pressed', 'true');
  await expect(erase).toHaveAttribute('title', 'erase (Shift E)');
  await page.keyboard.press('?');
  await page.getByRole('tab', { name: 'All keys' }).click();
  await sheet.getByRole('button', { name: 'All as they were' }).click();
  await expect(key).toHaveText('E');
  await page.keyboard.press('Escape');
  await page.keyboard.press('o');
  const first = await page.getByRole('heading', { name: /^Mask of/ }).innerText();
  await page.keyboard.press('ArrowDown');
  await expect(page.getByRole('heading', { name: /^Mask of/ })).not.toHaveText(first);
});

test('without a pointer: keys turn the camera while the view has the focus, and move the step whose card has it', async ({ page }) => {
  await openProject(page, 'Mooring bollard', false);
  const view = page.getByRole('application', { name: /^View/ });
  await expect.poll(() => page.evaluate(() => (window as any).stage?.controls.target.y ?? 0)).toBeGreaterThan(0.1);
  const eye = () => page.evaluate(() => (window as any).stage.camera.position.toArray() as number[]);
  const far = (a: number[]) => page.evaluate((p) => (window as any).stage.controls.target.distanceTo({ x: p[0], y: p[1], z: p[2] }) as number, a);
  const open = await page.getByRole('heading', { name: /^Mask of/ }).innerText();
  await view.focus();
  const before = await eye();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('ArrowUp');
  const turned = await eye();
  expect(Math.hypot(...turned.map((v, i) => v - before[i]))).toBeGreaterThan(0.05);
  expect(turned[1]).toBeGreaterThan(before[1]);
  expect(await far(turned)).toBeCloseTo(await far(before), 4);
  await page.keyboard.press('+');
  expect(await far(await eye())).toBeCloseTo((await far(before)) / 1.1, 4);
  await expect(page.getByRole('heading', { name: /^Mask of/ })).toHaveText(open); // the layers' own keys wait
  await layer(page, 'White band').click();
  const cards = page.locator('.cards article');
  const names = () => cards.evaluateAll((l) => l.map((c) => c.getAttribute('aria-label')));
  const was = await names();
  await cards.nth(0).getByRole('button', { name: /^Switch/ }).focus();
  await page.keyboard.press('Control+ArrowRight');
  await expect.poll(names).toEqual([was[1], was[0], ...was.slice(2)]);
  await expect(cards.nth(1).getByRole('button', { name: /^Switch/ })).toBeFocused(); // it went along
  await page.keyboard.press('Control+ArrowLeft');
  await expect.poll(names).toEqual(was);
});

test('a new project shows a way in; its cards go when they were used or put away', async ({ page }) => {
  await openProject(page, 'Landing cleat', false);
  const way = page.getByRole('region', { name: 'A way in' });
  await expect(way.getByRole('article')).toHaveCount(3);
  await way.getByRole('button', { name: 'Unwrap' }).click();
  await expect(way).toContainText('Bake its maps'); // it has UVs now
  await expect(way).not.toContainText('Unwrap it');
  await way.getByRole('button', { name: 'Look' }).click();
  await expect(page.getByRole('complementary', { name: 'Prepare' })).toBeVisible();
  await page.getByRole('button', { name: 'Layer', exact: true }).click();
  await expect(way).not.toContainText('Look the model over');
  await way.getByRole('button', { name: 'Put away' }).click();
  await expect(way).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo', exact: true }).click(); // it has no UVs again
});

test('a layer is dragged into a group, directions are chosen, and values are taken from the flat sheet', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await layer(page, 'White band').click();
  await button(page, 'Group').click();
  const title = page.getByRole('heading', { name: /^Mask of Group/ });
  await expect(title).toBeVisible();
  const name = (await title.innerText()).replace('Mask of ', '');
  await layer(page, 'Salt and droppings').click(); // the group's row is closed and small: a drop on its middle goes into it
  await row(page, 'Tar paint').first().dragTo(layer(page, name));
  await expect(layer(page, name)).toContainText('2 layers');
  await button(page, 'Undo').click();
  await expect(layer(page, name)).toContainText('1 layer');

  await page.locator('.names').first().click(); // so that nothing covers the new one
  const made = await newFill(page, '#30a050');
  await addStep(page, 'Noise');
  await addStep(page, 'Directional');
  await page.getByRole('article', { name: 'Directional blur' }).getByLabel('direction', { exact: true }).selectOption('east');
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /smear direction/);
  await page.getByRole('slider', { name: 'direction: around' }).focus();
  await page.keyboard.press('ArrowUp');
  await expect(page.getByRole('article', { name: 'Directional blur' }).getByLabel('direction', { exact: true })).toHaveValue('other');
  // towards the light: it stands above the horizon
  await page.getByRole('article', { name: 'Directional blur' }).getByLabel('direction', { exact: true }).selectOption('the light');
  await expect.poll(async () => Number(await page.getByRole('slider', { name: 'direction: above the horizon' }).getAttribute('aria-valuenow'))).toBeGreaterThan(10);
  await button(page, 'Delete Directional blur').click();
  await button(page, 'Noise').click();
  await button(page, 'Delete Noise').click();
  await expect(page.getByText('shows everywhere')).toBeVisible();

  await button(page, '+ Paint layer').click();
  await expect(page.getByRole('region', { name: 'Brush' })).toBeVisible();
  await button(page, 'Flat').click();
  await page.waitForTimeout(800);
  const spot = (await page.evaluate(() => {
    const s = (window as any).stage;
    for (let y = 0.3; y < 0.8; y += 0.02) for (let x = 0.35; x < 0.65; x += 0.02) if (s.pick(x * s.canvas.clientWidth, y * s.canvas.clientHeight)) return [x, y];
  })) as [number, number];
  await page.keyboard.press('t');
  await expect(page.getByText(/take the brush’s values from the model/)).toBeVisible();
  await point(page, spot);
  await expect(page.getByLabel('Brush color as hex')).toHaveValue('#30a050');
  expect(await names(page)).toContain(made);
});

test('a step that fails says why on its card and on no other, and the rest of the stack is there', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const before = await pixel(page, ...middle);
  const name = await newFill(page, '#1040e0');
  await expect.poll(async () => apart(before, await pixel(page, ...middle))).toBeGreaterThan(30);
  const blue = await pixel(page, ...middle);
  const id = await page.locator('.row.open').getAttribute('data-layer');
  await change(page, {
    kind: 'step.add', target: id, path: 'mask', index: -1,
    newStep: { id: 'gone', kind: 'picture', on: true, amount: 1, blend: 'normal', params: { picture: 'no-such-picture.png' } },
  });
  const card = page.getByRole('article', { name: /Picture/i });
  await expect(card).toContainText('no-such-picture.png');
  await settled(page);
  expect(await page.getByText('no-such-picture.png').count()).toBe(1);
  // what came before the step is shown, and so is all below
  expect(apart(blue, await pixel(page, ...middle))).toBeLessThan(12);
  // it is mended by switching it off, and fails again without a word more
  await card.getByRole('button', { name: /^Switch off/ }).click();
  await expect(card).not.toContainText('no-such-picture.png');
  await layer(page, name).click();
  await expect(page.locator('.failed')).toHaveCount(0);
});

test('what was painted goes on through steps: its height is turned down, and back', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await page.keyboard.press('p');
  const hex = page.getByLabel('Brush color as hex');
  await hex.fill('#d01010');
  await hex.press('Enter');
  await settled(page);
  const before = await pixel(page, 0.5, 0.45);
  await stroke(page, [0.46, 0.45], [0.54, 0.45]);
  await settled(page);
  const red = await pixel(page, 0.5, 0.45);
  expect(red[0] - red[1]).toBeGreaterThan(before[0] - before[1] + 40);
  await page.getByRole('button', { name: 'base color: steps after it' }).click();
  await expect(page.getByRole('heading', { name: /^base color of / })).toBeVisible();
  // red without saturation is grey
  await type(page, 'contrast', '0');
  await settled(page);
  const grey = await pixel(page, 0.5, 0.45);
  expect(grey[0] - grey[1]).toBeLessThan(red[0] - red[1] - 40);
  await page.getByRole('button', { name: 'base color: without steps' }).click();
  await settled(page);
  expect(apart(red, await pixel(page, 0.5, 0.45))).toBeLessThan(8);
  for (let i = 0; i < 5; i++) await page.getByRole('button', { name: 'Undo', exact: true }).click();
});
