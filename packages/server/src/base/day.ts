/** The day of a moment in a time zone, as YYYY-MM-DD. */
export function dayIn(zone: string, at: Date): string {
  return new Intl.DateTimeFormat('en-CA', { timeZone: zone }).format(at);
}
