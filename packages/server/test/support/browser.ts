import type { Browser } from 'playwright-core';
import { launchBrowser as launch } from '../../../../scripts/lib/browser.mjs';
import { CHROMIUM } from './service.js';

/** Debian's Chromium, without a window and without the network beyond this machine. */
export function launchBrowser(): Promise<Browser> {
  return launch(CHROMIUM);
}
