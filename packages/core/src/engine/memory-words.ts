import type { MemoryNote } from './sheet.js';

const BY = { words: 'they said it', answer: 'they answered so', model: 'a model proposed it', staff: 'staff wrote it' } as const;
const WHY = {
  'no-kind': 'it is of no kind that is kept',
  never: 'it is something that is never kept',
  order: 'it tells the bot what to do',
} as const;

/** What became of a fact in a turn, as one sentence for designers. */
export function memoryNoteWords(note: MemoryNote): string {
  switch (note.did) {
    case 'kept': {
      const instead = note.before === undefined ? '' : `, in place of “${note.before}”`;
      return `kept ${note.lasts === 'always' ? 'for good' : 'for now'}: “${note.says}”${instead} (${BY[note.by]})`;
    }
    case 'proposed':
      return `to be asked about: “${note.says}” (${BY[note.by]})`;
    case 'used':
      return `used: “${note.says}” filled in ${note.into}`;
    case 'forgot':
      return `forgotten: “${note.says}”`;
    case 'forgot-all':
      return 'everything was forgotten';
    case 'told':
      return 'what is known was told';
    case 'refused':
      return `not kept: “${note.says}”, as ${WHY[note.why]}`;
    default:
      return note satisfies never;
  }
}
