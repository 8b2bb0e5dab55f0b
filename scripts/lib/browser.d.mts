import type { Browser } from 'playwright-core';

/** Starts the browser at `executablePath`. */
export function launchBrowser(executablePath: string): Promise<Browser>;
