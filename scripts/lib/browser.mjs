// Debian's Chromium, without a window and without the network beyond this machine: for tests, benchmarks and pictures.
import { chromium } from 'playwright-core';

const FLAGS = [
  '--headless',
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];

/** Starts the browser at `executablePath`. */
export function launchBrowser(executablePath) {
  return chromium.launch({ executablePath, args: FLAGS });
}
