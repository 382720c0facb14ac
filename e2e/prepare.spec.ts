// The Prepare station, as an artist goes through it.
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test, type Page } from './setup';
import { generateTangents } from 'mikktspace';
import { apart, canvas, openProject, pixel, settled, stroke } from './app';

const bin = join(import.meta.dirname, '../bin/velvetgrime');
const sample = (name: string, ...more: string[]) => {
  const file = join(mkdtempSync(join(tmpdir(), 'vg-')), `${name}.glb`);
  execFileSync(bin, ['sample', name, '-o', file, ...more]);
  return file;
};

async function prepare(page: Page, name: string) {
  await openProject(page, name);
  await page.getByRole('button', { name: 'Prepare', exact: true }).click();
  await expect(page.getByText('looking …')).toHaveCount(0);
}
const line = (page: Page, name: string) => page.getByRole('button', { name: new RegExp(`^\\d ${name} `) });
async function open(page: Page, name: string) {
  const l = line(page, name);
  if ((await l.getAttribute('aria-expanded')) !== 'true') await l.click();
}
/** A new project from a sample model, so that a test does not meet another's changes. */
async function own(page: Page, name: string) {
  await page.goto('/');
  await page.getByTestId('chooser').setInputFiles(sample(name));
  await expect(page.getByRole('button', { name: 'Prepare', exact: true })).toBeVisible();
  await settled(page);
  await page.getByRole('button', { name: 'Prepare', exact: true }).click();
  await expect(page.getByText('looking …')).toHaveCount(0);
}
const undo = (page: Page) => page.getByRole('button', { name: 'Undo', exact: true }).click();

test('a model without UVs is found, unwrapped, and has none again after undo', async ({ page }) => {
  await prepare(page, 'Landing cleat');
  await expect(line(page, 'UVs')).toContainText('has no UVs');
  await page.getByRole('button', { name: 'Find seams and unwrap' }).click();
  await expect(page.getByText(/% running|running ·/)).toBeVisible();
  await expect(line(page, 'UVs')).toContainText('every island is in its place', { timeout: 300_000 });
  await settled(page);
  await expect(page.getByRole('row', { name: /filled/ })).toContainText('%');
  await page.getByRole('button', { name: 'Checker' }).click();
  await page.waitForTimeout(1500);
  const squares = new Set<string>();
  for (const x of [0.4, 0.45, 0.5, 0.55, 0.6]) squares.add((await pixel(page, x, 0.62)).map((v) => Math.round(v / 40)).join());
  expect(squares.size).toBeGreaterThan(1);
  await undo(page);
  await expect(line(page, 'UVs')).toContainText('has no UVs', { timeout: 30_000 });
});

test('layers of a model without UVs say why nothing is seen of them, and where that is mended', async ({ page }) => {
  await openProject(page, 'Landing cleat', false);
  const says = page.getByText('No UVs yet: nothing laid on the model is seen');
  await expect(says).toHaveCount(0); // the way in says it while there is nothing yet
  await page.getByRole('button', { name: '+ Fill layer' }).click();
  await page.getByRole('button', { name: '+ Fill layer' }).click();
  await expect(says).toBeVisible();
  await says.getByRole('button', { name: 'Unwrap', exact: true }).click();
  await expect(says).toHaveCount(0, { timeout: 300_000 });
  for (let i = 0; i < 3; i++) await undo(page);
});

test('what was painted stays where it was on the surface when the UVs are made anew', async ({ page }) => {
  await own(page, 'gull');
  await expect(line(page, 'UVs')).toContainText('overlap');
  await page.getByRole('button', { name: 'Layer', exact: true }).click();
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await page.getByRole('toolbar', { name: 'Tools' }).getByRole('button', { name: 'Brush' }).click();
  const clean = await pixel(page, 0.5, 0.5);
  await stroke(page, [0.4, 0.5], [0.6, 0.5]);
  await settled(page);
  const painted = await pixel(page, 0.5, 0.5);
  expect(apart(clean, painted)).toBeGreaterThan(15);
  await page.getByRole('button', { name: 'Prepare', exact: true }).click();
  await page.getByRole('button', { name: 'Find seams and unwrap' }).click();
  await expect(line(page, 'UVs')).not.toContainText('overlap', { timeout: 300_000 });
  await page.getByRole('button', { name: 'Layer', exact: true }).click();
  await settled(page);
  expect(apart(await pixel(page, 0.5, 0.5), painted)).toBeLessThan(12);
  expect(apart(await pixel(page, 0.5, 0.42), clean)).toBeLessThan(60);
});

