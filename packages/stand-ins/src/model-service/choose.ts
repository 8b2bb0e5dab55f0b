import type { JsonSchema } from './fill.js';
import { plain, sense, telling } from './words.js';

/** How the practice model chooses a tool: by likeness between what is wished and what tools say of themselves. */

export interface Tool {
  readonly name: string;
  readonly description: string;
  readonly parameters: JsonSchema;
}

/** A tool with how well it fits a wish. */
export interface Scored {
  readonly tool: Tool;
  readonly score: number;
}

/** From here on a tool fits. */
const FITS = 0.8;

function bag(text: string): Set<string> {
  const words = telling(text);
  return new Set(
    words.flatMap((w) => {
      const same = sense(w);
      return same === undefined ? [w] : [w, `~${same}`];
    }),
  );
}

const bags = new WeakMap<Tool, { readonly name: Set<string>; readonly about: Set<string>; readonly params: Set<string> }>();

function bagsOf(tool: Tool) {
  const known = bags.get(tool);
  if (known) return known;
  const params = Object.entries(tool.parameters.properties ?? {});
  const made = {
    name: bag(tool.name.replaceAll(/[-_.]/g, ' ')),
    about: bag(tool.description),
    params: bag(
      params
        .map(
          ([name, p]) =>
            `${name.replaceAll('_', ' ')} ${p.description ?? ''} ${(p.enum ?? []).join(' ').replaceAll(/[-_]/g, ' ')}`,
        )
        .join(' '),
    ),
  };
  bags.set(tool, made);
  return made;
}

/** Tools by how well they fit, the best first; those that do not fit are left out. A word counts the more the fewer tools have it. */
export function ranked(wish: string, tools: readonly Tool[], fills: Fills = () => 0): Scored[] {
  const words = bag(wish);
  const rarity = (word: string): number => {
    const having = tools.filter((t) => {
      const { name, about } = bagsOf(t);
      return name.has(word) || about.has(word);
    }).length;
    return having === 0 ? 0 : 1 / Math.sqrt(having);
  };
  const near = (word: string, all: Set<string>): boolean =>
    all.has(word) ||
    (!word.startsWith('~') &&
      word.length >= 5 &&
      [...all].some(
        (other) => other.length >= 5 && !other.startsWith('~') && (other.startsWith(word) || word.startsWith(other)),
      ));
  return tools
    .map((tool) => {
      const { name, about, params } = bagsOf(tool);
      let score = 0;
      for (const word of words) {
        const same = word.startsWith('~') ? 0.8 : 1;
        if (near(word, name)) score += 1.4 * same * Math.max(0.6, rarity(word));
        if (near(word, about)) score += 1.1 * same * Math.max(0.6, rarity(word));
        else if (near(word, params)) score += 0.5 * same;
      }
      return { tool, score: score + asksOrTells(wish, tool) + fills(tool) + openQuestion(wish, tool) };
    })
    .filter((s) => s.score >= FITS)
    .sort((a, b) => b.score - a.score);
}

/** How much of what a tool takes is in the words, as a part of its score. */
export type Fills = (tool: Tool) => number;

/** A question that nothing else fits is for a tool that searches. */
function openQuestion(wish: string, { parameters }: Tool): number {
  const asks =
    /\?\s*$/.test(wish) ||
    /^(?:do you have|is there|are there|looking for|i am looking|tell me about|what about|gibt es|hay|busco|ich suche)\b/.test(
      plain(wish),
    );
  const searches = Object.entries(parameters.properties ?? {}).some(([name, p]) =>
    /\b(?:query|question|search|topic)\b/.test(plain(`${name} ${p.description ?? ''}`)),
  );
  return asks && searches ? 0.5 : 0;
}

/** Verbs of tools that do something, as names and descriptions begin with them: English, German, Spanish. */
const ACTS =
  /^(?:add|append|assign|book|buy|call|cancel|change|charge|close|confirm|create|delete|dismiss|edit|enrol|extend|file|fix|give [a-z]+ (?:to|back)|hand|inform|insert|invite|issue|lend|lock|log|make|mark|modify|move|note|notify|open|order|pay|place|plan|post|print|publish|put|record|refund|register|release|remind|remove|renew|rent|replace|report|request|reserve|reset|restart|save|schedule|send|set|share|sign|start|stop|store|submit|subscribe|switch|transfer|turn|unlock|update|upload|withdraw|write)(?:e?s)?\b|^(?:andert|bestellt|bucht|erstellt|fugt|hangt|kundigt|legt|loscht|meldet|notiert|reserviert|schaltet|schickt|schliesst|schreibt|sendet|setzt|speichert|storniert|tragt|verlangert|verschiebt|zahlt)\b|^(?:agrega|anade|anota|anula|apunta|borra|cambia|cancela|crea|elimina|encarga|envia|escribe|guarda|manda|mueve|paga|pide|pone|registra|renueva|reserva)\b/;

/** True for a tool that only reads, as far as its name and its description tell: what acts says so by a verb. */
export function reads({ name, description }: Tool): boolean {
  return ![name.replaceAll(/[-_.]/g, ' '), description].some((words) => ACTS.test(plain(words)));
}

/** A question is for a tool that reads, an order for one that does something. */
function asksOrTells(wish: string, tool: Tool): number {
  const said = plain(wish);
  const question =
    /\?\s*$/.test(said) ||
    /^(?:what|which|when|where|who|how|is|are|do|does|was|welche|wann|wo|wie|gibt|cual|cuando|donde|hay|que)\b/.test(said);
  const order =
    /^(?:please |bitte |por favor )?(?:book|reserve|note|add|send|tell|cancel|move|change|put|order|make|create|delete|remove|inform|log|record|report|buche|notiere|sende|sag|storniere|reserva|anota|envia|cancela)\b/.test(
      said,
    );
  if (question && !order) return reads(tool) ? 0.4 : -0.3;
  return order && !reads(tool) ? 0.3 : 0;
}
