// What the page and the server owe each other, on the real ones: nothing is lost when the
// line is cut, nothing is black when textures are made anew, one pointer draws one stroke,
// and a texel that stands for several places shows on all of them.
import { canvas, openProject, pixel, settled, stroke } from './app';
import { expect, test, type Page } from './setup';

const undoTitle = (page: Page) => page.getByRole('button', { name: 'Undo', exact: true }).getAttribute('title');
const layers = (page: Page) => page.getByRole('button', { name: /^Hide / });

/** Looks at the model from a side. */
async function lookFrom(page: Page, x: number, y: number, z: number, near = 1) {
  await page.evaluate(
    ([x, y, z, near]) => {
      const s = (window as any).stage;
      const c = s.controls.target;
      const d = s.camera.position.distanceTo(c) * near;
      const l = Math.hypot(x, y, z);
      s.camera.position.set(c.x + (x / l) * d, c.y + (y / l) * d, c.z + (z / l) * d);
      s.controls.update();
      s.invalidate();
    },
    [x, y, z, near],
  );
  await page.waitForTimeout(400); // the page tells its view when the hand rests
  await settled(page);
}

/** Whether a pixel is of the paint's red, more than what was there. */
const redder = (a: number[], b: number[]) => a[0] - a[2] > b[0] - b[2] + 40;

test('on the gull a stroke over either half shows on both', async ({ page }) => {
  await openProject(page, 'Decoy gull');
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await page.keyboard.press('p');
  const hex = page.getByLabel('Brush color as hex');
  await hex.fill('#d01010');
  await hex.press('Enter');
  for (const side of [1, -1]) {
    const was: Record<number, number[]> = {};
    for (const z of [1, -1]) {
      await lookFrom(page, 0, 0.05, z);
      was[z] = await pixel(page, 0.5, 0.4);
    }
    await lookFrom(page, 0, 0.05, side);
    await stroke(page, [0.47, 0.4], [0.53, 0.4]);
    await settled(page);
    for (const z of [side, -side]) {
      await lookFrom(page, 0, 0.05, z);
      expect(redder(await pixel(page, 0.5, 0.4), was[z]), `painted from ${side}, seen from ${z}`).toBe(true);
    }
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await settled(page);
  }
});

test('shared texels are told in Prepare, and their owner can be exchanged and taken back', async ({ page }) => {
  await openProject(page, 'Decoy gull');
  await page.getByRole('button', { name: 'Prepare' }).click();
  const list = page.getByRole('list', { name: 'Shared texels' });
  await expect(list).toBeVisible({ timeout: 300_000 });
  const first = list.getByRole('listitem').first();
  const before = await first.innerText();
  const [owner, other] = before.replace(/\s+Exchange.*/s, '').split(' owns those of ');
  await first.getByRole('button', { name: 'Exchange' }).click();
  await expect(list).toContainText(`${other} owns those of ${owner}`);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(list).toContainText(`${owner} owns those of ${other}`);
});

test('a sheet that is taken down and back up is drawn, not black', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await lookFrom(page, 0.4, 0.2, 1, 0.5);
  const was = await pixel(page, 0.5, 0.5);
  const size = async (texels: string) => {
    await page.getByRole('button', { name: 'Prepare' }).click();
    await page.getByRole('button', { name: /Parts/ }).click();
    await page.getByRole('combobox', { name: /^Size of / }).first().selectOption(texels);
    await page.getByRole('button', { name: 'Layer', exact: true }).click();
    await settled(page);
  };
  for (const texels of ['128', '256', '512', '256']) await size(texels);
  const now = await pixel(page, 0.5, 0.5);
  expect(Math.max(...now.map((v, i) => Math.abs(v - was[i])))).toBeLessThan(24);
  for (let i = 0; i < 4; i++) {
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await settled(page);
  }
  expect(Math.max(...(await pixel(page, 0.5, 0.5)).map((v, i) => Math.abs(v - was[i])))).toBeLessThan(24);
});