test('a finding shows its place', async ({ page }) => {
  await prepare(page, 'Decoy gull');
  await page.getByRole('button', { name: /pairs of islands overlap/ }).last().click();
  await page.waitForTimeout(1500);
  const [r, , b] = await pixel(page, 0.5, 0.5); // the body's two halves lie over each other
  expect(r - b).toBeGreaterThan(40);
});

test('maps are baked with progress, looked at, used in a mask, and undone', async ({ page }) => {
  await own(page, 'bollard');
  await open(page, 'Bakes');
  await page.getByRole('combobox', { name: 'Size of the maps' }).selectOption('256');
  await page.getByRole('button', { name: /^Bake \d maps/ }).click();
  await expect(page.getByRole('progressbar', { name: /^Bake ao/ })).toBeVisible();
  await expect(line(page, 'Bakes')).toContainText('every sheet is baked', { timeout: 90_000 });
  await page.getByRole('group', { name: 'Shown on the model' }).getByRole('button', { name: 'Curvature' }).click();
  await page.waitForTimeout(1500);
  const [r, g, b] = await pixel(page, 0.5, 0.5);
  expect(Math.max(r, g, b) - Math.min(r, g, b)).toBeLessThan(4); // a map is grey, whatever the light
  await page.getByRole('button', { name: 'Layer', exact: true }).click();
  await page.getByRole('button', { name: '+ Fill layer' }).click();
  await page.getByRole('button', { name: '+ Step' }).click();
  await page.getByRole('menuitem', { name: /^Baked map/ }).or(page.getByRole('button', { name: /^Baked map/ })).first().click();
  await settled(page);
  await expect(page.getByText('Baked map').first()).toBeVisible();
  await undo(page);
  await undo(page);
  await undo(page);
  await page.getByRole('button', { name: 'Prepare', exact: true }).click();
  await expect(line(page, 'Bakes')).toContainText('nothing is baked yet');
});

test('a long bake is stopped, and goes on over a reload', async ({ page }) => {
  await own(page, 'bollard');
  await open(page, 'Bakes');
  await page.getByRole('combobox', { name: 'Size of the maps' }).selectOption('2048');
  await page.getByRole('button', { name: /^Bake \d maps/ }).click();
  await page.getByRole('button', { name: 'Stop' }).click();
  await expect(page.getByRole('button', { name: 'Go on' })).toBeVisible({ timeout: 5_000 });
  await page.getByRole('button', { name: 'Go on' }).click();
  await expect(page.getByRole('progressbar')).toBeVisible();
  await page.reload();
  await settled(page);
  await page.getByRole('button', { name: 'Prepare', exact: true }).click();
  await expect(page.getByRole('progressbar')).toBeVisible({ timeout: 20_000 });
  await page.getByRole('button', { name: 'Stop' }).click();
  await expect(page.getByRole('button', { name: 'Go on' })).toBeVisible({ timeout: 5_000 });
});

test('seams are marked by loops and paths on the model, taken away, and cut', async ({ page }) => {
  await own(page, 'bollard');
  await page.getByRole('group', { name: 'What a click on the model does' }).getByRole('button', { name: 'Loop' }).click();
  const box = (await canvas(page).boundingBox())!;
  const click = (x: number, y: number) => page.mouse.click(box.x + box.width * x, box.y + box.height * y);
  const marked = page.getByText(/^\d+ marked$/);
  await expect(marked).toHaveText('0 marked');
  await click(0.5, 0.45);
  await expect(marked).not.toHaveText('0 marked');
  const loop = Number((await marked.textContent())!.split(' ')[0]);
  expect(loop).toBeGreaterThan(5);
  await page.getByRole('group', { name: 'What a click on the model does' }).getByRole('button', { name: 'Path' }).click();
  await click(0.47, 0.5);
  await page.waitForTimeout(500);
  await click(0.47, 0.6);
  await expect(marked).not.toHaveText(`${loop} marked`);
  await undo(page);
  await expect(marked).toHaveText(`${loop} marked`);
  await page.getByRole('button', { name: 'Unwrap at my seams' }).click();
  await expect(page.getByText(/running ·/)).toBeVisible();
  await expect(page.getByText(/running ·/)).toHaveCount(0, { timeout: 90_000 });
  await expect(line(page, 'UVs')).not.toContainText('overlap');
  await page.getByRole('button', { name: 'Clear' }).click();
  await expect(marked).toHaveText('0 marked');
});

