// Takes the pictures of docs/screenshots from a demo that is served:
//   node shots.mjs http://127.0.0.1:7160/ [NAME…]
// What a picture needs is made and taken back afterwards.
import { chromium } from 'playwright';
import { browser as executablePath } from './browser.mjs';

const [base, ...names] = process.argv.slice(2);
if (!base) throw new Error('say where the demo is: node shots.mjs http://127.0.0.1:7160/ [NAME…]');
const args = ['--headless', '--no-sandbox', '--use-gl=angle', '--use-angle=gl-egl', '--ignore-gpu-blocklist', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'];

const sleep = (page, ms) => page.waitForTimeout(ms);
const button = (page, name) => page.getByRole('button', { name, exact: true });

async function settled(page) {
  for (let calm = 0, n = 0; calm < 6 && n < 400; n++) {
    const on = await page.evaluate(() => document.querySelector('canvas[data-settled]')?.getAttribute('data-settled') === 'true');
    calm = on ? calm + 1 : 0;
    await sleep(page, 250);
  }
}

async function open(page, project) {
  await page.goto(base);
  await page.getByRole('link', { name: `Open ${project}` }).click();
  await page.waitForSelector('canvas[data-settled]');
  await settled(page);
  for (let i = 0; i < 400 && (await page.getByText(/running ·/).count()); i++) await sleep(page, 500);
  await settled(page);
}

/** The places of the view by shares of its size. */
async function view(page) {
  const b = await page.getByLabel('The model', { exact: true }).boundingBox();
  return (x, y) => [b.x + b.width * x, b.y + b.height * y];
}

/** Takes back what was done since the entry of the given name was the last. */
async function takeBack(page, was) {
  for (let i = 0; i < 30; i++) {
    if ((await button(page, 'Undo').getAttribute('title')) === was) return;
    await button(page, 'Undo').click();
    await sleep(page, 400);
  }
}
/** Opens a line of Prepare's checklist. */
async function check(page, name) {
  await button(page, 'Prepare').click();
  await sleep(page, 1500);
  const l = page.locator('button.line', { hasText: name }).first();
  for (let i = 0; i < 5 && (await l.getAttribute('aria-expanded')) !== 'true'; i++) {
    await l.click();
    await sleep(page, 1500); // the report opens what it finds
  }
}
const last = (page) => button(page, 'Undo').getAttribute('title');

const shots = {
  async projects(page) {
    await page.goto(base);
    await sleep(page, 1500);
    await page.screenshot({ path: '../docs/screenshots/projects.png' });
  },
  async layer(page) {
    await open(page, 'Signal lantern');
    await page.screenshot({ path: '../docs/screenshots/layer.png' });
  },
  async editor(page) {
    await open(page, 'Ferry Dunlin');
    await button(page, 'Paint over').click();
    await page.getByRole('button', { name: 'Send out' }).click();
    const link = page.getByRole('link', { name: 'Open here' }).first();
    await link.waitFor({ timeout: 200_000 });
    await page.goto(base + (await link.getAttribute('href')));
    const screen = page.locator('main canvas');
    await screen.waitFor();
    await sleep(page, 800);
    const b = await screen.boundingBox();
    const at = ([x, y]) => [b.x + b.width * x, b.y + b.height * y];
    const draw = async (...list) => {
      await page.mouse.move(...at(list[0]));
      await page.mouse.down();
      for (const p of list.slice(1)) await page.mouse.move(...at(p), { steps: 6 });
      await page.mouse.up();
    };
    const color = async (c) => {
      await page.getByRole('textbox', { name: 'Colour' }).fill(c);
      await page.keyboard.press('Enter');
      await page.getByRole('heading', { name: 'Layers' }).click();
    };
    await color('#e9e2cf');
    for (const k of '[[[') await page.keyboard.press(k);
    // a number on the hull, by hand
    await draw([0.43, 0.66], [0.482, 0.67], [0.45, 0.77]);
    await draw([0.52, 0.68], [0.5, 0.73], [0.51, 0.775], [0.53, 0.765], [0.535, 0.735], [0.505, 0.74]);
    await button(page, '+ layer').click();
    await page.getByLabel('Blend mode of Layer 1').selectOption('multiply');
    await page.keyboard.press('j');
    await draw([0.4, 0.635], [0.58, 0.675], [0.57, 0.81], [0.4, 0.775], [0.4, 0.635]);
    await page.keyboard.press('b');
    await color('#8a6a50');
    for (const k of ']]]]]]]]') await page.keyboard.press(k);
    await page.getByRole('slider', { name: 'Hardness' }).press('Home');
    for (const y of [0.67, 0.7, 0.76, 0.79]) await draw([0.4, y], [0.58, y + 0.03]);
    await page.mouse.move(...at([0.6, 0.74]));
    await sleep(page, 300);
    await page.screenshot({ path: '../docs/screenshots/editor.png' });
  },
  async slide(page) {
    await open(page, 'Ferry Dunlin');
    const was = await last(page);
    const at = await view(page);
    await button(page, '+ Paint layer').click();
    await page.keyboard.press('p');
    const choice = page.locator('select', { has: page.locator('option', { hasText: /^dunlin\.png/ }) }).first();
    await choice.selectOption({ label: await choice.locator('option', { hasText: /^dunlin\.png/ }).first().innerText() });
    const bar = page.getByRole('status', { name: 'Stencil' });
    await bar.getByRole('button', { name: 'Keep as slide' }).click();
    await sleep(page, 800);
    await page.mouse.move(...at(0.5, 0.45));
    await page.keyboard.down('z');
    for (let i = 0; i < 5; i++) await page.mouse.wheel(0, 100);
    await page.mouse.down();
    await page.mouse.move(...at(0.53, 0.5), { steps: 4 });
    await page.mouse.up();
    await page.keyboard.up('z');
    await sleep(page, 700);
    await bar.getByRole('button', { name: 'Fit' }).click();
    for (const [from, to] of [[[0.41, 0.5], [0.37, 0.44]], [[0.66, 0.5], [0.68, 0.55]]]) {
      await page.mouse.move(...at(...from));
      await page.mouse.down();
      await page.mouse.move(...at(...to), { steps: 8 });
      await page.mouse.up();
    }
    await page.getByRole('group', { name: 'Fit the picture' }).getByRole('button', { name: 'Bend' }).click();
    await settled(page);
    await page.screenshot({ path: '../docs/screenshots/slide.png' });
    await page.keyboard.press('Escape');
    await takeBack(page, was);
  },
  async bollard(page) {
    await open(page, 'Mooring bollard');
    await page.screenshot({ path: '../docs/screenshots/bollard.png' });
  },
  async ferry(page) {
    await open(page, 'Ferry Dunlin');
    await page.getByText('Lettering').first().click();
    await button(page, 'Her name').click();
    await settled(page);
    await page.screenshot({ path: '../docs/screenshots/ferry.png' });
  },
  async conditions(page) {
    await open(page, 'Mooring bollard');
    await button(page, 'Conditions').click();
    await sleep(page, 3000);
    await settled(page);
    await page.screenshot({ path: '../docs/screenshots/conditions.png' });
  },
  async lineup(page) {
    await open(page, 'Mooring bollard');
    await button(page, 'Stock').click();
    for (const name of ['Cast iron', 'Brass, salt-bitten', 'Enamel, red', 'Galvanised steel', 'Copper with verdigris']) {
      await page.getByLabel('Find a material').fill(name);
      await page.locator('.shelf .item').first().hover();
      await button(page, `Mark ${name} for a line-up`).click();
    }
    await page.getByRole('button', { name: /^Line up \d/ }).click();
    await page.waitForFunction(() => document.querySelectorAll('.lineup .cell[data-settled=true]').length === 6, null, { timeout: 600_000 });
    await sleep(page, 5000);
    await page.screenshot({ path: '../docs/screenshots/lineup.png' });
    await button(page, 'Leave').click();
  },
  async stock(page) {
    await open(page, 'Signal lantern');
    await button(page, 'Stock').click();
    await page.getByLabel('Find a material').fill('metal');
    await sleep(page, 2500);
    // one is held over the lid: it shows there before it is dropped
    const card = await page.getByRole('button', { name: 'Brass, salt-bitten', exact: true }).boundingBox();
    await page.mouse.move(card.x + card.width / 2, card.y + 30);
    await page.mouse.down();
    await page.mouse.move(card.x - 40, card.y + 40, { steps: 3 });
    const at = await view(page);
    const [x, y] = at(0.33, 0.38);
    await page.mouse.move(x, y, { steps: 4 });
    await page.mouse.move(x + 2, y);
    await sleep(page, 2500);
    await settled(page);
    await page.screenshot({ path: '../docs/screenshots/stock.png' });
    await page.keyboard.press('Escape');
    await page.mouse.up();
  },
  async judge(page) {
    await open(page, 'Signal lantern');
    await button(page, 'Judge').click();
    await page.getByRole('button', { name: 'Harbour noon' }).click();
    await page.getByLabel('background', { exact: true }).check();
    await page.getByRole('button', { name: 'Keep this view' }).click();
    await page.getByRole('button', { name: 'Keep this look' }).click();
    await sleep(page, 3000);
    await settled(page);
    await page.screenshot({ path: '../docs/screenshots/judge.png' });
    for (let i = 0; i < 2; i++) await page.getByRole('button', { name: 'Undo' }).click();
    await sleep(page, 500);
  },
  // the lantern at night, lit from inside; its glass and flame are a layer of a moment
  async still(page) {
    await open(page, 'Signal lantern');
    await button(page, 'Judge').click();
    await page.getByRole('button', { name: 'Lamp room at night' }).click();
    await sleep(page, 3000);
    await page.getByRole('button', { name: 'Stills …' }).click();
    const stills = page.getByRole('complementary', { name: 'Stills' });
    await stills.getByRole('button', { name: 'Draw a still' }).click();
    await stills.locator('article[data-state=done]').first().waitFor({ timeout: 900_000 });
    await sleep(page, 2500);
    await page.screenshot({ path: '../docs/screenshots/still.png' });
  },
  async deliver(page) {
    await open(page, 'Mooring bollard');
    await page.getByRole('button', { name: 'Deliver', exact: true }).click();
    const side = page.getByRole('complementary', { name: 'Deliver' });
    await side.getByLabel('size').selectOption('1024');
    await side.getByRole('button', { name: 'Deliver', exact: true }).click();
    await side.getByRole('button', { name: 'Look at it' }).first().click({ timeout: 240_000 });
    await page.getByText('as it should be').first().waitFor({ timeout: 120_000 });
    await settled(page);
    await sleep(page, 4000);
    await page.screenshot({ path: '../docs/screenshots/deliver.png' });
  },
  async target(page) {
    await open(page, 'Mooring bollard');
    await page.getByRole('button', { name: 'Deliver', exact: true }).click();
    await page.getByRole('link', { name: 'Target view' }).first().click();
    await page.locator('canvas[data-opened$=".glb"]').waitFor({ timeout: 120_000 });
    await sleep(page, 3000);
    await page.screenshot({ path: '../docs/screenshots/target.png' });
  },
  async 'prepare-uvs'(page) {
    await open(page, 'Decoy gull');
    await check(page, 'UVs');
    await page.getByRole('button', { name: 'Checker' }).click();
    await button(page, 'Both').click();
    await sleep(page, 3000);
    await page.screenshot({ path: '../docs/screenshots/prepare-uvs.png' });
  },
  async 'prepare-bakes'(page) {
    await open(page, 'Signal lantern');
    await check(page, 'Bakes');
    await button(page, 'Curvature').first().click();
    await sleep(page, 4000);
    await settled(page);
    await page.screenshot({ path: '../docs/screenshots/prepare-bakes.png' });
  },
  async ledger(page) {
    await open(page, 'Mooring bollard');
    await button(page, 'Ledger').click();
    await sleep(page, 1500);
    await page.screenshot({ path: '../docs/screenshots/ledger.png' });
  },
  async press(page) {
    await open(page, 'Mooring bollard');
    await button(page, 'Stamp').click();
    await sleep(page, 3500);
    await page.mouse.move(640, 640); // no tip over it
    await sleep(page, 800);
    await page.screenshot({ path: '../docs/screenshots/press.png' });
  },
  async drill(page) {
    await open(page, 'Mooring bollard');
    await button(page, 'Drill').click();
    const at = await view(page);
    await page.mouse.click(...at(0.5, 0.36));
    await sleep(page, 2500);
    await page.screenshot({ path: '../docs/screenshots/drill.png' });
  },
  async flat(page) {
    await open(page, 'Mooring bollard');
    await button(page, 'Both').click();
    await sleep(page, 2500);
    await settled(page);
    await page.screenshot({ path: '../docs/screenshots/flat.png' });
    await button(page, 'Model').click();
  },
};

const browser = await chromium.launch({ executablePath, args });
for (const name of names.length ? names : Object.keys(shots)) {
  if (!shots[name]) throw new Error(`there is no picture "${name}"; there are ${Object.keys(shots).join(', ')}`);
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.on('pageerror', (e) => console.error(`${name}: ${e.message}`));
  await shots[name](page);
  await page.close();
  console.log(name);
}
await browser.close();
