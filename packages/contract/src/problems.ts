/** Every error that the API can answer with: its HTTP status and title. Codes are never used for anything else later. */
export const API_PROBLEMS = {
  'not-signed-in': { status: 401, title: 'Not signed in' },
  'link-used': { status: 401, title: 'The sign-in link is not valid any more' },
  'wrong-password': { status: 401, title: 'This is not the password' },
  'sign-in-failed': { status: 401, title: 'The sign-in did not come about' },
  'visitor-unknown': { status: 401, title: 'This visitor is not known' },
  'cross-site': { status: 403, title: 'The request came from another site' },
  'not-found': { status: 404, title: 'There is no such thing' },
  'method-not-allowed': { status: 405, title: 'This method is not offered here' },
  'nothing-to-undo': { status: 409, title: 'There is nothing to undo or redo' },
  'nothing-to-release': { status: 409, title: 'Nothing changed since the last release' },
  'no-key': { status: 409, title: 'There is no key to keep secrets with' },
  taken: { status: 409, title: 'Somebody else has taken this conversation' },
  'answered-meanwhile': { status: 409, title: 'Somebody else has answered meanwhile' },
  'not-handed-over': { status: 409, title: 'The bot answers here itself' },
  'caller-unknown': { status: 401, title: 'This caller is not known' },
  'forged-signature': { status: 401, title: 'The signature is not right' },
  'not-aside': { status: 409, title: 'This is not put aside any more' },
  'not-paused': { status: 409, title: 'No turn pauses here' },
  'rehearsals-failed': { status: 409, title: 'Rehearsals fail' },
  'no-release': { status: 409, title: 'There is no release yet' },
  'channel-off': { status: 409, title: 'The channel is switched off' },
  'row-conflict': { status: 409, title: 'The row is another one now' },
  'stale-revision': { status: 412, title: 'Somebody changed this in the meantime' },
  clash: { status: 412, title: 'Somebody changed the same place' },
  'too-large': { status: 413, title: 'The request is too large' },
  'wrong-content-type': { status: 415, title: 'The body should be JSON' },
  'invalid-input': { status: 422, title: 'Something in the request does not fit' },
  'invalid-document': { status: 422, title: 'This is no valid bot document' },
  'inputs-missing': { status: 422, title: 'What came does not fill in what the flow takes' },
  'patch-failed': { status: 422, title: 'The patch does not fit the draft' },
  'release-stopped': { status: 422, title: 'The checks found errors' },
  'too-many': { status: 429, title: 'Too many requests' },
  'run-failed': { status: 500, title: 'The run failed' },
  internal: { status: 500, title: 'Something went wrong in Primrose' },
  'outside-failed': { status: 502, title: 'A service outside did not answer as it should' },
  'no-room': { status: 507, title: 'The database is full' },
  'not-ready': { status: 503, title: 'Primrose is not ready' },
} as const satisfies Record<string, { status: number; title: string }>;

export type ApiProblemCode = keyof typeof API_PROBLEMS;

/** A mistake in one field, by JSON Pointer into the request body (or the bot document). */
export interface FieldError {
  readonly pointer: string;
  readonly detail: string;
  readonly code?: string;
}

/** Problem details (RFC 9457). `detail` says what to do. */
export interface ProblemDetails {
  readonly type: string;
  readonly title: string;
  readonly status: number;
  readonly detail: string;
  readonly code: ApiProblemCode;
  readonly errors?: readonly FieldError[];
  readonly [extra: string]: unknown;
}

/** The body of an error answer. */
export function problemDetails(
  code: ApiProblemCode,
  detail: string,
  extra: Readonly<Record<string, unknown>> = {},
): ProblemDetails {
  const { status, title } = API_PROBLEMS[code];
  return { type: `urn:primrose:problem:${code}`, title, status, detail, code, ...extra };
}