test('islands are chosen, moved to a sheet of their own, and come back by undo', async ({ page }) => {
  await own(page, 'bollard');
  await page.getByRole('group', { name: 'What a click on the model does' }).getByRole('button', { name: 'Islands' }).click();
  const box = (await canvas(page).boundingBox())!;
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.45);
  await expect(page.getByText('Islands · 1 chosen')).toBeVisible();
  await page.getByRole('combobox', { name: 'Sheet to move to' }).fill('Post');
  await page.getByRole('button', { name: 'Move there' }).click();
  await expect(line(page, 'Parts')).toContainText('on 2 sheets', { timeout: 30_000 });
  await undo(page);
  await expect(line(page, 'Parts')).toContainText('on 1 sheet', { timeout: 30_000 });
});

test('sheets are split by parts and joined again, and the model is saved with its sheets as tiles', async ({ page, request }) => {
  await own(page, 'bollard');
  await page.getByRole('button', { name: 'Choose sheet Cast iron' }).click();
  await page.getByRole('button', { name: 'Split by parts' }).click();
  await expect(page.getByRole('button', { name: /^Choose sheet Cast iron \w/ }).first()).toBeVisible({ timeout: 30_000 });
  const chips = page.getByRole('button', { name: /^Choose sheet/ });
  const split = await chips.count();
  expect(split).toBeGreaterThan(1);
  await open(page, 'Model');
  await page.getByLabel('sheets as UDIM tiles').check();
  const href = (await page.getByRole('link', { name: 'Save OBJ' }).getAttribute('href'))!;
  const text = await (await request.get(href)).text();
  const tiles = new Set([...text.matchAll(/^vt (\S+) /gm)].map((m) => Math.floor(Number(m[1]) - 1e-6)));
  expect(tiles.size).toBe(split);
  expect(new Set([...text.matchAll(/^usemtl (.*)$/gm)].map((m) => m[1])).size).toBe(1);
  await open(page, 'UVs');
  for (let i = 0; i < split; i++) await chips.nth(i).click();
  await page.getByLabel('Name of the joined sheet').fill('Iron');
  await page.getByRole('button', { name: 'Join', exact: true }).click();
  await expect(chips).toHaveCount(1, { timeout: 30_000 });
  await expect(page.getByRole('button', { name: 'Choose sheet Iron' })).toBeVisible();
  await undo(page);
  await expect(chips).toHaveCount(split, { timeout: 30_000 });
});

test('of several scenes in a file one is chosen', async ({ page }) => {
  const corners = Buffer.alloc(36);
  corners.writeFloatLE(1, 12);
  corners.writeFloatLE(1, 32);
  const gltf = {
    asset: { version: '2.0' },
    scenes: [{ name: 'Tarn', nodes: [0] }, { name: 'Lamp', nodes: [1] }],
    nodes: [{ name: 'Water', mesh: 0 }, { name: 'Wick', mesh: 0 }],
    meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
    accessors: [{ bufferView: 0, componentType: 5126, count: 3, type: 'VEC3' }],
    bufferViews: [{ buffer: 0, byteLength: 36 }],
    buffers: [{ byteLength: 36, uri: `data:application/octet-stream;base64,${corners.toString('base64')}` }],
  };
  await page.goto('/');
  await page.getByTestId('chooser').setInputFiles({ name: 'two.gltf', mimeType: 'model/gltf+json', buffer: Buffer.from(JSON.stringify(gltf)) });
  await page.getByRole('dialog').getByRole('button', { name: 'Lamp' }).click();
  await expect(page.getByRole('heading', { name: 'two' })).toBeVisible();
  await page.getByRole('button', { name: 'Prepare', exact: true }).click();
  await open(page, 'Parts');
  await expect(page.getByText('Wick').first()).toBeVisible();
  await expect(page.getByText('Water')).toHaveCount(0);
});

test('a newer version of the model takes the work over', async ({ page }) => {
  await own(page, 'bollard');
  await open(page, 'Model');
  await page.getByLabel('Replace the model by a newer version').setInputFiles(sample('bollard', '--tangents'));
  await expect(page.getByText('Everything was carried over.')).toBeVisible({ timeout: 30_000 });
  await settled(page);
  await page.getByLabel('Replace the model by a newer version').setInputFiles({ name: 'broken.glb', mimeType: 'model/gltf-binary', buffer: Buffer.from('no model') });
  await expect(page.getByRole('alert')).toContainText('broken.glb');
});