test('a sheet that is made smaller while what is seen of it is found is drawn', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  await lookFrom(page, 0.4, 0.2, 1, 0.3);
  await page.evaluate(() => {
    // what the card answers comes late
    const r = (window as any).stage.renderer;
    const real = r.readRenderTargetPixelsAsync;
    (window as any).late = new Promise((go) => ((window as any).go = go));
    r.readRenderTargetPixelsAsync = async function (...a: unknown[]) {
      const got = await real.apply(this, a);
      (window as any).looking = true;
      await (window as any).late;
      return got;
    };
    const s = (window as any).stage;
    s.camera.position.x *= 1.01;
    s.controls.update();
  });
  await page.waitForFunction(() => (window as any).looking);
  const sheet = () => page.evaluate(() => (window as any).stage.worn.list[0].size as number);
  const was = await sheet();
  await page.getByRole('button', { name: 'Prepare' }).click();
  await page.getByRole('button', { name: /Parts/ }).click();
  await page.getByRole('combobox', { name: /^Size of / }).first().selectOption('128');
  await expect.poll(sheet).toBe(128);
  expect(was).toBeGreaterThan(128);
  await page.evaluate(() => (window as any).go());
  await page.getByRole('button', { name: 'Layer', exact: true }).click();
  await settled(page);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect.poll(sheet).toBe(was);
  await settled(page);
});

/** Cuts the line, which stays so while the window's cut is true. */
const cut = (page: Page) =>
  page.evaluate(() => {
    const real = WebSocket.prototype.send;
    (window as any).cut = true;
    WebSocket.prototype.send = function (m) {
      if ((window as any).cut) return this.close();
      real.call(this, m);
    };
  });

test('what is done while the line is cut is kept when it is back', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const count = await layers(page).count();
  const kept = page.locator('.kept');
  await cut(page);
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await expect(kept).toContainText('1 change not kept yet');
  expect(await layers(page).count()).toBe(count);
  await page.evaluate(() => ((window as any).cut = false));
  await expect(layers(page)).toHaveCount(count + 1, { timeout: 300_000 });
  await expect(kept).toContainText('all kept');
  await expect(kept).toHaveAttribute('data-unkept', '0');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(layers(page)).toHaveCount(count);
});

test('a project that is left while the line is cut is kept all the same; closing the page asks', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const project = page.url();
  const count = await layers(page).count();
  await cut(page);
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await expect(page.locator('.kept')).toContainText('1 change not kept yet');
  await page.getByTitle('All projects').click();
  await expect(page.getByRole('status')).toContainText('keeping 1 change of the project that was left');
  const asked = page.waitForEvent('dialog');
  await page.close({ runBeforeUnload: true });
  expect((await asked).type()).toBe('beforeunload');
  await (await asked).dismiss();
  await page.evaluate(() => ((window as any).cut = false));
  await expect(page.getByText('keeping 1 change')).toHaveCount(0);
  await page.goto(project);
  await expect(layers(page)).toHaveCount(count + 1);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(layers(page)).toHaveCount(count);
});

