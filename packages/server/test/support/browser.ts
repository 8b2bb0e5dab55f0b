import { chromium, type Browser } from 'playwright-core';
import { CHROMIUM } from './service.js';

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

/** Debian's Chromium, without a window and without the network beyond this machine. */
export function launchBrowser(): Promise<Browser> {
  return chromium.launch({ executablePath: CHROMIUM, args: FLAGS });
}
