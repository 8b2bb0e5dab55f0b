/** Something that somebody said on a channel, in our words. */
export interface Came {
  /** Its id at the other side: a second one with the same id is the same. */
  readonly id: string;
  /** Who says it, as nobody else there can be. */
  readonly sender: string;
  /** Where answers go; to the sender where it is left out. */
  readonly recipient?: string;
  readonly name?: string;
  readonly firstName?: string;
  readonly email?: string;
  readonly language?: string;
  readonly text?: string;
  readonly choice?: string;
  /** Files by their addresses, fetched with the headers that the kind says. */
  readonly pictures?: readonly string[];
  readonly headers?: (address: string) => Readonly<Record<string, string>>;
  /** Files that came along as bytes. */
  readonly files?: readonly { readonly name: string; readonly type: string; readonly bytes: Uint8Array }[];
  /** The message that it answers, by its id there. */
  readonly about?: string;
  /** A thread: ids there of messages of the conversation that it goes on with. Left out where everyone has one conversation. */
  readonly thread?: { readonly ids: readonly string[]; readonly kept: string };
  /** The conversation that it belongs to, where that is known. */
  readonly inConversation?: string;
  /** Nothing was said yet: the bot speaks first. */
  readonly opens?: true;
  readonly payload: string | null;
  /** Until when its files are fetched, in ms of the clock. */
  readonly until?: number;
}

/** What became of something that came. */
export interface Took {
  readonly as: 'taken' | 'repeat' | 'too-many' | 'unreleased' | 'refused';
  readonly conversationId: string | null;
  /** The event that it became. */
  readonly eventId?: string;
}
