import { sameValue } from '../../document/merge.js';
import { isTable, type Value } from '../../document/shapes.js';
import { typeOf, type Performed } from '../effects/registry.js';
import type { Frame, OfferedChoice, Passed, Waiting, Wish } from '../types.js';
import { keptValues } from './turn-talk.js';

/*
 * What a run of a flow remembers of its way: the nodes that it came by, who answered them, what was done outside, and which node
 * gave which variable its value. By it a correction knows where to go on, and "back" where to go back to.
 */

/** One run of a flow while a turn runs. */
export interface OpenFrame {
  flow: string;
  node: string;
  values: Record<string, Value>;
  reached: string[];
  memo?: Value;
  answered?: boolean;
  did?: boolean;
  interrupts?: boolean;
  trail: Passed[];
  wrote: Record<string, string>;
  stays?: Record<string, string>;
  means?: readonly Value[];
  wish?: Wish;
  leads?: boolean;
  waited?: Waiting;
}

/** So many nodes of the way are remembered. */
const MOST_PASSED = 120;

export function opened(f: Frame): OpenFrame {
  return {
    ...f,
    values: { ...f.values },
    reached: [...f.reached],
    trail: [...(f.trail ?? [])],
    wrote: { ...f.wrote },
  };
}

/** A run as it is kept: what is empty is left out, the beginning of a long way, and things that are too big to be looked for. */
export function closed({ trail, wrote, means, ...f }: OpenFrame): Frame {
  const kept = shortened(trail);
  const meant = Object.values(keptValues(Object.fromEntries((means ?? []).entries())));
  if (meant.length > 0) Object.assign(f, { means: meant });
  if (kept.length > 0) Object.assign(f, { trail: kept });
  if (Object.keys(wrote).length > 0) Object.assign(f, { wrote });
  return f;
}

/** The last part of a long way; that something was done in the part before is not forgotten. */
function shortened(trail: readonly Passed[]): readonly Passed[] {
  if (trail.length <= MOST_PASSED) return trail;
  const [first, ...rest] = trail.slice(-MOST_PASSED);
  const did = trail.slice(0, -MOST_PASSED).some((p) => p.did);
  return first ? [did ? { ...first, did } : first, ...rest] : rest;
}

/** Notes that a run leaves its node. */
export function passBy(frame: OpenFrame, exit: string): void {
  const passed: { node: string; exit: string; heard?: true; did?: true } = { node: frame.node, exit };
  if (frame.answered) passed.heard = true;
  if (frame.did) passed.did = true;
  if (frame.answered !== undefined) delete frame.answered;
  if (frame.did !== undefined) delete frame.did;
  frame.trail.push(passed);
}

/** Notes that the node on which a run stands has called a flow that is left now, which did something if `did`. */
export function leftInto(frame: OpenFrame, gone: OpenFrame, did: boolean): void {
  if (gone.answered) frame.answered = true;
  if (did) frame.did = true;
}

/** True for a call that changed something outside, or may have. */
export function changedSomething({ request, result }: Performed): boolean {
  if (typeOf(request).journaled(request) !== 'around') return false;
  if (result.outcome === 'failed') return result.code === 'unknown-outcome' || result.code === 'timeout';
  return !('status' in result) || result.status < 400;
}

/** The only one of some things offered that is the same as another thing: equal, or with the same id. */
export function onlyLike(choices: readonly OfferedChoice[], meant: Value): OfferedChoice | undefined {
  const like = choices.filter(({ value }) => value !== undefined && sameThing(value, meant));
  return like.length === 1 ? like[0] : undefined;
}

function sameThing(a: Value, b: Value): boolean {
  if (sameValue(a, b)) return true;
  return isTable(a) && isTable(b) && a['id'] !== undefined && a['id'] !== null && a['id'] === b['id'];
}

/** The last day among the values of the runs of flows, from the one on top down; undefined where there is none. */
export function dayTalkedOf(frames: readonly OpenFrame[]): string | undefined {
  for (const { values } of frames.toReversed()) {
    const day = Object.values(values).findLast((v) => typeof v === 'string' && /^\d{4}-\d{2}-\d{2}$/.test(v));
    if (typeof day === 'string') return day;
  }
  return undefined;
}

/** By which exit the node on top is left that was answered before a correction which does not touch it; once. */
export function leftAsBefore(frame: OpenFrame | undefined): { exit: string; note: string } | undefined {
  const exit = frame?.stays?.[frame.node];
  if (!frame?.stays || exit === undefined) return undefined;
  const { [frame.node]: _gone, ...stays } = frame.stays;
  frame.stays = stays;
  frame.answered = true;
  return { exit, note: 'as before' };
}

/** Something that stands among what is offered and that somebody has chosen or talked about; it counts once. */
export function takeMeant(frame: OpenFrame | undefined, choices: readonly OfferedChoice[]): OfferedChoice | undefined {
  const found = frame?.means?.map((m) => onlyLike(choices, m)).find((c) => c !== undefined);
  if (frame?.means && choices.some((c) => c.value !== undefined)) delete frame.means;
  if (frame && found !== undefined) frame.answered = true;
  return found;
}
