// Measures the page: a frame at rest and while the camera moves, what a raised sheet takes until
// what is seen is sharp, ten moves of a stroke, a decal that is dragged, and what lies on the card. `make bench-page`
// serves a database of its own and runs it.
import { chromium } from 'playwright';
import { browser as executablePath } from './browser.mjs';
import { spawn } from 'node:child_process';

const args = ['--headless', '--no-sandbox', '--use-gl=angle', '--use-angle=gl-egl', '--ignore-gpu-blocklist', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'];
const server = spawn('../bin/velvetgrime', ['demo', '--address', '127.0.0.1:0', '--no-bakes'], { stdio: ['ignore', 'pipe', 'inherit'] });
const base = await new Promise((found) => {
  let text = '';
  server.stdout.on('data', (b) => {
    const at = (text += b).match(/http:\/\/[0-9.:]+/);
    if (at) found(at[0]);
  });
});

/** Twenty bumped plates side by side, each with a sheet of its own. */
function plates() {
  const lines = [];
  let v = 0;
  for (let k = 0; k < 20; k++) {
    lines.push(`o Plate ${k}`, `usemtl Plate ${k}`);
    const n = 24;
    for (let i = 0; i <= n; i++)
      for (let j = 0; j <= n; j++) {
        lines.push(`v ${(k % 5) * 0.11 + i / n / 10} ${Math.floor(k / 5) * 0.11 + j / n / 10} ${Math.sin(i * 0.7) * Math.sin(j * 0.5) * 0.004}`);
        lines.push(`vt ${i / n} ${j / n}`);
      }
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++) {
        const a = v + i * (n + 1) + j + 1;
        const [b, c, d] = [a + n + 1, a + n + 2, a + 1];
        lines.push(`f ${a}/${a} ${b}/${b} ${c}/${c} ${d}/${d}`);
      }
    v += (n + 1) ** 2;
  }
  return lines.join('\n');
}

const browser = await chromium.launch({ executablePath, args });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
page.on('pageerror', (e) => console.error(e.message));
const settled = () => page.waitForSelector('canvas[data-settled="true"]', { timeout: 600_000 });

/** Gives all sheets a size, as another page would; ends when that is kept. */
const raise = (names, value) =>
  page.evaluate(
    ([names, value]) =>
      new Promise((done, failed) => {
        const id = location.hash.split('/')[2];
        const w = new WebSocket(`ws://${location.host}/api/projects/${id}/live?wait=1&actor=bench`);
        const list = names.map((target) => ({ kind: 'sheet.size', target, value }));
        const op = list.length > 1 ? { kind: 'batch', label: 'Sizes', ops: list } : list[0];
        w.onopen = () => w.send(JSON.stringify({ t: 'op', id: 1, request: `b${Math.random()}`, op }));
        w.onmessage = (e) => {
          const m = typeof e.data === 'string' ? JSON.parse(e.data) : {};
          if (m.t === 'error') failed(new Error(m.message));
          if (m.t === 'ack') (w.close(), done());
        };
      }),
    [names, value],
  );

const frames = () =>
  page.evaluate(async () => {
    const s = window.stage;
    const gl = s.renderer.getContext();
    const px = new Uint8Array(4);
    const draw = () => (s.draw(), gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, px));
    const time = (n, each) => {
      const t = performance.now();
      for (let i = 0; i < n; i++) (each(i), draw());
      return Math.round((performance.now() - t) / n);
    };
    draw();
    const rest = time(4, () => {});
    s.hurry();
    const move = (i) => (s.camera.position.x += (i % 2 ? 1 : -1) * 0.002, s.hurry(), s.controls.update());
    time(4, move);
    return { rest, moving: time(8, move) };
  });

async function strokeTime() {
  const box = await page.locator('canvas[data-settled]').boundingBox();
  const t = Date.now();
  await page.mouse.move(box.x + box.width * 0.45, box.y + box.height * 0.5);
  await page.mouse.down();
  for (let i = 0; i < 10; i++) {
    await page.mouse.move(box.x + box.width * (0.45 + 0.01 * i), box.y + box.height * 0.5);
    await page.evaluate(() => new Promise((r) => requestAnimationFrame(() => setTimeout(r))));
  }
  const ten = Date.now() - t;
  await page.mouse.up();
  return ten;
}

/** Brings the camera near. */
async function near(turns) {
  await settled();
  const box = await page.locator('canvas[data-settled]').boundingBox();
  for (let i = 0; i < turns; i++) {
    await page.mouse.move(box.x + box.width * 0.45, box.y + box.height * 0.6);
    await page.mouse.wheel(0, -200);
  }
  await page.waitForTimeout(700);
}

