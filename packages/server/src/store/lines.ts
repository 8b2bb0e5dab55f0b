/** A line of a conversation, as it is shown and sent. */
export interface LineRow {
  readonly conversation_id: string;
  readonly seq: number;
  readonly who: 'visitor' | 'bot' | 'notice' | 'staff';
  readonly external_id: string | null;
  readonly message: string;
  readonly at: Date;
  /** Not to be shown before; null for at once. */
  readonly due_at: Date | null;
  /** Who of the staff said it; and why it could not be delivered. Left out of lines that were just stored. */
  readonly by_name?: string | null;
  readonly failed?: string | null;
}
