import { ENGINE_LIMITS } from '@primrose/core';

/** A bound that an operator may move. */
interface Limit {
  /** The variable of the environment that sets it. */
  readonly env: string;
  readonly usual: number;
  readonly least: number;
  readonly most: number;
}

const limit = (env: string, usual: number, least: number, most: number): Limit => ({
  env: `PRIMROSE_${env}`,
  usual,
  least,
  most,
});
const BILLION = 1_000_000_000;

/** All bounds with their usual values. docs/settings.md has a line for each; a test holds that it has. */
export const LIMITS = {
  turnTries: limit('TURN_TRIES', 5, 1, 1000),
  valueSize: limit('VALUE_SIZE', ENGINE_LIMITS.valueSize, 1000, BILLION),
  stateSize: limit('STATE_SIZE', ENGINE_LIMITS.stateSize, 1000, BILLION),
  sheetSize: limit('SHEET_SIZE', ENGINE_LIMITS.sheetSize, 10_000, BILLION),
  messageSize: limit('MESSAGE_SIZE', ENGINE_LIMITS.messageSize, 100, 1_000_000),
  expressionSteps: limit('EXPRESSION_STEPS', ENGINE_LIMITS.expressionSteps, 1000, BILLION),
  turnSteps: limit('TURN_STEPS', ENGINE_LIMITS.turnSteps, 1000, BILLION),
  trainingSeconds: limit('TRAINING_SECONDS', 120, 1, 3600),
  trainingWaitSeconds: limit('TRAINING_WAIT_SECONDS', 5, 0, 3600),
  streamsOfAVisitor: limit('STREAMS_OF_A_VISITOR', 4, 1, 1000),
  streams: limit('STREAMS', 10_000, 1, 1_000_000),
  opensAMinute: limit('OPENS_A_MINUTE', 120, 1, 10_000_000),
  messagesAMinute: limit('MESSAGES_A_MINUTE', 60, 1, 10_000_000),
  channelOpensAMinute: limit('CHANNEL_OPENS_A_MINUTE', 3000, 1, 10_000_000),
  channelMessagesAMinute: limit('CHANNEL_MESSAGES_A_MINUTE', 6000, 1, 10_000_000),
  signInsAnHour: limit('SIGN_INS_AN_HOUR', 300, 1, 10_000_000),
  startsAMinute: limit('STARTS_A_MINUTE', 30_000, 1, 10_000_000),
  pageRunsAtOnce: limit('PAGE_RUNS_AT_ONCE', 8, 1, 1000),
  pageRunsWaiting: limit('PAGE_RUNS_WAITING', 5000, 1, 1_000_000),
  tableRows: limit('TABLE_ROWS', 1_000_000, 1, 1_000_000_000),
  statementSeconds: limit('STATEMENT_SECONDS', 15, 1, 3600),
  sweepMinutes: limit('SWEEP_MINUTES', 60, 1, 10_000),
  importSeconds: limit('IMPORT_SECONDS', 20, 1, 600),
  importMegabytes: limit('IMPORT_MEGABYTES', 256, 64, 8192),
  readingSeconds: limit('READING_SECONDS', 60, 1, 3600),
  readingMegabytes: limit('READING_MEGABYTES', 768, 64, 16_384),
  knowledgeMegabytes: limit('KNOWLEDGE_MEGABYTES', 1000, 64, 65_536),
  contentMegabytes: limit('CONTENT_MEGABYTES', 500, 1, 100_000),
  rehearsalSeconds: limit('REHEARSAL_SECONDS', 30, 1, 3600),
  rehearsalsAtOnce: limit('REHEARSALS_AT_ONCE', 2, 1, 64),
  rehearsalsWaiting: limit('REHEARSALS_WAITING', 20, 1, 10_000),
} satisfies Readonly<Record<string, Limit>>;

export type Limits = Readonly<Record<keyof typeof LIMITS, number>>;

/** The usual limits. */
export const USUAL_LIMITS = Object.fromEntries(Object.entries(LIMITS).map(([name, { usual }]) => [name, usual])) as Limits;

/** Reads the limits from the environment. `problems` names each that is no number within its bounds. */
export function readLimits(env: Readonly<Record<string, string | undefined>>): {
  readonly limits: Limits;
  readonly problems: readonly string[];
} {
  const problems: string[] = [];
  const read = ([name, { env: key, usual, least, most }]: [string, Limit]): [string, number] => {
    const text = env[key];
    if (text === undefined || text === '') return [name, usual];
    const value = Number(text);
    if (!Number.isInteger(value) || value < least || value > most)
      problems.push(`${key}: a whole number from ${least} to ${most}, not "${text.slice(0, 40)}"`);
    return [name, value];
  };
  return { limits: Object.fromEntries(Object.entries(LIMITS).map(read)) as Limits, problems };
}
