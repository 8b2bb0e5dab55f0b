import type { FieldError } from '@primrose/contract';
import type { Clash, InputProblem } from '@primrose/core';

/** Why a token of a host page is not believed. */
export type TokenFault =
  | 'malformed'
  | 'algorithm'
  | 'no-key'
  | 'key-unclear'
  | 'forged'
  | 'expired'
  | 'not-yet'
  | 'too-long'
  | 'nobody'
  | 'issuer'
  | 'withdrawn';

type Nothing = Record<never, never>;

/** Why something that was asked for is not done, and the facts that go with it. How it is worded, and as what, is the edge's affair. */
export interface Refusals {
  'no-bot': Nothing;
  'too-many': { readonly most: number; readonly seconds: number; readonly retryAfter: number };
  'no-release': { readonly number: number; readonly newest: number | null };
  'no-release-before': Nothing;
  'nothing-to-release': { readonly release: number | null };
  'release-stopped': { readonly errors: readonly FieldError[] };
  'draft-moved-on': { readonly revision: number };
  'invalid-document': { readonly errors: readonly FieldError[] };
  'no-revision': { readonly revision: number };
  'revision-to-come': { readonly revision: number; readonly asked: number };
  'draft-busy': Nothing;
  clash: { readonly revision: number; readonly clashes: readonly Clash[] };
  'patch-failed': { readonly path: string; readonly index: number; readonly why: string };
  'nothing-to-undo': Nothing;
  'nothing-to-redo': Nothing;
  'no-restore': { readonly newest: number };
  'file-unreadable': Nothing;
  'zip-leads-out': { readonly name: string };
  'zip-too-large': { readonly files: number; readonly bytes: number };
  'zip-cut': Nothing;
  'file-too-deep': Nothing;
  'file-too-much': { readonly seconds: number; readonly megabytes: number };
  'imports-busy': { readonly waiting: number };
  'zip-without-bot': Nothing;
  'file-mistake': { readonly file: string; readonly line: number; readonly message: string };
  'not-paused': Nothing;
  'no-simulation': Nothing;
  'no-simulated-turn': Nothing;
  'no-kept-event': { readonly sample: string };
  'no-key': Nothing;
  'mapping-unusable': { readonly field: string; readonly message: string; readonly errors: readonly FieldError[] };
  'no-messenger': Nothing;
  'no-talk': Nothing;
  'not-handed-over': Nothing;
  'handed-back-meanwhile': Nothing;
  taken: { readonly by: string };
  'answered-meanwhile': { readonly by: string };
  'inbox-full': { readonly of: string };
  'no-canned': Nothing;
  'no-staff': Nothing;
  'staff-name': { readonly name: string };
  'no-notice-channel': { readonly channel: string; readonly able: readonly string[] };
  'no-web-chat': Nothing;
  'web-chats-enough': { readonly most: number };
  'no-such-line': Nothing;
  'no-past-chat': Nothing;
  'event-gone': Nothing;
  'no-hook': Nothing;
  'hook-polled': Nothing;
  'no-channel': Nothing;
  'settings-unusable': { readonly errors: readonly FieldError[] };
  'channel-cannot': { readonly what: 'mapping' | 'settings' | 'send' | 'copy' | 'delete'; readonly kind: string };
  'test-failed': { readonly reason: string };
  'no-line': Nothing;
  'channel-is-off': Nothing;
  'channels-enough': { readonly most: number };
  'no-talk-api': Nothing;
  'caller-unknown': Nothing;
  'caller-name': { readonly name: string };
  'callers-enough': { readonly most: number };
  'no-conversation-here': Nothing;
  'no-handshake': Nothing;
  'handshake-failed': Nothing;
  'forged-signature': Nothing;
  'hook-off': Nothing;
  'hook-no-json': Nothing;
  'hook-unreleased': Nothing;
  'not-learned': { readonly seconds: number };
  'rehearsals-busy': { readonly waiting: number };
  'no-page': { readonly page: string };
  'no-shared-page': Nothing;
  'page-off': Nothing;
  'page-over': Nothing;
  'page-unreleased': Nothing;
  'page-password': Nothing;
  'page-sign-in': Nothing;
  'page-inputs': { readonly problems: readonly InputProblem[] };
  'page-enough': { readonly of: 'visitor' | 'day' | 'budget'; readonly most: number };
  'page-crowded': { readonly waiting: number };
  'page-under-way': Nothing;
  'page-runs-enough': { readonly most: number };
  'frozen-enough': { readonly most: number };
  'no-output': { readonly output: string };
  'no-result': Nothing;
  'nothing-to-freeze': Nothing;
  'no-page-chat': Nothing;
  'no-share': Nothing;
  'share-password': Nothing;
  'no-copies': Nothing;
  'no-chat': Nothing;
  'chat-off': Nothing;
  'chat-unreleased': Nothing;
  'no-such-choice': { readonly choice: string };
  'file-too-large': { readonly size: number; readonly most: number };
  'file-type': { readonly reason: string };
  'files-enough': Nothing;
  'no-such-file': Nothing;
  'visitor-unknown': Nothing;
  'sign-in-over': Nothing;
  'token-fault': { readonly fault: TokenFault };
  'no-sign-in': { readonly by: 'mail' | 'service' };
  'code-not-sent': { readonly why: 'too-many' | 'not-sent'; readonly reason: string };
  'code-wrong': { readonly left: number };
  'code-none': Nothing;
  'service-fault': { readonly reason: string };
  'token-key': { readonly reason: string };
  'no-token-key': { readonly key: string };
  'no-conversation-yet': Nothing;
  'no-start': { readonly start: string };
  'inputs-missing': { readonly problems: readonly InputProblem[] };
  'no-start-here': Nothing;
  'start-off': Nothing;
  'start-unreleased': Nothing;
  'start-broken': { readonly errors: readonly FieldError[] };
  'start-forged': { readonly how: 'signature' | 'token' };
  'start-body': { readonly wanted: string; readonly reason: string };
  'start-too-large': { readonly bytes: number };
  'run-failed': { readonly reason: string; readonly run: string };
  'no-run': Nothing;
  'no-table': { readonly table: string };
  'table-elsewhere': { readonly reason: string };
  'no-row': Nothing;
  'no-tools-listed': { readonly reason: string };
  'row-conflict': { readonly reason: string };
  'import-crossed': Nothing;
  'table-full': { readonly most: number };
  'row-misfit': { readonly reason: string };
  'sheet-unreadable': { readonly reason: string };
  /** `pictured`: its pages are pictures, which somebody who sees could read. */
  'document-unreadable': { readonly reason: string; readonly pictured?: true };
  'content-too-large': { readonly size: number; readonly most: number };
  'contents-full': { readonly most: number };
  'content-differs': Nothing;
  'contents-missing': { readonly documents: readonly string[]; readonly errors: readonly FieldError[] };
  'no-document': { readonly document: string };
  'evaluation-long': { readonly seconds: number; readonly done: number };
  'documents-unready': { readonly errors: readonly FieldError[] };
}
export type RefusalCode = keyof Refusals;

/** Ends what was asked for, with a reason as data. */
export class Refused<C extends RefusalCode = RefusalCode> extends Error {
  readonly code: C;
  readonly facts: Refusals[C];

  constructor(code: C, facts: Refusals[C]) {
    super(code);
    this.code = code;
    this.facts = facts;
  }
}
