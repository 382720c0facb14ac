// Measures the page: ink under the pen by what the line does, a frame at rest and while the camera moves, what a raised sheet takes until
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

/**
 * Ink: from a move of the pen to the frame whose pixels are other where it went, by what the line does. What was read
 * of the row under the pen after each frame tells.
 */
async function ink() {
  console.log('| the line | frames from a move to its pixels, p50 / p95 | ms, p50 / p95 | uploads a frame, ms, p50 / p95 | moves |');
  console.log('|---|---|---|---|---|');
  for (const [what, delay, stall] of [
    ['as it is', 0, 0],
    ['50 ms each way', 50, 0],
    ['150 ms each way', 150, 0],
    ['stands for 2 s', 0, 2000],
  ]) {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    let stands = 0;
    const late = (send) => {
      let last = 0;
      return (m) => {
        const due = Math.max(Date.now() + delay, stands, last);
        last = due;
        setTimeout(() => send(m), due - Date.now());
      };
    };
    await page.routeWebSocket(/\/live/, (ws) => {
      const server = ws.connectToServer();
      ws.onMessage(late((m) => server.send(m)));
      server.onMessage(late((m) => ws.send(m)));
    });
    await page.goto(base);
    await page.getByRole('link', { name: 'Open Mooring bollard' }).click();
    await page.waitForSelector('canvas[data-settled="true"]', { timeout: 600_000 });
    await page.getByRole('button', { name: '+ Paint layer' }).click();
    await page.waitForTimeout(1500 + 4 * delay);
    await page.getByRole('button', { name: 'Brush', exact: true }).click();
    await page.getByRole('button', { name: 'Brush color', exact: true }).click();
    const hex = page.getByRole('textbox', { name: 'Brush color as hex' });
    await hex.fill('#ff20c0'); // nothing of the bollard is like it
    await hex.press('Enter');
    await page.getByRole('button', { name: 'Close', exact: true }).click();
    const box = await page.locator('canvas[data-settled]').boundingBox();
    const y = Math.round(box.height * 0.82); // over its plate, which is wide
    const x0 = Math.round(box.width * 0.37);
    await page.evaluate(
      ([x0, y]) => {
        const s = window.stage;
        const gl = s.renderer.getContext();
        const wide = 260;
        const read = () => {
          const row = new Uint8Array(wide * 4);
          const scale = s.renderer.getPixelRatio();
          const full = new Uint8Array(Math.ceil(wide * scale) * 4);
          gl.readPixels(Math.round(x0 * scale), Math.round(gl.drawingBufferHeight - y * scale), Math.ceil(wide * scale), 1, gl.RGBA, gl.UNSIGNED_BYTE, full);
          for (let i = 0; i < wide; i++) row.set(full.subarray(4 * Math.floor(i * scale), 4 * Math.floor(i * scale) + 4), 4 * i);
          return row;
        };
        window.moves = [];
        window.took = [];
        window.uploads = [];
        const update = s.worn.update.bind(s.worn);
        s.worn.update = () => {
          const t = performance.now();
          const more = update();
          window.uploads.push(performance.now() - t);
          return more;
        };
        const draw = s.draw.bind(s);
        s.draw = () => {
          draw();
          const now = performance.now();
          const row = read();
          for (const m of window.moves) {
            m.frames++;
            const [r, g, b] = row.subarray(4 * m.x, 4 * m.x + 3);
            if ((r > g + 40 && b > g + 20) || m.frames > 60) (window.took.push([m.frames, now - m.at]), (m.done = true));
          }
          window.moves = window.moves.filter((m) => !m.done);
        };
        const canvas = document.querySelector('canvas[data-settled]');
        canvas.addEventListener(
          'pointermove',
          (e) => {
            const b = canvas.getBoundingClientRect();
            const x = Math.round(e.clientX - b.left - x0);
            if (e.buttons === 1 && x >= 30 && x < wide) // beyond the first dab's rim
               window.moves.push({ x, at: e.timeStamp, frames: 0 });
          },
          true,
        );
      },
      [x0, y],
    );
    await page.evaluate(() => (window.stage.invalidate(), new Promise((r) => setTimeout(r, 400))));
    await page.mouse.move(box.x + x0, box.y + y);
    await page.mouse.down();
    if (stall) stands = Date.now() + stall;
    for (let i = 1; i <= 15; i++) {
      // farther than the brush is wide, so that each move goes where nothing was
      await page.mouse.move(box.x + x0 + i * 17, box.y + y);
      await page.waitForTimeout(40);
    }
    await page.waitForTimeout(300);
    await page.mouse.up();
    const [took, uploads] = await page.evaluate(() => [window.took, window.uploads.map((v) => [v])]);
    const share = (k, q, of = took) => {
      const list = of.map((t) => t[k]).sort((a, b) => a - b);
      return Math.round(list[Math.min(Math.floor(list.length * q), list.length - 1)]);
    };
    console.log(`| ${what} | ${share(0, 0.5)} / ${share(0, 0.95)} | ${share(1, 0.5)} / ${share(1, 0.95)} | ${share(0, 0.5, uploads)} / ${share(0, 0.95, uploads)} | ${took.length} |`);
    await page.waitForTimeout(1000 + stall);
    await page.keyboard.press('Control+z');
    await page.waitForTimeout(600 + 4 * delay);
    await page.close();
  }
  console.log('');
}

