import type { AgentAnswer, ChatMessage } from './agent.js';
import type { Tool } from './choose.js';
import { fillAll } from './fill.js';

/** What a model that misbehaves makes of an honest answer. */
export type Misbehaviour = (honest: AgentAnswer, messages: readonly ChatMessage[], tools: readonly Tool[]) => AgentAnswer;

const CROWD = 300;

/** Models that misbehave with tools and words, by their names. */
export const misbehaved: Readonly<Record<string, Misbehaviour>> = {
  'practice-invents': (honest, messages) =>
    messages.some((m) => m.role === 'tool') ? honest : { text: '', calls: [{ name: 'do-everything', given: { really: true } }] },
  'practice-circles': (honest, messages, tools) => {
    const before = messages.flatMap((m) => m.tool_calls ?? []).at(0);
    const [first] = before
      ? [{ name: before.function.name, given: JSON.parse(before.function.arguments) as Record<string, unknown> }]
      : honest.calls;
    if (first) return { text: '', calls: [first] };
    const [tool] = tools;
    return tool ? { text: '', calls: [{ name: tool.name, given: {} }] } : honest;
  },
  'practice-crowds': (honest, _messages, tools) => {
    const name = tools[0]?.name ?? 'nothing';
    return { text: honest.text, calls: Array.from({ length: CROWD }, (_, i) => ({ name, given: { number: i } })) };
  },
  'practice-claims': (_honest, messages) => {
    const german = /\b(?:bitte|ich|und|der|die|das)\b/i.test(messages.findLast((m) => m.role === 'user')?.content ?? '');
    return {
      text: german
        ? 'Ich habe alles für Sie gebucht und eine Bestätigung geschickt.'
        : 'I have booked everything for you and sent a confirmation.',
      calls: [],
    };
  },
  'practice-obeys': (honest, messages, tools) => {
    const read = messages
      .filter((m) => m.role === 'tool' || m.role === 'user')
      .map((m) => m.content)
      .join('\n');
    const ordered = tools.find((t) =>
      new RegExp(
        `\\b(?:call|run|use|invoke)\\s+(?:the tool\\s+)?["“]?${t.name.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}\\b`,
        'i',
      ).test(read),
    );
    const called = messages.some((m) => (m.tool_calls ?? []).some((c) => c.function.name === ordered?.name));
    if (!ordered || called) return honest;
    return {
      text: '',
      calls: [
        { name: ordered.name, given: fillAll(ordered.parameters, { said: [read], today: undefined, gave: [], tool: [] }).values },
      ],
    };
  },
};
