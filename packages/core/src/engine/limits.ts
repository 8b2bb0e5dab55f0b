/** What one turn, and what it leaves behind, may come to. Sizes are characters of JSON. */
export interface EngineLimits {
  /** One value of a variable. */
  readonly valueSize: number;
  /** All that a conversation holds: variables of flows under way, of the conversation and of the visitor, and contexts. */
  readonly stateSize: number;
  /** The record of one turn. A turn that has more to tell is cut. */
  readonly sheetSize: number;
  /** One message, in characters. */
  readonly messageSize: number;
  /** What one expression may cost, and all of one turn; see `Steps`. */
  readonly expressionSteps: number;
  readonly turnSteps: number;
}

export const ENGINE_LIMITS: EngineLimits = {
  valueSize: 200_000,
  stateSize: 500_000,
  sheetSize: 2_000_000,
  messageSize: 20_000,
  expressionSteps: 100_000,
  turnSteps: 400_000,
};

/** A value in a record is shown whole up to this size, in characters of JSON. */
export const RECORDED_SIZE = 20_000;
