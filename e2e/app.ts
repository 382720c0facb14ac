// Steps that several tests take.
import { expect, type Page } from './setup';

export const canvas = (page: Page) => page.getByLabel('The model', { exact: true });

/** @param drawn wait until the model is drawn in full; else until its layers are there */
export async function openProject(page: Page, name: string, drawn = true) {
  const projects = (await (await page.request.get('/api/projects')).json()) as { id: string; name: string }[];
  const id = projects.find((p) => p.name === name)?.id;
  if (!id) throw new Error(`There is no project '${name}'`);
  await page.goto(`/#/project/${id}`);
  if (drawn) await settled(page);
  else await expect(page.getByRole('button', { name: /^Hide / }).first()).toBeVisible();
}

/** Waits until everything asked for is drawn in full. */
export async function settled(page: Page) {
  const frames = () => page.evaluate(() => new Promise((done) => (requestAnimationFrame(() => requestAnimationFrame(done)), setTimeout(done, 500))));
  await frames(); // what the last press asks for is under way
  const drawn = () =>
    page.waitForFunction(() => document.querySelector('canvas[data-settled=true]') && !(window as any).stage?.telling, null, { timeout: 300_000, polling: 50 });
  await drawn();
  await frames(); // that shows it
  await drawn(); // what these frames saw
}

/** The colour of the view at a share of its width and height, as it is while nothing lies over it. */
export function pixel(page: Page, fx: number, fy: number): Promise<number[]> {
  return page.evaluate(
    ([x, y]) => {
      const c = document.querySelector<HTMLCanvasElement>('canvas[data-settled]')!;
      const stage = (window as any).stage;
      stage.draw();
      [x, y] = stage.moved(x, y);
      const flat = document.createElement('canvas');
      [flat.width, flat.height] = [c.width, c.height];
      const g = flat.getContext('2d')!;
      g.drawImage(c, 0, 0);
      // the mean of a small square: single pixels carry grain
      const n = 7;
      const d = g.getImageData(Math.round(c.width * x) - 3, Math.round(c.height * y) - 3, n, n).data;
      const sum = [0, 0, 0];
      for (let i = 0; i < d.length; i++) if (i % 4 < 3) sum[i % 4] += d[i] / (n * n);
      return sum.map(Math.round);
    },
    [fx, fy],
  );
}

export const apart = (a: number[], b: number[]) => Math.max(...a.map((v, i) => Math.abs(v - b[i])));

/** Where in the window lies what lies at shares of the view while nothing covers it. */
export async function place(page: Page, fx: number, fy: number): Promise<[number, number]> {
  const box = (await canvas(page).boundingBox())!;
  const [x, y] = await page.evaluate((p) => (window as any).stage.moved(...p) as number[], [fx, fy]);
  return [box.x + box.width * x, box.y + box.height * y];
}

/** Drags over the view between shares of its size. */
export async function stroke(page: Page, from: [number, number], to: [number, number]) {
  const box = (await canvas(page).boundingBox())!;
  const at = (p: [number, number]): [number, number] => [box.x + box.width * p[0], box.y + box.height * p[1]];
  await page.mouse.move(...at(from));
  await page.mouse.down();
  for (let i = 1; i <= 8; i++) await page.mouse.move(...at([from[0] + ((to[0] - from[0]) * i) / 8, from[1] + ((to[1] - from[1]) * i) / 8]));
  await page.mouse.up();
}

/** Types into one of our number fields. */
export async function type(page: Page, label: string, value: string) {
  const f = page.getByRole('slider', { name: label, exact: true }).first();
  await f.focus();
  await f.press('Enter');
  const input = page.getByRole('textbox', { name: label, exact: true });
  await input.fill(value);
  await input.press('Enter');
}

/** Makes a change as another page would. */
export async function change(page: Page, op: object) {
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

/** A line that can be held: what the page says waits until it is let go. For a page of its own, before it is opened. */
export async function holdable(page: Page) {
  let held: (() => void)[] | null = null;
  await page.routeWebSocket(/\/live/, (ws) => {
    const server = ws.connectToServer();
    ws.onMessage((m) => (held ? void held.push(() => server.send(m)) : server.send(m)));
    server.onMessage((m) => ws.send(m));
  });
  return {
    hold: () => void (held = []),
    get waiting() {
      return held?.length ?? 0;
    },
    letGo() {
      const list = held ?? [];
      held = null;
      list.forEach((f) => f());
    },
  };
}

/** Gives the open layer a channel that it does not have. */
export async function addChannel(page: Page, label: string) {
  await page.getByLabel('Add a channel').selectOption({ label });
  await expect(page.getByLabel(`${label} on`)).toBeChecked();
}

/** What can be pressed and takes less than 28 px of the page either way, with its size. */
export function narrow(page: Page): Promise<string[]> {
  return page.evaluate(() => {
    const out: string[] = [];
    for (const e of document.querySelectorAll<HTMLInputElement>('button, select, input, summary, [role=button], [role=tab], [role=slider], [role=menuitem], a[href]')) {
      if (!e.checkVisibility({ visibilityProperty: true, opacityProperty: true }) || e.type === 'file' || e.closest('p')) continue;
      const all = [e, ...(e.labels ?? [])].map((x) => x.getBoundingClientRect());
      const [w, h] = [Math.max(...all.map((r) => r.width)), Math.max(...all.map((r) => r.height))];
      if (w && h && Math.min(w, h) < 27.9) out.push(`${e.getAttribute('aria-label') || e.textContent?.trim() || e.tagName}: ${w.toFixed(1)} x ${h.toFixed(1)}`);
    }
    return out;
  });
}
