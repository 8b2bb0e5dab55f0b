import { expect } from 'chai';
import { API_PROBLEMS } from '@primrose/contract';
import { Refused, type RefusalCode, type Refusals } from '../src/base/refused.js';
import { detailsOf, HttpProblem } from '../src/http/problem.js';

const ERRORS = [{ pointer: '/flows/main', detail: 'The flow has no first node.' }];

/** Facts for each refusal with what is said of them, pinned: a changed word is a changed interface. */
const SAID: { readonly [C in RefusalCode]: readonly [facts: Refusals[C], as: string, says: string] } = {
  'no-bot': [{}, 'not-found', 'There is no such bot, or it was deleted. The list of bots shows what there is.'],
  'too-many': [{ most: 3, seconds: 60, retryAfter: 7 }, 'too-many', 'More than 3 requests in 60 s. Try again in 7 s.'],
  'no-talk': [{}, 'not-found', 'This bot has no such conversation, or it was not handed over to you.'],
  'not-handed-over': [
    {},
    'not-handed-over',
    'The bot answers in this conversation. Only one that was handed over can be answered here.',
  ],
  'handed-back-meanwhile': [
    {},
    'not-handed-over',
    'The conversation was handed back or ended meanwhile; this was not said. Your words are still in the field.',
  ],
  taken: [{ by: 'Orla' }, 'taken', 'Orla has taken this conversation, so nothing was done. Ask Orla, or take it over first.'],
  'answered-meanwhile': [
    { by: 'Orla' },
    'answered-meanwhile',
    'Orla has answered meanwhile; this was not said. Read it, and send your words again if they are still needed.',
  ],
  'inbox-full': [
    { of: 'canned words' },
    'invalid-input',
    'There are as many canned words as there may be. Take some away first.',
  ],
  'no-canned': [{}, 'not-found', 'There are no such canned words, or not any more.'],
  'no-staff': [{}, 'not-found', 'Nobody of the staff of this bot is called so, or not any more.'],
  'staff-name': [
    { name: 'Orla' },
    'invalid-input',
    'Somebody of the staff is called Orla already. Choose a name by which visitors can tell them apart.',
  ],
  'no-notice-channel': [
    { channel: 'x', able: [] },
    'invalid-input',
    'The bot has no channel that can send. Connect a messenger first.',
  ],
  'no-web-chat': [{}, 'not-found', 'This bot has no such web chat. The list of its channels shows what there is.'],
  'web-chats-enough': [{ most: 50 }, 'invalid-input', 'A bot has at most 50 web chats. Use one of those, or copy the bot.'],
  'no-such-line': [{}, 'not-found', 'Nothing of the bot’s stands under this number here. Name a line that it said.'],
  'no-past-chat': [{}, 'not-found', 'There is no such conversation of yours. It may have been erased.'],
  'sign-in-over': [{}, 'visitor-unknown', 'The time of this sign-in is over. Open the chat again, and sign in anew.'],
  'token-fault': [
    { fault: 'expired' },
    'sign-in-failed',
    'The time of the token is over. Issue a new one for each page; a few minutes of "exp" are enough.',
  ],
  'no-sign-in': [
    { by: 'mail' },
    'sign-in-failed',
    'Nobody signs in by mail here. Whoever runs the bot can switch it on, on the page of the channel.',
  ],
  'code-not-sent': [
    { why: 'not-sent', reason: 'the mail server did not take it (status 452)' },
    'sign-in-failed',
    'The code could not be sent: the mail server did not take it (status 452). Check the address, or try again later.',
  ],
  'code-wrong': [{ left: 1 }, 'sign-in-failed', 'This is not the code. Look at the newest mail and try again; one try is left.'],
  'code-none': [{}, 'sign-in-failed', 'This code is not valid any more. Have another one sent.'],
  'service-fault': [
    { reason: 'nobody signed in there' },
    'sign-in-failed',
    'The identity service could not be asked: nobody signed in there. Try again, or sign in another way.',
  ],
  'token-key': [{ reason: 'there are 10 already' }, 'invalid-input', 'The key cannot be used: there are 10 already.'],
  'no-token-key': [{ key: 'site' }, 'not-found', 'This web chat has no key "site".'],
  'no-page': [{ page: 'x' }, 'not-found', 'There is no page "x" in this version of the bot. Choose one that there is.'],
  'no-shared-page': [{}, 'not-found', 'There is no page under this link. Ask whoever gave it to you for a new one.'],
  'page-off': [{}, 'channel-off', 'This page is switched off just now. Ask whoever shares it, or come back later.'],
  'page-over': [{}, 'channel-off', 'The time of this link is over. Ask whoever shares it for a new one.'],
  'page-unreleased': [{}, 'no-release', 'This page is not released yet. Release the bot, or fill it in on the draft.'],
  'page-password': [{}, 'wrong-password', 'This is not the password of the page. Try again, or ask whoever shares it.'],
  'page-sign-in': [{}, 'not-signed-in', 'This page is for people of this service. Sign in, and open it again.'],
  'page-inputs': [
    { problems: [{ input: 'day', reason: 'is needed' }] },
    'inputs-missing',
    'day is needed. Put that right and send it again.',
  ],
  'page-enough': [{ of: 'budget', most: 1 }, 'too-many', 'What this page may cost a day is spent. Come back tomorrow.'],
  'page-crowded': [
    { waiting: 40 },
    'too-many',
    '40 wait here already. What you wrote is still in the form: send it again in a while.',
  ],
  'page-under-way': [{}, 'invalid-input', 'This result is still being worked out. Wait until it is there, then make it anew.'],
  'page-runs-enough': [
    { most: 60 },
    'too-many',
    'Parts of this result were made anew 60 times, which is all. Fill the page in again for a new one.',
  ],
  'frozen-enough': [
    { most: 20 },
    'too-many',
    "This result is kept under 20 links, which is all. Use one of them, or ask the page's owner to take some back.",
  ],
  'no-output': [{ output: 'x' }, 'not-found', 'Nothing on this page makes "x" any more. Fill the page in again.'],
  'no-result': [{}, 'not-found', 'There is no such result, or it is not kept any more.'],
  'nothing-to-freeze': [{}, 'invalid-input', 'Nothing has come of this yet. Wait until an output is there.'],
  'no-page-chat': [{}, 'not-found', 'There is no chat on this page.'],
  'no-share': [{}, 'not-found', 'This page is not shared under such a link any more.'],
  'share-password': [{}, 'invalid-input', 'A page with a password needs one. Send it along, with four letters at least.'],
  'no-copies': [{}, 'not-found', 'There is no page in the gallery that may be copied under this link.'],
  'file-too-large': [
    { size: 5_000_000, most: 4_000_000 },
    'too-large',
    'The file has 5.0 MB; at most 4 MB are taken. Send a smaller one, or a part of it.',
  ],
  'file-type': [
    { reason: 'it is empty' },
    'invalid-input',
    'The file is not taken: it is empty. Send a picture (PNG, JPEG, GIF, WebP), a text, a PDF, DOCX, XLSX or EPUB.',
  ],
  'files-enough': [{}, 'too-many', 'You have sent a lot within the last hour. Please send the rest later.'],
  'no-such-file': [
    {},
    'invalid-input',
    'One of these files was not sent by you here, or is not kept any more. Send it again first.',
  ],
  'document-unreadable': [{ reason: 'it is empty' }, 'invalid-input', 'The document cannot be read: it is empty.'],
  'content-too-large': [
    { size: 30_500_000, most: 20_000_000 },
    'too-large',
    'The file has 30.5 MB; a document has at most 20 MB. Split it up.',
  ],
  'contents-full': [
    { most: 500_000_000 },
    'too-large',
    'The documents of a bot have at most 500 MB together. Take some out first, or raise PRIMROSE_CONTENT_MEGABYTES.',
  ],
  'content-differs': [
    {},
    'invalid-input',
    'What came is not what its hash says. Send the file as it is, with the SHA-256 of just these bytes in the address.',
  ],
  'contents-missing': [
    { documents: ['guide/a', 'guide/b'], errors: [...ERRORS, ...ERRORS] },
    'invalid-document',
    'The contents of 2 documents are not here. Upload their files first, then send the document again.',
  ],
  'no-document': [{ document: 'pets' }, 'not-found', 'The knowledge base has no document "pets".'],
  'evaluation-long': [
    { seconds: 110, done: 812 },
    'too-large',
    'After 110 s, 812 questions had been looked up. Compare fewer splittings at once, or take questions out of the set.',
  ],
  'documents-unready': [
    { errors: ERRORS },
    'release-stopped',
    'One document stands in the way. Wait until it is read, or take it out of use, and release again.',
  ],
  'no-release': [{ number: 7, newest: 2 }, 'not-found', 'There is no Release 7 of this bot. The newest is 2.'],
  'no-release-before': [{}, 'no-release', 'No other release was live before, so there is nothing to go back to.'],
  'nothing-to-release': [{ release: 3 }, 'nothing-to-release', 'The draft is the same as Release 3. Change something first.'],
  'release-stopped': [{ errors: ERRORS }, 'release-stopped', 'One error stands in the way. Put it right and release again.'],
  'draft-moved-on': [
    { revision: 9 },
    'stale-revision',
    'The draft is at revision 9 now. Look at what changed, then release again.',
  ],
  'invalid-document': [{ errors: ERRORS }, 'invalid-document', '/flows/main: The flow has no first node.'],
  'no-revision': [{ revision: 4 }, 'not-found', 'The draft has no revision 4.'],
  'revision-to-come': [
    { revision: 2, asked: 5 },
    'stale-revision',
    'The draft is at revision 2; there is no 5 yet. Fetch it again.',
  ],
  'draft-busy': [{}, 'not-ready', 'The draft is being changed by many at once. Try again.'],
  clash: [
    { revision: 3, clashes: [{ path: '/name', theirs: 'A', yours: 'B' }] as never },
    'clash',
    'Somebody changed /name since. Nothing of yours was stored; choose one of the values, then send the change again.',
  ],
  'patch-failed': [
    { path: '/flows/x', index: 1, why: 'no-such-place' },
    'patch-failed',
    'Step 2 of the patch: /flows/x is not there. Fetch the draft and make the patch anew.',
  ],
  'nothing-to-undo': [{}, 'nothing-to-undo', 'You have no edit left to undo in this draft.'],
  'nothing-to-redo': [{}, 'nothing-to-undo', 'There is nothing to redo: you have undone nothing since your last edit.'],
  'no-restore': [{ newest: 6 }, 'not-found', 'The draft can be brought back to revisions 1 to 6.'],
  'file-unreadable': [
    {},
    'invalid-document',
    'The file is neither a zip of a bot’s folder nor one JSON document in UTF-8. Choose a file that was exported from Primrose.',
  ],
  'zip-leads-out': [
    { name: '../bot.yaml' },
    'invalid-document',
    'The zip holds "../bot.yaml", a name that leads out of the folder. Nothing was imported.',
  ],
  'zip-too-large': [
    { files: 2000, bytes: 20_000_000 },
    'too-large',
    'The zip holds more than 2000 files or 20 MB unpacked. Nothing was imported.',
  ],
  'zip-cut': [{}, 'invalid-document', 'The zip cannot be unpacked. It may have been cut off on its way; export it again.'],
  'zip-without-bot': [
    {},
    'invalid-document',
    'The zip holds no bot: there is no bot.yaml in it. Choose a zip that was exported from Primrose.',
  ],
  'file-mistake': [
    { file: 'bot.yaml', line: 3, message: 'it should hold keys and values' },
    'invalid-document',
    'bot.yaml, line 3: it should hold keys and values. Nothing was imported.',
  ],
  'not-paused': [{}, 'not-paused', 'No turn pauses in this simulation. Say something step by step first.'],
  'no-simulation': [{}, 'not-found', 'This bot has no such simulation; it may have been thrown away.'],
  'no-simulated-turn': [{}, 'not-found', 'There is no such turn in this simulation.'],
  'no-kept-event': [{ sample: 'dog' }, 'not-found', 'The draft has no kept event "dog".'],
  'no-key': [
    {},
    'no-key',
    'This installation has no key to keep secrets with. The operator sets PRIMROSE_SECRET_KEY; see docs/settings.md.',
  ],
  'mapping-unusable': [
    { field: '/reads/text', message: 'nothing is read', errors: ERRORS },
    'invalid-input',
    'The mapping cannot be used, /reads/text: nothing is read. Correct this.',
  ],
  'no-messenger': [{}, 'not-found', 'This bot has no such messenger.'],
  'event-gone': [{}, 'not-found', 'This event is not kept any more. Send it again, then keep it.'],
  'no-hook': [{}, 'not-found', 'No channel takes webhooks at this address. Copy it from the Channels page.'],
  'hook-polled': [{}, 'not-found', 'This messenger is asked for its events; it takes no webhooks.'],
  'no-channel': [{}, 'not-found', 'This bot has no such channel. The list of its channels shows what there is.'],
  'settings-unusable': [
    { errors: [{ pointer: '/settings/nick', detail: 'a nickname' }] },
    'invalid-input',
    'The settings cannot be used, /settings/nick: a nickname. Correct this.',
  ],
  'channel-cannot': [{ what: 'mapping', kind: 'irc' }, 'invalid-input', 'Only a messenger has a mapping.'],
  'test-failed': [
    { reason: 'nobody is called isla there' },
    'outside-failed',
    'The message was not sent: nobody is called isla there.',
  ],
  'channel-is-off': [{}, 'channel-off', 'The channel is switched off. Switch it on, then try it.'],
  'no-line': [{}, 'not-ready', 'The channel is not connected just now; its page says why. Try again when it is.'],
  'channels-enough': [{ most: 60 }, 'invalid-input', 'A bot has at most 60 channels. Delete one first.'],
  'no-talk-api': [{}, 'not-found', 'There is no bot API at this address. Copy it from the page of the channel.'],
  'caller-unknown': [
    {},
    'caller-unknown',
    'This key is not known here, or was withdrawn. Send the key of a caller as a bearer token.',
  ],
  'caller-name': [
    { name: 'tides' },
    'invalid-input',
    'There is a caller "tides" already. Withdraw its key first, or choose another name.',
  ],
  'callers-enough': [{ most: 50 }, 'invalid-input', 'A channel has at most 50 callers. Withdraw a key first.'],
  'no-conversation-here': [{}, 'not-found', 'You have no such conversation here, or it is over. Open a new one.'],
  'no-handshake': [{}, 'not-found', 'The mapping of this channel describes no handshake.'],
  'handshake-failed': [{}, 'forged-signature', 'The handshake did not pass. Is the same secret set on both sides?'],
  'forged-signature': [{}, 'forged-signature', 'The signature is not right. Is the same secret set on both sides?'],
  'hook-off': [{}, 'channel-off', 'The channel is switched off. Send this again later.'],
  'hook-no-json': [{}, 'invalid-input', 'The body cannot be read as JSON.'],
  'hook-unreleased': [{}, 'no-release', 'This bot has not been released yet. Release it, then send this again.'],
  'file-too-deep': [{}, 'invalid-document', 'The file holds values that are nested too deeply. Nothing was imported.'],
  'file-too-much': [
    { seconds: 20, megabytes: 256 },
    'too-large',
    'The file could not be read within 20 s and 256 MB of memory. Nothing was imported; split it, or write it more plainly.',
  ],
  'imports-busy': [{ waiting: 20 }, 'too-many', '20 files wait to be read already. Import this one when they are done.'],
  'rehearsals-busy': [{ waiting: 20 }, 'too-many', '20 runs of rehearsals wait already. Run these when one of them is done.'],
  'not-learned': [
    { seconds: 120 },
    'not-ready',
    'What this bot is taught could not be learned within 120 s. The checks say whether there are too many phrases.',
  ],
  'no-tools-listed': [
    { reason: 'example.org answered with status 404' },
    'outside-failed',
    'The tools of this server cannot be listed: example.org answered with status 404. Check the address of the connection and its secret.',
  ],
  'no-such-choice': [
    { choice: 'pets' },
    'invalid-input',
    'The bot has offered no button "pets". Send the id of one of its last choices, or a text.',
  ],
  'no-chat': [{}, 'not-found', 'There is no chat at this address. Ask for a new link.'],
  'chat-off': [{}, 'channel-off', 'This chat is switched off for now. Please come back later.'],
  'chat-unreleased': [{}, 'no-release', 'This bot has not been released yet. Release it, then open the chat again.'],
  'visitor-unknown': [{}, 'visitor-unknown', 'Open the chat first; its answer holds the visitor key.'],
  'no-start': [{ start: 'cal' }, 'not-found', 'The bot has no start "cal".'],
  'inputs-missing': [
    { problems: [{ input: 'call', reason: 'is not there' }] },
    'inputs-missing',
    'What came does not fill in what the flow takes: call is not there. Correct what is sent, or the mapping of the start.',
  ],
  'no-start-here': [{}, 'not-found', 'Nothing begins at this address. Copy it from the Starts page.'],
  'start-off': [{}, 'channel-off', 'This start is switched off. Send this again later.'],
  'start-unreleased': [
    {},
    'no-release',
    'The bot has not been released with this start yet. Release it, or use the address of the draft.',
  ],
  'start-broken': [
    { errors: ERRORS },
    'release-stopped',
    'The draft has errors that stand in the way: /flows/main The flow has no first node. Put them right and send this again.',
  ],
  'start-forged': [
    { how: 'token' },
    'forged-signature',
    'The token is not right. Send it as authorization: Bearer TOKEN; the Starts page makes a new one.',
  ],
  'start-body': [
    { wanted: 'JSON', reason: 'it is nested too deeply' },
    'invalid-input',
    'The body cannot be read as JSON: it is nested too deeply.',
  ],
  'start-too-large': [{ bytes: 1_000_000 }, 'too-large', 'The body has more than 1 MB. Nothing was begun; send less.'],
  'run-failed': [
    { reason: 'its flow ended as failed', run: 'r' },
    'run-failed',
    'The run failed: its flow ended as failed. Its turn sheet on the Runs page says why.',
  ],
  'no-run': [{}, 'not-found', 'There is no such run, or it is not kept any more.'],
  'no-table': [{ table: 'repair' }, 'not-found', 'The draft has no table "repair".'],
  'table-elsewhere': [{ reason: 'there is no bot "x"' }, 'not-found', 'There is no bot "x".'],
  'no-row': [{}, 'not-found', 'There is no such row; somebody may have removed it.'],
  'row-conflict': [
    { reason: 'the row was changed' },
    'row-conflict',
    'The row was changed. Nothing was stored; fetch the row again.',
  ],
  'import-crossed': [
    {},
    'row-conflict',
    'Somebody stored a row of the same key meanwhile, so some thousand lines or none are stored. Import the file again, and have rows of the same key changed.',
  ],
  'table-full': [
    { most: 5 },
    'too-large',
    'A table has 5 rows at most, and these would be more. Remove rows first; the operator may set PRIMROSE_TABLE_ROWS.',
  ],
  'row-misfit': [
    { reason: 'repairs: what has to be filled in' },
    'invalid-input',
    'Repairs: what has to be filled in. Correct this.',
  ],
  'sheet-unreadable': [
    { reason: 'it holds nothing' },
    'invalid-input',
    'The file cannot be read: it holds nothing. Nothing was imported.',
  ],
  'no-conversation-yet': [{}, 'visitor-unknown', 'Open the chat first; there is no conversation yet.'],
};