test('a palm beside the pen is nothing, two fingers are the view’s, Escape drops a stroke', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const count = await layers(page).count();
  await page.getByRole('button', { name: '+ Paint layer' }).click();
  await expect(layers(page)).toHaveCount(count + 1);
  await page.keyboard.press('p');
  await settled(page);
  const made = await undoTitle(page);
  /** pointers over the view: what, id, kind of pointer, place */
  const play = (list: [string, number, string, number, number][]) =>
    page.evaluate((list) => {
      const c = document.querySelector<HTMLCanvasElement>('canvas[data-settled]')!;
      const r = c.getBoundingClientRect();
      for (const [type, pointerId, pointerType, x, y] of list)
        c.dispatchEvent(
          new PointerEvent(type, {
            pointerId,
            pointerType,
            clientX: r.left + r.width * x,
            clientY: r.top + r.height * y,
            button: type === 'pointermove' ? -1 : 0,
            buttons: type === 'pointerup' ? 0 : 1,
            pressure: 0.7,
            bubbles: true,
            isPrimary: pointerType === 'pen',
          }),
        );
    }, list);
  // a pen's stroke with a palm that comes and goes in it
  await play([
    ['pointerdown', 5, 'pen', 0.45, 0.5],
    ['pointermove', 5, 'pen', 0.47, 0.5],
    ['pointerdown', 9, 'touch', 0.55, 0.6],
    ['pointermove', 9, 'touch', 0.6, 0.6],
    ['pointermove', 5, 'pen', 0.52, 0.5],
    ['pointerup', 9, 'touch', 0.6, 0.6],
    ['pointermove', 5, 'pen', 0.55, 0.5],
    ['pointerup', 5, 'pen', 0.55, 0.5],
  ]);
  await expect.poll(() => undoTitle(page)).not.toBe(made);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect.poll(() => undoTitle(page)).toBe(made); // it was one stroke
  // two fingers draw nothing
  await play([
    ['pointerdown', 11, 'touch', 0.45, 0.5],
    ['pointermove', 11, 'touch', 0.48, 0.5],
    ['pointerdown', 12, 'touch', 0.55, 0.5],
    ['pointerup', 11, 'touch', 0.48, 0.5],
    ['pointerup', 12, 'touch', 0.55, 0.5],
  ]);
  // nor does a pen whose barrel button is held: it shifts the view
  const looks = () => page.evaluate(() => (window as any).stage.controls.target.toArray() as number[]);
  const was = await looks();
  const at = (await canvas(page).boundingBox())!;
  const cdp = await page.context().newCDPSession(page);
  for (const [type, x] of [['mousePressed', 0.45], ['mouseMoved', 0.5], ['mouseMoved', 0.55], ['mouseReleased', 0.55]] as const)
    await cdp.send('Input.dispatchMouseEvent', {
      type,
      pointerType: 'pen',
      button: 'right',
      buttons: type === 'mouseReleased' ? 0 : 2,
      force: 0.7,
      x: at.x + at.width * x,
      y: at.y + at.height * 0.5,
    });
  await expect.poll(async () => (await looks()).some((v, i) => Math.abs(v - was[i]) > 1e-4)).toBe(true);
  // and a stroke that is dropped by Escape is none
  await play([
    ['pointerdown', 13, 'pen', 0.45, 0.5],
    ['pointermove', 13, 'pen', 0.5, 0.5],
  ]);
  await page.keyboard.press('Escape');
  await play([['pointerup', 13, 'pen', 0.5, 0.5]]);
  await settled(page);
  expect(await undoTitle(page)).toBe(made);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(layers(page)).toHaveCount(count);
});

test('two quick picks get their own answers', async ({ page }) => {
  await openProject(page, 'Mooring bollard');
  const answers = await page.evaluate(async () => {
    const id = location.hash.split('/').pop();
    const url = `${location.origin.replace('http', 'ws')}/api/projects/${id}/live?actor=quick`;
    const ws = new WebSocket(url);
    await new Promise((r) => (ws.onopen = r));
    const got: Record<number, unknown> = {};
    const done = new Promise<void>((r) => {
      ws.onmessage = (e) => {
        if (typeof e.data !== 'string') return;
        const m = JSON.parse(e.data);
        if (m.t === 'picked') got[m.id] = m.triangle;
        if (Object.keys(got).length === 2) r();
      };
    });
    ws.send(JSON.stringify({ t: 'pick', id: 7, pos: [0, 0.3, 0.12], nrm: [0, 0, 1] }));
    ws.send(JSON.stringify({ t: 'pick', id: 8, pos: [0, 0.3, -0.12], nrm: [0, 0, -1] }));
    await done;
    ws.close();
    return got as Record<string, number>;
  });
  expect(Object.keys(answers)).toEqual(['7', '8']);
  expect(answers['7']).not.toBe(answers['8']);
});

test('a project that is deleted says so, and can be brought back', async ({ page }) => {
  await openProject(page, 'Decoy gull', false);
  const id = page.url().split('/').pop()!;
  expect((await page.request.delete(`/api/projects/${id}`)).ok()).toBe(true);
  await expect(page.getByRole('alert').filter({ hasText: 'deleted' })).toBeVisible();
  const back = page.waitForResponse((r) => r.url().endsWith('/restore'));
  await page.getByRole('button', { name: 'Bring it back' }).click();
  expect((await back).ok()).toBe(true); // else leaving would take it back: what stands behind the word is settled already
  await expect(canvas(page)).toHaveAttribute('data-settled', 'true', { timeout: 300_000 });
  // and one that never was
  await page.goto('/#/project/nothing');
  await page.reload();
  await expect(page.getByText('There is no such project')).toBeVisible();
});
