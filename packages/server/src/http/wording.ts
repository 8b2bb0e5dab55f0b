import { problemDetails, type ApiProblemCode, type FieldError, type ProblemDetails } from '@primrose/contract';
import type { Refusals, Refused, RefusalCode, TokenFault } from '../base/refused.js';

/** What a refusal is in the API, how it is said, and what goes with it. */
interface Worded<F> {
  readonly as: ApiProblemCode;
  readonly says: (facts: F) => string;
  readonly extra?: (facts: F) => Readonly<Record<string, unknown>>;
}

const MOST_CLASHES = 50;
const PATCH_WORDS: Readonly<Record<string, string>> = {
  'test-failed': 'has another value than the patch expects',
  'no-such-place': 'is not there',
};

const mega = (bytes: number): string => String(Math.round(bytes / 100_000) / 10);
const first = <T>(items: readonly T[]): T | undefined => items[0];

/** What is wrong with a token, for whoever makes it. */
const TOKEN_WORDS: Readonly<Record<TokenFault, string>> = {
  malformed: 'The token is no JSON Web Token that can be read. Send header, claims and signature in base64url with dots between.',
  algorithm: 'The token is signed in another way than its key is for. Sign it with HS256 or RS256, as the key was set up.',
  'no-key':
    'The token names a key that is not here, or not any more. Sign it with a key of this web chat and put its id into "kid".',
  'key-unclear': 'Several keys could have signed the token. Put the id of the one that did into its header as "kid".',
  forged: 'The signature of the token is not right. Sign it with the secret or the private key that belongs to its "kid".',
  expired: 'The time of the token is over. Issue a new one for each page; a few minutes of "exp" are enough.',
  'not-yet': 'The token is not valid yet ("nbf"). Compare the clocks of both machines.',
  'too-long': 'The token is valid for more than a day. Issue one with a nearer "exp".',
  nobody: 'The token does not say whom it is for. Put an id of the person that never changes into "sub".',
  issuer: 'The token was issued by somebody else. Put the issuer that is set for this web chat into "iss".',
  withdrawn: 'This person was signed out everywhere after the token was issued. Issue a new one, with "iat".',
};

