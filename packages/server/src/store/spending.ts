import type { Spending } from '@primrose/core';
import type { Hot, Statement } from './hot.js';

/*
 * What agents have spent, by bot, agent, day and visitor; the row without a visitor is that of everybody.
 */

export interface SpendingOf {
  readonly botId: string;
  /** As flow/node. */
  readonly agent: string;
  /** In the bot's time zone: `2026-05-15`. */
  readonly day: string;
}

/** Adds to what an agent has spent on a day, for everybody and for whoever speaks. */
export function addSpending({ botId, agent, day }: SpendingOf, visitorId: string | null, spent: Spending): Statement {
  const visitors = visitorId === null ? [''] : ['', visitorId];
  const rows = visitors.map(() => '(?, ?, ?, ?, ?, ?, ?)').join(', ');
  return {
    sql: `INSERT INTO agent_spending (bot_id, agent, day, visitor, steps, tokens, money) VALUES ${rows}
      ON DUPLICATE KEY UPDATE steps = steps + VALUES(steps), tokens = tokens + VALUES(tokens), money = money + VALUES(money)`,
    values: visitors.flatMap((v) => [botId, agent, day, v, spent.steps, spent.tokens, spent.money]),
  };
}

/** What an agent has spent on a day: for everybody, and for one visitor. */
export async function spendingOn(
  hot: Hot,
  { botId, agent, day }: SpendingOf,
  visitorId: string | null,
): Promise<{ readonly day: Spending; readonly visitor: Spending }> {
  const rows = await hot.read<{ visitor: string; steps: number; tokens: number; money: number }>(
    `SELECT visitor, steps, tokens, money FROM agent_spending WHERE bot_id = ? AND agent = ? AND day = ? AND visitor IN ('', ?)`,
    [botId, agent, day, visitorId ?? ''],
  );
  const of = (visitor: string): Spending => {
    const { steps = 0, tokens = 0, money = 0 } = rows.find((r) => r.visitor === visitor) ?? {};
    return { steps: Number(steps), tokens: Number(tokens), money: Number(money) };
  };
  return { day: of(''), visitor: visitorId === null ? of(' ') : of(visitorId) };
}
