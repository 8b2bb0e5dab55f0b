import { withFacts } from './facts.js';
import type { Turn } from './turn.js';
import type { Values } from './types.js';

/** Flows that may be under way inside each other. */
export const MAX_DEPTH = 20;

/** Begins a flow above those under way. */
export function enter(turn: Turn, flowId: string, values: Values): void {
  const flow = turn.bot.flows.get(flowId);
  if (!flow?.begin) {
    turn.problem('no-way-on', { flow: flowId });
    return;
  }
  const { takes } = turn.bot.document.flows[flowId] ?? {};
  turn.begin(flowId, flow.begin, takes ? withFacts(turn, takes, values) : values);
  turn.showFrame(flow);
}