const WORDING: { readonly [C in RefusalCode]: Worded<Refusals[C]> } = {
  'no-bot': {
    as: 'not-found',
    says: () => 'There is no such bot, or it was deleted. The list of bots shows what there is.',
  },
  'too-many': {
    as: 'too-many',
    says: ({ most, seconds, retryAfter }) => `More than ${most} requests in ${seconds} s. Try again in ${retryAfter} s.`,
    extra: ({ retryAfter }) => ({ retryAfter }),
  },
  'sign-in-over': {
    as: 'visitor-unknown',
    says: () => 'The time of this sign-in is over. Open the chat again, and sign in anew.',
  },
  'token-fault': { as: 'sign-in-failed', says: ({ fault }) => TOKEN_WORDS[fault] },
  'no-sign-in': {
    as: 'sign-in-failed',
    says: ({ by }) =>
      by === 'mail'
        ? 'Nobody signs in by mail here. Whoever runs the bot can switch it on, on the page of the channel.'
        : 'No identity service is set here. Whoever runs the bot can name one, on the page of the channel.',
  },
  'code-not-sent': {
    as: 'sign-in-failed',
    says: ({ why, reason }) =>
      why === 'too-many'
        ? 'Too many codes were asked for. Use the last one that came, or try again in an hour.'
        : `The code could not be sent: ${reason}. Check the address, or try again later.`,
  },
  'code-wrong': {
    as: 'sign-in-failed',
    says: ({ left }) =>
      left > 0
        ? `This is not the code. Look at the newest mail and try again; ${left === 1 ? 'one try is' : `${left} tries are`} left.`
        : 'This is not the code, and it cannot be tried any more. Have another one sent.',
  },
  'code-none': { as: 'sign-in-failed', says: () => 'This code is not valid any more. Have another one sent.' },
  'service-fault': {
    as: 'sign-in-failed',
    says: ({ reason }) => `The identity service could not be asked: ${reason}. Try again, or sign in another way.`,
  },
  'token-key': { as: 'invalid-input', says: ({ reason }) => `The key cannot be used: ${reason}.` },
  'no-token-key': { as: 'not-found', says: ({ key }) => `This web chat has no key "${key}".` },
  'no-release': {
    as: 'not-found',
    says: ({ number, newest }) =>
      `There is no Release ${number} of this bot. ${newest === null ? 'There is none yet.' : `The newest is ${newest}.`}`,
  },
  'no-release-before': {
    as: 'no-release',
    says: () => 'No other release was live before, so there is nothing to go back to.',
  },
  'nothing-to-release': {
    as: 'nothing-to-release',
    says: ({ release }) => `The draft is the same as Release ${release}. Change something first.`,
  },
  'release-stopped': {
    as: 'release-stopped',
    says: ({ errors }) =>
      errors.length === 1
        ? 'One error stands in the way. Put it right and release again.'
        : `${errors.length} errors stand in the way. Put them right and release again.`,
    extra: ({ errors }) => ({ errors }),
  },
  'draft-moved-on': {
    as: 'stale-revision',
    says: ({ revision }) => `The draft is at revision ${revision} now. Look at what changed, then release again.`,
    extra: ({ revision }) => ({ revision }),
  },
  'invalid-document': {
    as: 'invalid-document',
    says: ({ errors }) => {
      const error = first(errors);
      return error ? `${error.pointer}: ${error.detail}` : 'The document cannot be read.';
    },
    extra: ({ errors }) => ({ errors }),
  },
  'no-revision': { as: 'not-found', says: ({ revision }) => `The draft has no revision ${revision}.` },
  'revision-to-come': {
    as: 'stale-revision',
    says: ({ revision, asked }) => `The draft is at revision ${revision}; there is no ${asked} yet. Fetch it again.`,
    extra: ({ revision }) => ({ revision }),
  },
  'draft-busy': { as: 'not-ready', says: () => 'The draft is being changed by many at once. Try again.' },
  clash: {
    as: 'clash',
    says: ({ clashes }) => {
      const more = clashes.length > 1 ? ` and ${clashes.length - 1} more` : '';
      return `Somebody changed ${first(clashes)?.path}${more} since. Nothing of yours was stored; choose one of the values, then send the change again.`;
    },
    extra: ({ revision, clashes }) => ({ revision, clashes: clashes.slice(0, MOST_CLASHES) }),
  },
  'patch-failed': {
    as: 'patch-failed',
    says: ({ path, index, why }) =>
      `Step ${index + 1} of the patch: ${path} ${PATCH_WORDS[why] ?? 'cannot be changed'}. Fetch the draft and make the patch anew.`,
    extra: ({ index }) => ({ index }),
  },
  'nothing-to-undo': { as: 'nothing-to-undo', says: () => 'You have no edit left to undo in this draft.' },
  'nothing-to-redo': {
    as: 'nothing-to-undo',
    says: () => 'There is nothing to redo: you have undone nothing since your last edit.',
  },
  'no-restore': {
    as: 'not-found',
    says: ({ newest }) => `The draft can be brought back to revisions 1 to ${newest}.`,
  },
  'file-unreadable': {
    as: 'invalid-document',
    says: () =>
      'The file is neither a zip of a bot’s folder nor one JSON document in UTF-8. Choose a file that was exported from Primrose.',
  },
  'zip-leads-out': {
    as: 'invalid-document',
    says: ({ name }) => `The zip holds "${name.slice(0, 80)}", a name that leads out of the folder. Nothing was imported.`,
  },
  'zip-too-large': {
    as: 'too-large',
    says: ({ files, bytes }) => `The zip holds more than ${files} files or ${bytes / 1e6} MB unpacked. Nothing was imported.`,
  },
  'zip-cut': {
    as: 'invalid-document',
    says: () => 'The zip cannot be unpacked. It may have been cut off on its way; export it again.',
  },
  'file-too-deep': {
    as: 'invalid-document',
    says: () => 'The file holds values that are nested too deeply. Nothing was imported.',
  },
  'file-too-much': {
    as: 'too-large',
    says: ({ seconds, megabytes }) =>
      `The file could not be read within ${seconds} s and ${megabytes} MB of memory. Nothing was imported; split it, or write it more plainly.`,
  },
  'imports-busy': {
    as: 'too-many',
    says: ({ waiting }) => `${waiting} files wait to be read already. Import this one when they are done.`,
  },
  'zip-without-bot': {
    as: 'invalid-document',
    says: () => 'The zip holds no bot: there is no bot.yaml in it. Choose a zip that was exported from Primrose.',
  },
  'file-mistake': {
    as: 'invalid-document',
    says: ({ file, line, message }) => `${file}, line ${line}: ${message}. Nothing was imported.`,
  },
  'not-paused': {
    as: 'not-paused',
    says: () => 'No turn pauses in this simulation. Say something step by step first.',
  },
  'no-simulation': {
    as: 'not-found',
    says: () => 'This bot has no such simulation; it may have been thrown away.',
  },
  'no-simulated-turn': { as: 'not-found', says: () => 'There is no such turn in this simulation.' },
  'no-kept-event': { as: 'not-found', says: ({ sample }) => `The draft has no kept event "${sample}".` },
  'no-key': {
    as: 'no-key',
    says: () => 'This installation has no key to keep secrets with. The operator sets PRIMROSE_SECRET_KEY; see docs/settings.md.',
  },
  'mapping-unusable': {
    as: 'invalid-input',
    says: ({ field, message }) => `The mapping cannot be used, ${field}: ${message}. Correct this.`,
    extra: ({ errors }) => ({ errors }),
  },
  'no-messenger': { as: 'not-found', says: () => 'This bot has no such messenger.' },
  'no-talk': { as: 'not-found', says: () => 'This bot has no such conversation, or it was not handed over to you.' },
  'not-handed-over': {
    as: 'not-handed-over',
    says: () => 'The bot answers in this conversation. Only one that was handed over can be answered here.',
  },
  'handed-back-meanwhile': {
    as: 'not-handed-over',
    says: () => 'The conversation was handed back or ended meanwhile; this was not said. Your words are still in the field.',
  },
  taken: {
    as: 'taken',
    says: ({ by }) => `${by} has taken this conversation, so nothing was done. Ask ${by}, or take it over first.`,
  },
  'answered-meanwhile': {
    as: 'answered-meanwhile',
    says: ({ by }) =>
      `${by} has answered meanwhile; this was not said. Read it, and send your words again if they are still needed.`,
  },
  'inbox-full': { as: 'invalid-input', says: ({ of }) => `There are as many ${of} as there may be. Take some away first.` },
  'no-canned': { as: 'not-found', says: () => 'There are no such canned words, or not any more.' },
  'no-staff': { as: 'not-found', says: () => 'Nobody of the staff of this bot is called so, or not any more.' },
  'staff-name': {
    as: 'invalid-input',
    says: ({ name }) => `Somebody of the staff is called ${name} already. Choose a name by which visitors can tell them apart.`,
  },
  'no-notice-channel': {
    as: 'invalid-input',
    says: ({ channel, able }) =>
      able.length === 0
        ? 'The bot has no channel that can send. Connect a messenger first.'
        : `The bot has no channel "${channel}" that can send. There is: ${able.join(', ')}.`,
  },
  'no-web-chat': { as: 'not-found', says: () => 'This bot has no such web chat. The list of its channels shows what there is.' },
  'web-chats-enough': {
    as: 'invalid-input',
    says: ({ most }) => `A bot has at most ${most} web chats. Use one of those, or copy the bot.`,
  },
  'no-such-line': {
    as: 'not-found',
    says: () => 'Nothing of the bot’s stands under this number here. Name a line that it said.',
  },
  'no-past-chat': { as: 'not-found', says: () => 'There is no such conversation of yours. It may have been erased.' },
  'event-gone': { as: 'not-found', says: () => 'This event is not kept any more. Send it again, then keep it.' },
  'no-hook': {
    as: 'not-found',
    says: () => 'No channel takes webhooks at this address. Copy it from the Channels page.',
  },
  'hook-polled': { as: 'not-found', says: () => 'This messenger is asked for its events; it takes no webhooks.' },
  'no-channel': { as: 'not-found', says: () => 'This bot has no such channel. The list of its channels shows what there is.' },
  'settings-unusable': {
    as: 'invalid-input',
    says: ({ errors }) => `The settings cannot be used, ${errors[0]?.pointer ?? ''}: ${errors[0]?.detail ?? ''}. Correct this.`,
    extra: ({ errors }) => ({ errors }),
  },
  'channel-cannot': {
    as: 'invalid-input',
    says: ({ what, kind }) =>
      ({
        mapping: 'Only a messenger has a mapping.',
        settings: `The settings of a channel of the kind ${kind} are not set in this way.`,
        send: `A channel of the kind ${kind} sends nothing by itself: try it as a visitor does.`,
        copy: `A channel of the kind ${kind} cannot be copied.`,
        delete: `A channel of the kind ${kind} cannot be deleted here.`,
      })[what],
  },
  'test-failed': { as: 'outside-failed', says: ({ reason }) => `The message was not sent: ${reason}.` },
  'channel-is-off': { as: 'channel-off', says: () => 'The channel is switched off. Switch it on, then try it.' },
  'no-line': { as: 'not-ready', says: () => 'The channel is not connected just now; its page says why. Try again when it is.' },
  'channels-enough': { as: 'invalid-input', says: ({ most }) => `A bot has at most ${most} channels. Delete one first.` },
  'no-talk-api': { as: 'not-found', says: () => 'There is no bot API at this address. Copy it from the page of the channel.' },
  'caller-unknown': {
    as: 'caller-unknown',
    says: () => 'This key is not known here, or was withdrawn. Send the key of a caller as a bearer token.',
  },
  'caller-name': {
    as: 'invalid-input',
    says: ({ name }) => `There is a caller "${name}" already. Withdraw its key first, or choose another name.`,
  },
  'callers-enough': { as: 'invalid-input', says: ({ most }) => `A channel has at most ${most} callers. Withdraw a key first.` },
  'no-conversation-here': {
    as: 'not-found',
    says: () => 'You have no such conversation here, or it is over. Open a new one.',
  },
  'no-handshake': { as: 'not-found', says: () => 'The mapping of this channel describes no handshake.' },
  'handshake-failed': {
    as: 'forged-signature',
    says: () => 'The handshake did not pass. Is the same secret set on both sides?',
  },
  'forged-signature': {
    as: 'forged-signature',
    says: () => 'The signature is not right. Is the same secret set on both sides?',
  },
  'hook-off': { as: 'channel-off', says: () => 'The channel is switched off. Send this again later.' },
  'hook-no-json': { as: 'invalid-input', says: () => 'The body cannot be read as JSON.' },
  'hook-unreleased': {
    as: 'no-release',
    says: () => 'This bot has not been released yet. Release it, then send this again.',
  },
  'not-learned': {
    as: 'not-ready',
    says: ({ seconds }) =>
      `What this bot is taught could not be learned within ${seconds} s. The checks say whether there are too many phrases.`,
  },
  'rehearsals-busy': {
    as: 'too-many',
    says: ({ waiting }) => `${waiting} runs of rehearsals wait already. Run these when one of them is done.`,
  },
  'no-page': {
    as: 'not-found',
    says: ({ page }) => `There is no page "${page}" in this version of the bot. Choose one that there is.`,
  },
  'no-shared-page': {
    as: 'not-found',
    says: () => 'There is no page under this link. Ask whoever gave it to you for a new one.',
  },
  'page-off': { as: 'channel-off', says: () => 'This page is switched off just now. Ask whoever shares it, or come back later.' },
  'page-over': { as: 'channel-off', says: () => 'The time of this link is over. Ask whoever shares it for a new one.' },
  'page-unreleased': {
    as: 'no-release',
    says: () => 'This page is not released yet. Release the bot, or fill it in on the draft.',
  },
  'page-password': {
    as: 'wrong-password',
    says: () => 'This is not the password of the page. Try again, or ask whoever shares it.',
  },
  'page-sign-in': { as: 'not-signed-in', says: () => 'This page is for people of this service. Sign in, and open it again.' },
  'page-inputs': {
    as: 'inputs-missing',
    says: ({ problems }) => `${problems.map((p) => `${p.input} ${p.reason}`).join('; ')}. Put that right and send it again.`,
    extra: ({ problems }) => ({ errors: problems.map((p) => ({ pointer: `/inputs/${p.input}`, detail: p.reason })) }),
  },
  'page-enough': {
    as: 'too-many',
    says: ({ of, most }) =>
      of === 'visitor'
        ? `You have had this worked out ${most} times today, which is all that one visitor may. Come back tomorrow.`
        : of === 'day'
          ? `This page has been worked out ${most} times today, which is all that it may. Come back tomorrow.`
          : 'What this page may cost a day is spent. Come back tomorrow.',
  },
  'page-crowded': {
    as: 'too-many',
    says: ({ waiting }) => `${waiting} wait here already. What you wrote is still in the form: send it again in a while.`,
  },
  'page-under-way': {
    as: 'invalid-input',
    says: () => 'This result is still being worked out. Wait until it is there, then make it anew.',
  },
  'page-runs-enough': {
    as: 'too-many',
    says: ({ most }) => `Parts of this result were made anew ${most} times, which is all. Fill the page in again for a new one.`,
  },
  'frozen-enough': {
    as: 'too-many',
    says: ({ most }) =>
      `This result is kept under ${most} links, which is all. Use one of them, or ask the page's owner to take some back.`,
  },
  'no-output': {
    as: 'not-found',
    says: ({ output }) => `Nothing on this page makes "${output}" any more. Fill the page in again.`,
  },
  'no-result': { as: 'not-found', says: () => 'There is no such result, or it is not kept any more.' },
  'nothing-to-freeze': { as: 'invalid-input', says: () => 'Nothing has come of this yet. Wait until an output is there.' },
  'no-page-chat': { as: 'not-found', says: () => 'There is no chat on this page.' },
  'no-share': { as: 'not-found', says: () => 'This page is not shared under such a link any more.' },
  'share-password': {
    as: 'invalid-input',
    says: () => 'A page with a password needs one. Send it along, with four letters at least.',
  },
  'no-copies': { as: 'not-found', says: () => 'There is no page in the gallery that may be copied under this link.' },
  'no-chat': { as: 'not-found', says: () => 'There is no chat at this address. Ask for a new link.' },
  'file-too-large': {
    as: 'too-large',
    says: ({ size, most }) =>
      `The file has ${(size / 1e6).toFixed(1)} MB; at most ${most / 1e6} MB are taken. Send a smaller one, or a part of it.`,
  },
  'file-type': {
    as: 'invalid-input',
    says: ({ reason }) =>
      `The file is not taken: ${reason}. Send a picture (PNG, JPEG, GIF, WebP), a text, a PDF, DOCX, XLSX or EPUB.`,
  },
  'files-enough': { as: 'too-many', says: () => 'You have sent a lot within the last hour. Please send the rest later.' },
  'no-such-file': {
    as: 'invalid-input',
    says: () => 'One of these files was not sent by you here, or is not kept any more. Send it again first.',
  },
  'chat-off': { as: 'channel-off', says: () => 'This chat is switched off for now. Please come back later.' },
  'chat-unreleased': {
    as: 'no-release',
    says: () => 'This bot has not been released yet. Release it, then open the chat again.',
  },
  'no-tools-listed': {
    as: 'outside-failed',
    says: ({ reason }) =>
      `The tools of this server cannot be listed: ${reason}. Check the address of the connection and its secret.`,
  },
  'no-such-choice': {
    as: 'invalid-input',
    says: ({ choice }) =>
      `The bot has offered no button "${choice.slice(0, 80)}". Send the id of one of its last choices, or a text.`,
  },
  'visitor-unknown': { as: 'visitor-unknown', says: () => 'Open the chat first; its answer holds the visitor key.' },
  'no-start': { as: 'not-found', says: ({ start }) => `The bot has no start "${start}".` },
  'inputs-missing': {
    as: 'inputs-missing',
    says: ({ problems }) =>
      `What came does not fill in what the flow takes: ${problems.map((p) => `${p.input} ${p.reason}`).join('; ')}. Correct what is sent, or the mapping of the start.`,
    extra: ({ problems }) => ({
      errors: problems.map((p): FieldError => ({ pointer: `/${p.input}`, detail: `it ${p.reason}` })),
    }),
  },
  'no-start-here': { as: 'not-found', says: () => 'Nothing begins at this address. Copy it from the Starts page.' },
  'start-off': { as: 'channel-off', says: () => 'This start is switched off. Send this again later.' },
  'start-unreleased': {
    as: 'no-release',
    says: () => 'The bot has not been released with this start yet. Release it, or use the address of the draft.',
  },
  'start-broken': {
    as: 'release-stopped',
    says: ({ errors }) =>
      `The draft has errors that stand in the way: ${first(errors)?.pointer ?? ''} ${first(errors)?.detail ?? ''} Put them right and send this again.`,
    extra: ({ errors }) => ({ errors: errors.slice(0, 20) }),
  },
  'start-forged': {
    as: 'forged-signature',
    says: ({ how }) =>
      how === 'signature'
        ? 'The signature is not right. It is the HMAC-SHA-256 of the body, in hex or base64; is the same secret set on both sides?'
        : 'The token is not right. Send it as authorization: Bearer TOKEN; the Starts page makes a new one.',
  },
  'start-body': { as: 'invalid-input', says: ({ wanted, reason }) => `The body cannot be read as ${wanted}: ${reason}.` },
  'start-too-large': {
    as: 'too-large',
    says: ({ bytes }) => `The body has more than ${bytes / 1e6} MB. Nothing was begun; send less.`,
  },
  'run-failed': {
    as: 'run-failed',
    says: ({ reason }) => `The run failed: ${reason}. Its turn sheet on the Runs page says why.`,
    extra: ({ run }) => ({ run }),
  },
  'no-run': { as: 'not-found', says: () => 'There is no such run, or it is not kept any more.' },
  'no-table': { as: 'not-found', says: ({ table }) => `The draft has no table "${table}".` },
  'table-elsewhere': { as: 'not-found', says: ({ reason }) => `${reason[0]?.toUpperCase() ?? ''}${reason.slice(1)}.` },
  'no-row': { as: 'not-found', says: () => 'There is no such row; somebody may have removed it.' },
  'row-conflict': {
    as: 'row-conflict',
    says: ({ reason }) => `${reason[0]?.toUpperCase() ?? ''}${reason.slice(1)}. Nothing was stored; fetch the row again.`,
  },
  'import-crossed': {
    as: 'row-conflict',
    says: () =>
      'Somebody stored a row of the same key meanwhile, so some thousand lines or none are stored. Import the file again, and have rows of the same key changed.',
  },
  'table-full': {
    as: 'too-large',
    says: ({ most }) =>
      `A table has ${most} rows at most, and these would be more. Remove rows first; the operator may set PRIMROSE_TABLE_ROWS.`,
  },
  'row-misfit': {
    as: 'invalid-input',
    says: ({ reason }) => `${reason[0]?.toUpperCase() ?? ''}${reason.slice(1)}. Correct this.`,
  },
  'sheet-unreadable': { as: 'invalid-input', says: ({ reason }) => `The file cannot be read: ${reason}. Nothing was imported.` },
  'document-unreadable': { as: 'invalid-input', says: ({ reason }) => `The document cannot be read: ${reason}.` },
  'content-too-large': {
    as: 'too-large',
    says: ({ size, most }) => `The file has ${mega(size)} MB; a document has at most ${mega(most)} MB. Split it up.`,
  },
  'contents-full': {
    as: 'too-large',
    says: ({ most }) =>
      `The documents of a bot have at most ${mega(most)} MB together. Take some out first, or raise PRIMROSE_CONTENT_MEGABYTES.`,
  },
  'content-differs': {
    as: 'invalid-input',
    says: () =>
      'What came is not what its hash says. Send the file as it is, with the SHA-256 of just these bytes in the address.',
  },
  'contents-missing': {
    as: 'invalid-document',
    says: ({ documents, errors }) =>
      errors.length === 1
        ? (errors[0]?.detail ?? '')
        : `The contents of ${documents.length} documents are not here. Upload their files first, then send the document again.`,
    extra: ({ errors }) => ({ errors }),
  },
  'no-document': { as: 'not-found', says: ({ document }) => `The knowledge base has no document "${document}".` },
  'evaluation-long': {
    as: 'too-large',
    says: ({ seconds, done }) =>
      `After ${seconds} s, ${done} questions had been looked up. Compare fewer splittings at once, or take questions out of the set.`,
  },
  'documents-unready': {
    as: 'release-stopped',
    says: ({ errors }) =>
      errors.length === 1
        ? 'One document stands in the way. Wait until it is read, or take it out of use, and release again.'
        : `${errors.length} documents stand in the way. Wait until they are read, or take them out of use, and release again.`,
    extra: ({ errors }) => ({ errors }),
  },
  'no-conversation-yet': { as: 'visitor-unknown', says: () => 'Open the chat first; there is no conversation yet.' },
};

/** A refusal as problem details (RFC 9457): its code, its status, a sentence that says what to do. */
export function wordedProblem<C extends RefusalCode>({ code, facts }: Refused<C>): ProblemDetails {
  const { as, says, extra }: Worded<Refusals[C]> = WORDING[code];
  return problemDetails(as, says(facts), extra?.(facts));
}
