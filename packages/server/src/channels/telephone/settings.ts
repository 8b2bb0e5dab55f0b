import { z } from 'zod';

const words = z.string().trim().min(1).max(400);

export const telephoneSettings = z.strictObject({
  /** The number that is called, as it is shown to people. */
  number: z
    .string()
    .trim()
    .regex(/^\+?[0-9 ()-]{2,30}$/, 'a telephone number such as +353 1 555 0100')
    .optional()
    .describe('the number that is called, as people are shown it'),
  /** Who calls again from a number is the same visitor. Numbers can be forged, so it is off unless somebody says so. */
  knows_callers: z.boolean().optional().describe('who calls again from a number is the same visitor; numbers can be forged'),
  /** Silence of so many seconds is one; after the third the call is ended. */
  silence: z.number().int().min(2).max(60).optional().describe('seconds without a word that are a silence'),
  /** What is said into silence, by language; and before the call is ended. */
  still_there: z.record(z.string(), words).optional().describe('said into silence, by language'),
  goodbye: z.record(z.string(), words).optional().describe('said before the call is ended after the third silence'),
  /** While something takes long. */
  patience: z.record(z.string(), words).optional().describe('said while something takes long'),
  /** Where the platform keeps a grammar for free speech. */
  grammar: z
    .string()
    .trim()
    .max(300)
    .regex(/^(?:builtin:|https?:\/\/)[^\s"'<>]+$/, 'an address, or builtin:…')
    .optional()
    .describe('where the platform keeps its grammar for free speech'),
  /** Where a call goes that is handed over to staff, such as tel:+35315550100; else staff answer in the inbox, and it is read out. */
  transfer: z
    .string()
    .trim()
    .max(100)
    .regex(/^(?:tel:\+?[0-9-]+|sips?:[^\s"'<>]+)$/, 'an address such as tel:+35315550100')
    .optional()
    .describe('where a call goes that is handed over to staff, such as tel:+35315550100'),
});
export type TelephoneSettings = z.infer<typeof telephoneSettings>;

export const readTelephone = (settings: string | null): TelephoneSettings =>
  telephoneSettings.parse(JSON.parse(settings ?? '{}'));

export const SILENCE_SECONDS = 6;
export const FREE_SPEECH = 'builtin:speech/free';

type Texts = Readonly<Record<string, string>>;
const USUAL: Readonly<Record<'still_there' | 'goodbye' | 'patience' | 'not_understood', Texts>> = {
  still_there: { en: 'Are you still there?', de: 'Sind Sie noch da?', es: '¿Sigue ahí?', fr: 'Vous êtes toujours là ?' },
  goodbye: {
    en: 'I cannot hear you, so I hang up now. Goodbye.',
    de: 'Ich höre Sie nicht und lege jetzt auf. Auf Wiederhören.',
    es: 'No le oigo, así que cuelgo. Adiós.',
    fr: 'Je ne vous entends pas, je raccroche. Au revoir.',
  },
  patience: {
    en: 'One moment please.',
    de: 'Einen Augenblick bitte.',
    es: 'Un momento, por favor.',
    fr: 'Un instant, s’il vous plaît.',
  },
  not_understood: {
    en: 'I did not hear that well. Please say it again.',
    de: 'Das habe ich nicht gut gehört. Bitte sagen Sie es noch einmal.',
    es: 'No lo he oído bien. Repítalo, por favor.',
    fr: 'Je n’ai pas bien entendu. Répétez, s’il vous plaît.',
  },
};

/** What the telephone says by itself, in a language: as it is set, else as usual, else in English. */
export function phoneWords(settings: TelephoneSettings, what: keyof typeof USUAL, language: string): string {
  const short = language.split('-')[0] ?? '';
  const own = what === 'not_understood' ? undefined : settings[what];
  return own?.[language] ?? own?.[short] ?? USUAL[what][short] ?? own?.['en'] ?? USUAL[what]['en'] ?? '';
}