const detailed = (code: RefusalCode) => detailsOf(new Refused(code, SAID[code][0]));

describe('what is refused', () => {
  for (const code of Object.keys(SAID) as RefusalCode[]) {
    const [, as, says] = SAID[code];
    it(`is worded for people: ${code}`, () => {
      const details = detailed(code);
      expect(details).to.include({ code: as, detail: says, status: API_PROBLEMS[as as keyof typeof API_PROBLEMS].status });
      expect(details?.type).to.equal(`urn:primrose:problem:${as}`);
    });
  }
  it('counts what it speaks of', () => {
    const two = new Refused('release-stopped', { errors: [...ERRORS, ...ERRORS] });
    expect(detailsOf(two)?.detail).to.match(/^2 errors stand in the way\./);
    const none = new Refused('no-release', { number: 1, newest: null });
    expect(detailsOf(none)?.detail).to.equal('There is no Release 1 of this bot. There is none yet.');
    const clashes = Array.from({ length: 80 }, (_, i) => ({ path: `/flows/f${i}` })) as never;
    const many = detailsOf(new Refused('clash', { revision: 4, clashes }));
    expect(many?.detail).to.match(/^Somebody changed \/flows\/f0 and 79 more since\./);
    expect(many?.['clashes']).to.have.length(50);
  });
  it('brings its facts along for programs, and a long name is cut', () => {
    expect(detailed('release-stopped')?.errors).to.deep.equal(ERRORS);
    expect(detailed('draft-moved-on')).to.include({ revision: 9 });
    expect(detailed('patch-failed')).to.include({ index: 1 });
    const long = new Refused('zip-leads-out', { name: `../${'x'.repeat(500)}` });
    expect(detailsOf(long)?.detail.length).to.be.below(180);
  });
  it('is told apart from what the edge finds by itself, and from what nobody expected', () => {
    expect(detailsOf(new HttpProblem('not-found', 'There is nothing here.'))?.code).to.equal('not-found');
    expect(detailsOf(new Error('no room on the heap'))).to.equal(undefined);
  });
});
