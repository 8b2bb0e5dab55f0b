import { z } from 'zod';
import { text } from './shapes.js';

/** Days as office hours name them. */
export const STAFF_DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const;
export type StaffDay = (typeof STAFF_DAYS)[number];

const SPAN = String.raw`([01]\d|2[0-3]):[0-5]\d-(([01]\d|2[0-3]):[0-5]\d|24:00)`;
/** Spans of a day, such as `08:00-12:00, 13:00-17:30`. */
export const HOURS_PATTERN = new RegExp(`^${SPAN}(, ?${SPAN}){0,3}$`);

/** When staff answer, in the bot's time zone, and what is said when they do not. */
export const staff = z.strictObject({
  /** By day; a day that is left out is closed. Without any hours staff are always there. */
  hours: z
    .partialRecord(z.enum(STAFF_DAYS), z.string().regex(HOURS_PATTERN, 'spans such as 08:00-12:00, 13:00-17:30'))
    .optional(),
  /** Days on which nobody is there all the same. */
  closed: z.array(z.iso.date()).max(200).optional(),
  /** Said at a hand-over outside the hours, in place of what the node says. */
  away: text.optional(),
});
export type Staff = z.infer<typeof staff>;