/** Materials that are tried: held over the model until there is something to see, dropped until all is settled, six lined up until each has
 * its draft, and the shelf with two thousand that were kept. */
async function tried() {
  const six = ['Cast iron', 'Brass, salt-bitten', 'Enamel, red', 'Galvanised steel', 'Copper with verdigris', 'Teak deck'];
  const told = []; // what the server says, and when
  page.on('websocket', (ws) =>
    ws.on('framereceived', (f) => {
      const text = typeof f.payload === 'string';
      const t = text ? f.payload.match(/"t":"(drafted|settled)"/)?.[1] : f.payload.length > 2000 && 'tile';
      if (t) told.push({ ws, t, at: Date.now() });
    }),
  );
  const after = async (t, from, n = 1) => {
    for (let i = 0; i < 6000; i++) {
      const first = new Map();
      for (const m of told) if (m.t === t && m.at >= from && !first.has(m.ws)) first.set(m.ws, m.at);
      if (first.size >= n) return [...first.values()].map((at) => at - from);
      await new Promise((r) => setTimeout(r, 10));
    }
    throw new Error(`nothing was ${t} within a minute`);
  };
  const share = (list, q) => list.sort((a, b) => a - b)[Math.min(Math.floor(list.length * q), list.length - 1)];
  console.log('| object | held to the first tile, ms p50 / most | to settled | dropped to settled, ms p50 / most | six lined up: drafts / all settled, ms |\n|---|---|---|---|---|');
  for (const name of ['Mooring bollard', 'Signal lantern']) {
    await page.goto(base);
    await page.getByRole('link', { name: `Open ${name}` }).click();
    await page.waitForSelector('canvas[data-settled]');
    await settled();
    await page.getByRole('button', { name: 'Stock', exact: true }).click();
    await page.waitForTimeout(600); // until the model has moved over
    await settled();
    const box = await page.locator('canvas[data-settled]').boundingBox();
    const over = [box.x + box.width * 0.3, box.y + box.height * 0.45];
    const [held, still, dropped] = [[], [], []];
    for (const of of six) {
      await page.getByLabel('Find a material').fill(of);
      const card = await page.getByRole('button', { name: of, exact: true }).boundingBox();
      await page.mouse.move(card.x + card.width / 2, card.y + 20);
      await page.mouse.down();
      await page.mouse.move(over[0] + 30, over[1], { steps: 3 });
      let t = Date.now();
      await page.mouse.move(...over);
      held.push(...(await after('tile', t)));
      still.push(...(await after('settled', t)));
      t = Date.now();
      await page.mouse.up();
      await page.getByRole('group', { name: `Dials of ${of}` }).waitFor();
      dropped.push(...(await after('settled', t)));
      await settled();
      await page.getByRole('button', { name: 'Undo', exact: true }).click();
      await page.waitForTimeout(300);
      await settled();
    }
    for (const of of six) {
      await page.getByLabel('Find a material').fill(of);
      await page.getByRole('button', { name: of, exact: true }).hover();
      await page.getByRole('button', { name: `Mark ${of} for a line-up` }).click();
    }
    const t = Date.now();
    await page.getByRole('button', { name: 'Line up 6' }).click();
    const drafts = Math.max(...(await after('drafted', t, 6)));
    const whole = Math.max(...(await after('settled', t, 6)));
    await page.keyboard.press('Escape');
    console.log(`| ${name} | ${share(held, 0.5)} / ${share(held, 1)} | ${share(still, 0.5)} / ${share(still, 1)} | ${share(dropped, 0.5)} / ${share(dropped, 1)} | ${drafts} / ${whole} |`);
  }
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
  const one = process.argv[2]; // alone: `node bench.mjs casts`, `node bench.mjs ink`
  if (!one || one === 'casts') {
    await decalDragged();
    for (let i = 0; i < 3; i++) await page.keyboard.press('Control+z');
  }
  if (!one || one === 'ink') await ink();
  if (!one || one === 'stock') await tried();
  if (!one) await pages();
} finally {
  await browser.close();
  server.kill();
}
