import { z } from 'zod';
import { failureOf, type DrawEffect, type DrawResult } from '@primrose/core';
import { mediaOf } from '../files/media.js';
import type { AllowedAddresses } from './agent.js';
import { addressIn, BadAnswer, createCaller, isJson } from './call.js';
import type { Reach } from './reach.js';
import { redacted } from './redact.js';

const MAX_ANSWER_BYTES = 12_000_000;

/** A picture as it came: its bytes and what they are. */
export interface Drawn {
  readonly outcome: 'came';
  readonly bytes: Uint8Array;
  readonly type: string;
}

/** Has a model draw. Never throws: what goes wrong is a result with a reason. */
export type AskDrawing = (
  effect: DrawEffect,
  reach: Reach,
  stop?: AbortSignal,
) => Promise<Drawn | Extract<DrawResult, { outcome: 'failed' }>>;

/** Draws and keeps what came; what a turn's performer does. */
export type PerformDraw = (effect: DrawEffect, reach: Reach, stop?: AbortSignal) => Promise<DrawResult>;

const answer = z.object({ data: z.array(z.object({ b64_json: z.string() })).min(1) });

/** Makes the caller of images endpoints: the one that goes with the chat-completions form, with pictures in its answer. */
export function createDrawing(allowed: AllowedAddresses): { ask: AskDrawing; close: () => Promise<void> } {
  const { call, close } = createCaller(allowed, MAX_ANSWER_BYTES);
  const ask: AskDrawing = async ({ model, prompt, size, timeoutMs }, reach, stop) => {
    if (!reach.ok) return failureOf('not-configured', reach.reason);
    const url = addressIn(`${reach.address.replace(/\/$/, '')}/images/generations`);
    if (!url)
      return failureOf(
        'not-configured',
        `"${reach.address}" is no address; give the connection one such as https://example.org/v1`,
      );
    const came = await call(
      {
        url,
        method: 'POST',
        headers: { accept: 'application/json', 'content-type': 'application/json', ...reach.headers },
        body: JSON.stringify({ model, prompt, n: 1, response_format: 'b64_json', ...(size === undefined ? {} : { size }) }),
        timeoutMs,
        changes: false,
        ...(stop ? { stop } : {}),
      },
      async (response) => {
        const text = await response.body.text();
        if (response.status >= 400) throw new BadAnswer(`refused with status ${response.status}`);
        const read = isJson(response) ? answer.safeParse(JSON.parse(text)) : undefined;
        if (!read?.success) throw new BadAnswer('answered with no picture in it');
        const bytes = Buffer.from(read.data.data[0]?.b64_json ?? '', 'base64');
        const media = await mediaOf(bytes, 'drawn', 'image/png');
        if (!media.ok || !media.picture) throw new BadAnswer(`sent what is no picture${media.ok ? '' : `: ${media.reason}`}`);
        return { outcome: 'came' as const, bytes, type: media.type };
      },
    );
    return came.outcome === 'failed' ? redacted(came, reach.secrets) : came;
  };
  return { ask, close };
}
