// Sheets of 4096 and 8192 texels in the page: painted on, and after the card lost everything.
import { expect, test } from './setup';
import { apart, canvas, openProject, pixel, settled, stroke } from './app';
import type { Page } from '@playwright/test';

/** Makes a change as another page would. */
async function change(page: Page, op: object) {
  await page.evaluate(
    (op) =>
      new Promise<void>((done, failed) => {
        const id = location.hash.split('/')[2];
        const w = new WebSocket(`ws://${location.host}/api/projects/${id}/live?wait=1&actor=other`);
        w.onopen = () => w.send(JSON.stringify({ t: 'op', id: 1, request: `r${Math.random()}`, op }));
        w.onmessage = (e) => {
          if (typeof e.data !== 'string') return;
          const m = JSON.parse(e.data);
          if (m.t === 'ack') done();
          if (m.t === 'error') failed(new Error(m.message));
          if (m.t === 'ack' || m.t === 'error') w.close();
        };
      }),
    op,
  );
}

const worn = (page: Page) =>
  page.evaluate(() => {
    const w = (window as any).stage.worn;
    const pages = w.pages.held as { size: number; held: number }[];
    return { bytes: w.bytes, sizes: [...new Set(pages.map((p) => p.size))], count: pages.length, left: w.left.left };
  });

test('a sheet of 4096 and of 8192 is painted on; the card may lose everything', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  const box = (await canvas(page).boundingBox())!;
  for (let i = 0; i < 12; i++) {
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.mouse.wheel(0, -200);
  }
  await settled(page);
  for (const size of [4096, 8192]) {
    await change(page, { kind: 'sheet.size', target: 'Cast iron', value: size });
    await expect.poll(async () => Math.max(...(await worn(page)).sizes), { timeout: 120_000 }).toBeGreaterThan(1024);
    await settled(page);
    const at = size === 4096 ? 0.42 : 0.58;
    const before = await pixel(page, at, 0.5);
    await page.getByRole('button', { name: 'Brush', exact: true }).click();
    await stroke(page, [at - 0.05, 0.5], [at + 0.05, 0.5]);
    await settled(page);
    const painted = await pixel(page, at, 0.5);
    expect(apart(before, painted)).toBeGreaterThan(30);
    const held = await worn(page);
    expect(held.left).toBe(0);
    expect(held.bytes).toBeLessThanOrEqual(256 * 2 ** 20);
    expect(held.count).toBeLessThan(400); // of 4096 tiles that a sheet of 8192 has
    // everything that lay on the card is gone, and comes again
    await page.evaluate(() => {
      const gl = (window as any).stage.renderer.getContext() as WebGL2RenderingContext;
      const lose = gl.getExtension('WEBGL_lose_context')!;
      lose.loseContext();
      return new Promise((done) => {
        gl.canvas.addEventListener('webglcontextrestored', () => setTimeout(done, 50), { once: true });
        setTimeout(() => lose.restoreContext(), 50);
      });
    });
    await expect
      .poll(async () => apart(await pixel(page, at, 0.5), painted), { timeout: 120_000 })
      .toBeLessThan(12);
    await settled(page);
  }
});
