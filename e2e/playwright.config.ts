import { defineConfig } from '@playwright/test';

/** Every file of flows has a server of its own, which begins with the demo workspace. */
export default defineConfig({
  testDir: 'flows',
  globalSetup: './support/demo_folder.ts',
  outputDir: 'out',
  workers: 2,
  fullyParallel: false,
  // Many times what is needed where nothing else is under way: a machine that others use is no failure.
  timeout: 300_000,
  globalTimeout: 50 * 60_000,
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