async function measure(what) {
  await page.waitForSelector('canvas[data-settled]');
  await settled();
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await page.waitForTimeout(500);
  await settled();
  await page.getByRole('button', { name: 'Brush', exact: true }).click();
  const names = await page.evaluate(() => window.stage.worn.list.map((s) => s.name));
  for (const size of [1024, 2048, 4096, 8192]) {
    const t = Date.now();
    await raise(names, size);
    await page.waitForTimeout(700); // until the page has looked
    await settled();
    const sharp = ((Date.now() - t) / 1000).toFixed(1);
    const f = await frames();
    await page.waitForTimeout(600);
    const ten = await strokeTime();
    await page.waitForTimeout(500);
    await settled();
    const held = await page.evaluate(() => [window.stage.worn.pages.held.length, Math.round(window.stage.worn.bytes / 2 ** 20)]);
    console.log(`| ${what} | ${size} | ${f.rest} | ${f.moving} | ${sharp} | ${ten} | ${held[0]} | ${held[1]} |`);
  }
  for (let i = 0; i < 6; i++) await page.keyboard.press('Control+z');
}

/** From a move of a decal's handle to the first tile of it that the page has, ms. */
async function decalDragged() {
  await page.waitForSelector('canvas[data-settled]');
  await settled();
  await page.getByRole('button', { name: '+ Decals' }).click();
  await page.getByLabel('Words to set').fill('QUAY 4');
  await page.getByRole('button', { name: 'Set words' }).click();
  const box = await page.locator('canvas[data-settled]').boundingBox();
  await page.mouse.click(box.x + box.width * 0.47, box.y + box.height * 0.5);
  await page.waitForTimeout(800);
  await settled();
  const grip = await page.evaluate(() => window.stage.gripsOnScreen().find((g) => g.label === 'Move'));
  await page.evaluate(() => {
    const { worn } = window.stage;
    const write = worn.write.bind(worn);
    window.moved = 0;
    window.took = [];
    worn.write = (t) => {
      write(t);
      if (window.moved) window.took.push(performance.now() - window.moved);
      window.moved = 0;
    };
    addEventListener('pointermove', () => (window.moved ||= performance.now()), true);
  });
  const at = [box.x + grip.x, box.y + grip.y];
  await page.mouse.move(...at);
  await page.mouse.down();
  let n = 0;
  for (const drawn of [true, false]) {
    await page.evaluate((drawn) => ((window.stage.asleep = !drawn), (window.took = [])), drawn);
    for (let i = 1; i <= 40; i++) {
      n++;
      await page.mouse.move(at[0] + 20 * Math.sin(n / 7), at[1] + Math.sin(n / 4) * 12);
      await page.waitForFunction(() => !window.moved, null, { polling: 10, timeout: 5000 }).catch(() => {});
      await page.waitForTimeout(120); // a hand that looks between
    }
    const ms = (await page.evaluate(() => window.took)).slice(2).sort((a, b) => a - b);
    const share = (q) => Math.round(ms[Math.min(Math.floor(ms.length * q), ms.length - 1)]);
    console.log(
      `a decal dragged on the dressed bollard at 1024, to its first tile in the page, ${drawn ? 'with' : 'without'} the page's own drawing: p50 ${share(0.5)}, p95 ${share(0.95)} ms of ${ms.length} moves`,
    );
  }
  await page.evaluate(() => (window.stage.asleep = false));
  await page.mouse.up();
  console.log('');
}

/** Frames, strokes and what the card holds, from one sheet to twenty. */
async function pages() {
  await page.waitForSelector('canvas[data-settled]');
  await near(12);
  console.log('| what | sheet | frame at rest, ms | while moving, ms | sharp in view after, s | ten moves of a stroke, ms | tiles held | on the card, MiB |');
  console.log('|---|---|---|---|---|---|---|---|');
  await measure('bollard, dressed, near');
  await page.goto(base);
  await page.getByTestId('chooser').setInputFiles({ name: 'plates.obj', mimeType: 'text/plain', buffer: Buffer.from(plates()) });
  await page.waitForSelector('canvas[data-settled]', { timeout: 120_000 });
  await near(7);
  await measure('twenty sheets, near');
}

try {
  await page.goto(base);
  await page.getByRole('link', { name: 'Open Mooring bollard' }).click();
  await decalDragged();
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  if (process.argv[2] !== 'casts') await pages(); // alone: `node bench.mjs casts`
} finally {
  await browser.close();
  server.kill();
}
