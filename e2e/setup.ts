// A server of its own with the demo for the tests of one worker. A test that fails ends its
// worker, so its second run meets an untouched demo.
import { execFileSync, spawn } from 'node:child_process';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test as base, type Browser, type Page } from '@playwright/test';

const firstPort = 7148;
const VIEWPORT = { width: 1024, height: 700 };
const psql = '/usr/lib/postgresql/15/bin/psql';

/** The folder into which the server of a worker may deliver. */
export const outlet = (n: number) => join(tmpdir(), `velvetgrime-e2e-${n}`);

/** @param n the worker: each has a server and a database of its own */
async function serve(n: number) {
  const port = firstPort + n;
  let dsn = process.env.VELVETGRIME_DATABASE;
  if (dsn && n > 0) dsn = String(execFileSync('../scripts/database.sh', [`velvetgrime_e2e_${n}`])).trim();
  if (!dsn) throw new Error("VELVETGRIME_DATABASE is not set; run 'make test-e2e'");
  execFileSync(psql, [dsn, '-qc', 'DROP SCHEMA public CASCADE; CREATE SCHEMA public'], { stdio: ['ignore', 'ignore', 'ignore'] });
  const server = spawn('../bin/velvetgrime', ['demo', '--deliver-to', outlet(n), '--database', dsn, '--no-bakes', '--plain', '--sheet-size', '256', '--address', `127.0.0.1:${port}`], { stdio: ['ignore', 'pipe', 'inherit'], env: { ...process.env, GOGC: '400' } });
  await new Promise<void>((ready, fail) => {
    server.stdout.on('data', (d) => String(d).includes('open at') && ready());
    server.on('exit', (code) => fail(new Error(`the server ended with ${code}`)));
  });
  return server;
}

/** A browser's window as it is when somebody comes for the first time. */
async function open(browser: Browser, baseURL: string): Promise<Page> {
  const context = await browser.newContext({ baseURL, viewport: VIEWPORT, deviceScaleFactor: 0.7 });
  const page = await context.newPage();
  await page.addInitScript(() => {
    localStorage.setItem('sharpness', '0.5'); // there is no graphics card
    (window as any).sends = WebSocket.prototype.send; // tests put theirs in its place
  });
  return page;
}

/** Brings a window that was used back to that, but that its programs are loaded. */
async function clear(page: Page) {
  if (!page.url().startsWith('http')) return; // it was not used
  for (const other of page.context().pages()) if (other !== page) await other.close();
  for (const key of ['Shift', 'Control', 'Alt', 'l', 's', 'z', 'm', 'x']) await page.keyboard.up(key);
  await page.mouse.up();
  await page.evaluate(() => {
    localStorage.clear();
    localStorage.setItem('sharpness', '0.5');
    WebSocket.prototype.send = (window as any).sends;
    location.hash = '#/';
  });
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  await page.evaluate(() => delete (window as any).stage);
}

export const test = base.extend<{ fresh: Page }, { server: string; kept: { page: Page | null } }>({
  server: [
    async ({}, use, info) => {
      const server = await serve(info.parallelIndex);
      await use(`http://127.0.0.1:${firstPort + info.parallelIndex}`);
      const ended = new Promise((done) => server.removeAllListeners('exit').on('exit', done));
      server.kill();
      await ended;
    },
    { scope: 'worker', auto: true, timeout: 120_000 },
  ],
  baseURL: async ({ server }, use) => use(server),
  kept: [
    async ({}, use) => {
      const kept = { page: null as Page | null };
      await use(kept);
      await kept.page?.context().close();
    },
    { scope: 'worker' },
  ],
  // tests go on in one window, from project to project, as who works does: to load its programs for each
  // would take half of the time
  page: async ({ browser, server, kept }, use, info) => {
    kept.page ??= await open(browser, server);
    await use(kept.page);
    if (info.status === info.expectedStatus) await clear(kept.page); // else its worker ends, and the window with it
  },
  context: async ({ page }, use) => use(page.context()),
  /** a window of its own, for who changes what cannot be brought back */
  fresh: async ({ browser, server }, use) => {
    const page = await open(browser, server);
    await use(page);
    await page.context().close();
  },
});

export { expect } from '@playwright/test';
export type { Page };
