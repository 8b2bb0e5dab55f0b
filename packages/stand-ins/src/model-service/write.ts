/*
 * What the practice model writes where it is given a task and several things that somebody filled in: it puts together what stands
 * in them, and invents nothing. It plans pages in the same way, by the words of their description.
 */

interface Section {
  readonly label: string;
  readonly text: string;
}

/** The parts of a prompt, each under its heading. */
function sectionsOf(text: string): Section[] {
  return text
    .split(/^# /m)
    .slice(1)
    .map((part) => {
      const [label = '', ...rest] = part.split('\n');
      return {
        label: label.trim(),
        text: rest
          .join('\n')
          .replace(/<\/?data[^>]*>/g, '')
          .trim(),
      };
    })
    .filter((s) => s.text !== '');
}

const THINGS: readonly (readonly [RegExp, string])[] = [
  [/\bdogs?\b/i, 'a lead, and water for the dog'],
  [/\bchild(?:ren)?\b|\bkids?\b/i, 'something warm and a game for the children'],
  [/\b(?:bicycles?|bikes?)\b/i, 'a lock and a pump for the bicycle'],
  [/\bcars?\b/i, 'the booking for the car'],
  [/\bwheelchair\b/i, 'the number of the pier, for a hand with the ramp'],
  [/\bwalk(?:s|ing)?\b|\bpath\b/i, 'good shoes'],
  [/\b(?:beach|swim(?:ming)?|bathing)\b/i, 'a towel'],
  [/\b(?:bird|birds|seals?)\b/i, 'field glasses'],
  [/\b(?:food|lunch|picnic)\b/i, 'something to eat'],
  [/\b(?:boat|ferry|sailing|crossing|aboard)\b/i, 'a jacket for the deck'],
];

const sentencesOf = (text: string): string[] =>
  (text.match(/[^.!?\n]+[.!?]?/g) ?? []).map((s) => s.trim()).filter((s) => s.length > 3);

/** A list of rows as lines: the plain values of each. */
function rowLines(text: string): string[] | undefined {
  try {
    const list: unknown = JSON.parse(text);
    if (!Array.isArray(list)) return undefined;
    return list.slice(0, 6).map((row: unknown) =>
      row !== null && typeof row === 'object'
        ? Object.values(row)
            .filter((v) => typeof v === 'string' || typeof v === 'number')
            .slice(0, 5)
            .join(', ')
        : String(row),
    );
  } catch {
    return undefined;
  }
}

function passagesIn(text: string): { number: string; text: string }[] {
  return [...text.matchAll(/^\[(\d+)\] (.+)$/gm)].map((m) => ({ number: m[1] ?? '', text: m[2] ?? '' }));
}

function linesOf({ label, text }: Section): string[] {
  const rows = rowLines(text);
  if (rows) return rows.length === 0 ? [] : rows.map((r) => `${label}: ${r}`);
  const passages = passagesIn(text);
  if (passages.length > 0) return passages.slice(0, 3).map((p) => `${sentencesOf(p.text)[0] ?? p.text} [${p.number}]`);
  const cited = sentencesOf(text).length > 1 && /\[\d+\]/.test(text);
  if (cited) return [`${label}: ${text.length > 600 ? `${text.slice(0, 599)}…` : text}`];
  const [first = text] = sentencesOf(text);
  return [`${label}: ${first.length > 200 ? `${first.slice(0, 199)}…` : first}`];
}

/** What is written for a task over what was filled in; undefined where the prompt is no such thing. */
export function written(told: string, said: string): string | undefined {
  const given = sectionsOf(said);
  const orders = sectionsOf(told);
  const task = orders.find((s) => s.label === 'task')?.text;
  const form = orders.find((s) => s.label === 'form')?.text ?? '';
  if (given.some((s) => s.label === 'question')) return undefined;
  if (task === undefined || given.length === 0 || (given.length < 2 && form === '')) return undefined;
  if (/\bpack(?:ing)?\b/i.test(task)) {
    const all = given.map((s) => s.text).join('\n');
    const things = [...new Set(THINGS.filter(([pattern]) => pattern.test(all)).map(([, thing]) => thing))];
    return (things.length > 0 ? things : ['nothing besides the ticket']).map((t) => `- ${t}`).join('\n');
  }
  const lines = given.flatMap(linesOf);
  if (/\btable\b/i.test(form)) {
    const cells = lines.map((l) => (l.includes(': ') ? [l.slice(0, l.indexOf(': ')), l.slice(l.indexOf(': ') + 2)] : ['', l]));
    return [
      '| What | Value |',
      '| --- | --- |',
      ...cells.map(([a = '', b = '']) => `| ${a.replaceAll('|', '/')} | ${b.replaceAll('|', '/')} |`),
    ].join('\n');
  }
  if (/\blist\b/i.test(form) || given.length > 2) return lines.map((l) => `- ${l}`).join('\n');
  return lines.join('\n\n');
}

const FORMS: readonly (readonly [RegExp, string])[] = [
  [/\b(?:day|date)\b/i, 'date'],
  [/\b(?:number|how many|people|amount)\b/i, 'number'],
  [/\b(?:file|log|document|pdf)\b/i, 'file'],
  [/\b(?:letter|text|notes|description)\b/i, 'long-text'],
];

/** A plan of a page by its description: what stands behind "takes" or "asks for" is filled in, what behind "gives" is made. */
export function planned(said: string): unknown {
  const words = said.replace(/^# .*$/gm, '').trim();
  const part = (pattern: RegExp): string[] =>
    (pattern.exec(words)?.[1] ?? '')
      .split(/,|\band\b/)
      .map((t) => t.replace(/^\s*(?:a|an|the)\s+/i, '').trim())
      .filter((t) => t !== '');
  const short = (t: string): string => t.split(/\s+/).slice(0, 3).join(' ');
  const inputs = part(/\b(?:takes?|asks? for|needs?)\b:?\s*([^.;]+?)(?=\b(?:and )?gives?\b|[.;]|$)/i);
  const outputs = part(/\b(?:gives?|makes?|writes?)\b:?\s*([^.;]+)/i);
  const title = short(words.split(/\b(?:that|which|takes?|asks?)\b/i)[0]?.trim() ?? 'Page');
  return {
    title: title === '' ? 'Page' : title.charAt(0).toUpperCase() + title.slice(1),
    inputs: (inputs.length > 0 ? inputs : ['text']).map((t) => ({
      name: short(t),
      as: FORMS.find(([p]) => p.test(t))?.[1] ?? 'text',
    })),
    outputs: (outputs.length > 0 ? outputs : ['answer']).map((t) => ({
      name: short(t),
      as: /\b(?:picture|banner)\b/i.test(t) ? 'picture' : /\blist\b/i.test(t) ? 'list' : /\btable\b/i.test(t) ? 'table' : 'text',
      task: `Write ${t}.`,
    })),
  };
}
