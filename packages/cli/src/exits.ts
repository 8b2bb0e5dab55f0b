/** What the client's exit code says. */
export const EXIT = {
  ok: 0,
  failed: 1,
  usage: 2,
  problems: 3,
  conflict: 4,
  unreachable: 5,
  signedOut: 6,
  missing: 7,
  tooMuch: 8,
} as const;
export type ExitCode = (typeof EXIT)[keyof typeof EXIT];
