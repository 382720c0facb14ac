import { defineConfig } from '@playwright/test';
import { browser } from './browser.mjs';

export default defineConfig({
  testDir: '.',
  retries: 1, // a test that needs its second run is reported as flaky, not hidden
  timeout: 600_000, // met by a hang alone, on a busy machine too
  expect: { timeout: 120_000 },
  workers: 3, // a file each: while one waits for its page, the others draw
  fullyParallel: false,
  reporter: [['list']],
  use: {
    screenshot: 'only-on-failure',
    actionTimeout: 120_000, // as above
    viewport: { width: 1024, height: 700 },
    launchOptions: {
      executablePath: browser,
      args: [
        '--headless',
        '--no-sandbox',
        '--use-gl=angle',
        '--use-angle=gl-egl',
        '--ignore-gpu-blocklist',
        '--disable-gpu-compositing', // without a card putting the page together costs more than drawing the model
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
});
