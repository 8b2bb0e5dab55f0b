import { isOutputPart, type Page } from '../document/pages.js';
import type { BotDocument } from '../document/schema.js';
import type { Value } from '../document/shapes.js';
import type { Values } from '../engine/types.js';
import { makingsOf } from './making.js';
import { madeBy } from './outcome.js';

/** A run of a page, as far as it has come: of its whole flow, or of one output alone (`part`). */
export interface PageRun {
  readonly id: string;
  readonly part: string | null;
  /** ISO 8601, UTC. */
  readonly at: string;
  readonly state: 'waiting' | 'running' | 'done' | 'failed';
  readonly reason: string | null;
  /** All that the variables of the flow held; empty while it is not over. */
  readonly kept: Values;
  readonly reasons: Readonly<Record<string, string>>;
}

/** One making of an output. */
export interface OutputVersion {
  readonly run: string;
  readonly at: string;
  readonly value: Value;
  /** The passages that it cites, where it does. */
  readonly sources: Value;
}

/** Waiting for its turn, being made, there, there and out of date, failed, or nothing came of it. */
export const OUTPUT_STATES = ['waiting', 'making', 'ready', 'stale', 'failed', 'none'] as const;
export type OutputState = (typeof OUTPUT_STATES)[number];

export interface OutputNow {
  readonly output: string;
  readonly state: OutputState;
  /** Why it failed. */
  readonly reason: string | null;
  /** The newest last. */
  readonly versions: readonly OutputVersion[];
  /** The outputs that were made anew since it was, and from which it is made. */
  readonly staleBy: readonly string[];
}

const isThere = (value: Value | undefined): boolean => value !== undefined && value !== null && value !== '';

/** All that the outputs of a page have come to by its runs, the oldest run first. Outputs that no part shows are not there. */
export function outputsNow(document: BotDocument, page: Page, runs: readonly PageRun[]): OutputNow[] {
  const makings = makingsOf(document, page.flow);
  const madeAt = new Map<string, number>();
  const versions = new Map<string, OutputVersion[]>();
  const last = new Map<string, { readonly run: PageRun; readonly at: number }>();
  const parts = page.parts.filter(isOutputPart);
  for (const [at, run] of runs.entries()) {
    const made = run.part === null ? new Set(makings.keys()) : madeBy(makings, run.part);
    for (const output of made) {
      last.set(output, { run, at });
      const value = run.kept[output];
      if (value === undefined || !isThere(value)) continue;
      madeAt.set(output, at);
      const sources = parts.find((p) => p.output === output)?.sources;
      const version = { run: run.id, at: run.at, value, sources: sources === undefined ? null : (run.kept[sources] ?? null) };
      versions.set(output, [...(versions.get(output) ?? []), version]);
    }
  }
  return parts.map(({ output }): OutputNow => {
    const now = last.get(output);
    const all = versions.get(output) ?? [];
    const own = madeAt.get(output);
    const staleBy = own === undefined ? [] : (makings.get(output)?.outputs ?? []).filter((o) => (madeAt.get(o) ?? -1) > own);
    const base = { output, versions: all, staleBy, reason: null };
    if (!now) return { ...base, state: 'none' };
    if (now.run.state === 'waiting') return { ...base, state: 'waiting' };
    if (now.run.state === 'running') return { ...base, state: 'making' };
    const came = isThere(now.run.kept[output]);
    const reason = now.run.reasons[output] ?? (now.run.state === 'failed' ? now.run.reason : null);
    if (!came && reason !== null) return { ...base, state: 'failed', reason };
    if (all.length === 0) return { ...base, state: 'none' };
    return { ...base, state: staleBy.length > 0 ? 'stale' : 'ready' };
  });
}

/** What the variables of a page's flow hold now, by its runs: those of the newest that are over. */
export function keptNow(inputs: Values, runs: readonly PageRun[]): Values {
  return runs.reduce<Values>((all, run) => ({ ...all, ...run.kept }), inputs);
}
