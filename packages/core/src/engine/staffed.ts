import type { BotDocument } from '../document/schema.js';
import { STAFF_DAYS } from '../document/staff.js';
import { localMoment } from '../understanding/calendar.js';

/** Whether staff answer at a moment (ISO 8601, UTC), by the bot's office hours in its time zone; always where it has none. */
export function isStaffed({ staff, zone }: Pick<BotDocument, 'staff' | 'zone'>, at: string): boolean {
  if (!staff?.hours) return true;
  const { date, time } = localMoment(at, zone);
  if (staff.closed?.includes(date)) return false;
  // Sunday is the first day of the calendar, and the last of a week of work.
  const day = STAFF_DAYS[(new Date(`${date}T00:00:00Z`).getUTCDay() + 6) % 7];
  const spans = (day && staff.hours[day])?.split(',') ?? [];
  return spans.some((span) => {
    const [from = '', to = ''] = span.trim().split('-');
    return time >= from && time < to;
  });
}
