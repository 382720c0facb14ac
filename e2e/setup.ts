// A server of its own with the demo for the tests of one worker. A test that fails ends its
// worker, so its second run meets an untouched demo.
import { execFileSync, spawn } from 'node:child_process';
import { test as base, type Page } from '@playwright/test';

const firstPort = 7148;
const psql = '/usr/lib/postgresql/15/bin/psql';

/** @param n the worker: each has a server and a database of its own */
async function serve(n: number) {
  const port = firstPort + n;
  let dsn = process.env.VELVETGRIME_DATABASE;
  if (dsn && n > 0) dsn = String(execFileSync('../scripts/database.sh', [`velvetgrime_e2e_${n}`])).trim();
  if (!dsn) throw new Error("VELVETGRIME_DATABASE is not set; run 'make test-e2e'");
  execFileSync(psql, [dsn, '-qc', 'DROP SCHEMA public CASCADE; CREATE SCHEMA public'], { stdio: ['ignore', 'ignore', 'ignore'] });
  const server = spawn('../bin/velvetgrime', ['demo', '--database', dsn, '--no-bakes', '--plain', '--sheet-size', '256', '--address', `127.0.0.1:${port}`], { stdio: ['ignore', 'pipe', 'inherit'] });
  await new Promise<void>((ready, fail) => {
    server.stdout.on('data', (d) => String(d).includes('open at') && ready());
    server.on('exit', (code) => fail(new Error(`the server ended with ${code}`)));
  });
  return server;
}

export const test = base.extend<object, { server: string }>({
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
  page: async ({ page }, use) => {
    await page.addInitScript(() => localStorage.setItem('sharpness', '0.35')); // there is no graphics card
    await use(page);
  },
});

export { expect } from '@playwright/test';
export type { Page };
