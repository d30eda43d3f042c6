import { defineConfig } from '@playwright/test';

/** Every worker starts a server of its own on an empty data folder. */
export default defineConfig({
  testDir: 'flows',
  outputDir: 'out',
  workers: 2,
  fullyParallel: false,
  timeout: 180_000,
  globalTimeout: 34 * 60_000,
  // Two servers and two browsers share the processor, and some answers wait for a thread to start.
  expect: { timeout: 30_000 },
  // What is flaky is mended.
  retries: 0,
  reporter: 'line',
  use: {
    viewport: { width: 1280, height: 800 },
    testIdAttribute: 'data-test',
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--disable-background-networking', '--no-first-run'],
    },
  },
});
