/*
 * Documents in VoiceXML 2.1 (W3C Recommendation, 19 June 2007) with grammars in SRGS 1.0. What is written here is all that the channel
 * uses of them; docs/channels/voicexml-subset.xsd describes it.
 */

/** What a document says and waits for. */
export interface Spoken {
  readonly language: string;
  /** What is said, each with the number of its line: how far somebody listened is told by it. */
  readonly prompts: readonly { readonly text: string; readonly mark: string }[];
  /** The words of what can be chosen, in order; the keys 1 to 9 mean them too. */
  readonly choices: readonly string[];
  /** Where what is heard is sent. */
  readonly next: string;
  /** What goes along: the call and where it stands. */
  readonly with: Readonly<Record<string, string>>;
  readonly silence: number;
  readonly grammar: string;
  /** How it goes on behind what is said: it listens, asks again at once for what was not ready, hangs up, or hands the call on. */
  readonly then: 'listen' | 'go-on' | 'hang-up' | { readonly transfer: string };
}

const escaped = (text: string): string =>
  text
    // Letters that no XML document may hold (XML 1.0, 2.2).
    .replace(/[^\t\n\r\u0020-\uD7FF\uE000-\uFFFD\u{10000}-\u{10FFFF}]/gu, '')
    .replace(/&/g, '&amp;')
    .replace(/</g, '&lt;')
    .replace(/>/g, '&gt;')
    .replace(/"/g, '&quot;');

/** A text as an ECMAScript string that stands in an attribute. */
const quoted = (text: string): string => escaped(`'${text.replace(/[\\']/g, '\\$&').replace(/\r?\n/g, ' ')}'`);

function choiceGrammar(choices: readonly string[], language: string): string {
  const items = choices.map((c) => `<item>${escaped(c)}</item>`).join('');
  const keys = choices
    .slice(0, 9)
    .map((_c, i) => `<item>${i + 1}</item>`)
    .join('');
  const rule = (mode: string, inside: string) =>
    `<grammar xmlns="http://www.w3.org/2001/06/grammar" version="1.0" mode="${mode}" root="said"${mode === 'voice' ? ` xml:lang="${escaped(language)}"` : ''}>` +
    `<rule id="said" scope="public"><one-of>${inside}</one-of></rule></grammar>`;
  return rule('voice', items) + rule('dtmf', keys);
}

/** Writes a document. */
export function writeVoiceXml(spoken: Spoken): string {
  const { language, prompts, choices, next, silence, grammar, then } = spoken;
  const vars = Object.entries(spoken.with).map(([name, v]) => `<var name="${escaped(name)}" expr="${quoted(v)}"/>`);
  const said = prompts.map((p) => `<prompt bargein="true">${escaped(p.text)}<mark name="${escaped(p.mark)}"/></prompt>`).join('');
  const names = Object.keys(spoken.with).join(' ');
  const submit = (more: string, what = '') =>
    `<var name="event" expr="'${more}'"/><submit next="${escaped(next)}" method="post" namelist="${escaped(`${names} event${what}`)}"/>`;
  const heard =
    '<var name="mark" expr="application.lastresult$ != undefined ? application.lastresult$.markname : \'\'"/>' +
    '<var name="mode" expr="application.lastresult$ != undefined ? application.lastresult$.inputmode : \'\'"/>';
  const listen =
    `<field name="said"><property name="timeout" value="${silence}s"/>${said}` +
    `<grammar src="${escaped(grammar)}" mode="voice"/>` +
    (choices.length > 0 ? choiceGrammar(choices, language) : '') +
    `<noinput>${submit('silence')}</noinput><nomatch>${submit('unclear')}</nomatch>` +
    `<filled>${heard}${submit('said', ' said mark mode')}</filled></field>`;
  const blocks: Readonly<Record<'go-on' | 'hang-up', string>> = {
    'go-on': `<block>${said}${submit('wait')}</block>`,
    'hang-up': `<block>${said}<disconnect/></block>`,
  };
  const body =
    typeof then === 'object'
      ? `<block>${said}</block><transfer name="handed" dest="${escaped(then.transfer)}" type="blind"/>`
      : then === 'listen'
        ? listen
        : blocks[then];
  return (
    `<?xml version="1.0" encoding="UTF-8"?>\n` +
    `<vxml version="2.1" xmlns="http://www.w3.org/2001/vxml" xml:lang="${escaped(language)}">` +
    `${vars.join('')}<catch event="connection.disconnect">${submit('hung-up')}</catch>` +
    `<form id="turn">${body}</form></vxml>\n`
  );
}
