// Empties the test database and starts the real server on it with the demo.
import { execFileSync, spawn } from 'node:child_process';
import type { FullConfig } from '@playwright/test';

export default async function setup(config: FullConfig) {
  const dsn = process.env.VELVETGRIME_DATABASE;
  if (!dsn) throw new Error("VELVETGRIME_DATABASE is not set; run 'make test-e2e'");
  const psql = '/usr/lib/postgresql/15/bin/psql';
  execFileSync(psql, [dsn, '-qc', 'DROP SCHEMA public CASCADE; CREATE SCHEMA public'], { stdio: ['ignore', 'ignore', 'ignore'] });
  const port = config.metadata.port as number;
  const server = spawn('../bin/velvetgrime', ['demo', '--database', dsn, '--no-bakes', '--address', `127.0.0.1:${port}`], { stdio: ['ignore', 'pipe', 'inherit'] });
  await new Promise<void>((ready, fail) => {
    server.stdout.on('data', (d) => String(d).includes('open at') && ready());
    server.on('exit', (code) => fail(new Error(`the server ended with ${code}`)));
  });
  return () => server.kill();
}