test('IDs are baked, and a reach takes one of their colours', async ({ page }) => {
  await own(page, 'bollard');
  await open(page, 'ID');
  await page.getByRole('combobox', { name: 'What IDs tell apart' }).selectOption('part');
  await page.getByRole('button', { name: 'Bake IDs' }).click();
  await expect(line(page, 'ID')).toContainText('on Cast iron', { timeout: 300_000 });
  await page.getByRole('button', { name: 'Layer', exact: true }).click();
  await page.getByRole('button', { name: '+ Fill layer' }).click();
  await page.getByRole('button', { name: 'pick on the model' }).click();
  await page.getByRole('combobox', { name: 'A click picks' }).selectOption('id');
  const box = (await canvas(page).boundingBox())!;
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.45);
  await expect(page.getByRole('button', { name: /^Take ID #/ })).toBeVisible();

  // a fill covers the ID colour of the place: the column, not the plate that it stands on
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await settled(page);
  const plate = await pixel(page, 0.5, 0.8);
  await page.keyboard.press('i');
  const region = page.getByRole('region', { name: 'Brush' });
  await region.getByRole('textbox', { name: 'Brush color' }).fill('#20d040');
  await region.getByRole('textbox', { name: 'Brush color' }).press('Enter');
  await page.getByRole('combobox', { name: 'What is filled' }).selectOption('id');
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.45);
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', /stroke/);
  await settled(page);
  const [r, g] = await pixel(page, 0.5, 0.45);
  expect(g).toBeGreaterThan(r + 40);
  expect(apart(plate, await pixel(page, 0.5, 0.8))).toBeLessThan(8);
});

// No browser: the tangents in delivered files against the reference implementation.
for (const name of ['lantern', 'bollard', 'gull'])
  test(`tangents of the ${name} are those of the reference`, () => {
    const file = readFileSync(sample(name, '--tangents'));
    const head = file.readUInt32LE(12);
    const doc = JSON.parse(file.subarray(20, 20 + head).toString());
    const body = file.subarray(28 + head);
    const read = (i: number) => {
      const a = doc.accessors[i];
      const v = doc.bufferViews[a.bufferView];
      const n = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4 }[a.type as string]!;
      const size = { 5121: 1, 5123: 2, 5125: 4, 5126: 4 }[a.componentType as number]!;
      const out: number[] = [];
      for (let e = 0; e < a.count * n; e++) {
        const at = (v.byteOffset ?? 0) + (a.byteOffset ?? 0) + Math.floor(e / n) * (v.byteStride ?? n * size) + (e % n) * size;
        out.push(a.componentType === 5126 ? body.readFloatLE(at) : size === 4 ? body.readUInt32LE(at) : size === 2 ? body.readUInt16LE(at) : body[at]);
      }
      return out;
    };
    const [pos, nrm, uv, ours]: number[][] = [[], [], [], []];
    for (const mesh of doc.meshes)
      for (const p of mesh.primitives) {
        const [a, b, c, d] = ['POSITION', 'NORMAL', 'TEXCOORD_0', 'TANGENT'].map((k) => read(p.attributes[k]));
        for (const i of read(p.indices)) {
          pos.push(...a.slice(3 * i, 3 * i + 3));
          nrm.push(...b.slice(3 * i, 3 * i + 3));
          uv.push(...c.slice(2 * i, 2 * i + 2));
          ours.push(...d.slice(4 * i, 4 * i + 4));
        }
      }
    const theirs = generateTangents(new Float32Array(pos), new Float32Array(nrm), new Float32Array(uv));
    let worst = 0;
    let sameHand = 0;
    for (let i = 0; i < theirs.length; i += 4) {
      const [ax, ay, az] = [theirs[i], theirs[i + 1], theirs[i + 2]];
      const [bx, by, bz] = [ours[i], ours[i + 1], ours[i + 2]];
      const cross = Math.hypot(ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx);
      worst = Math.max(worst, (Math.atan2(cross, ax * bx + ay * by + az * bz) * 180) / Math.PI);
      // V grows downward in glTF, so the handedness is the other one
      if (ours[i + 3] === theirs[i + 3]) sameHand++;
    }
    expect(sameHand).toBe(0);
    expect(worst).toBeLessThan(0.01);
  });
