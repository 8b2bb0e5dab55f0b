import type { Message } from '../engine/message.js';
import { readMarkdown } from '../text/markdown.js';

const made = (text: string, more: Partial<Message> = {}): Message => ({ text, blocks: readMarkdown(text), ...more });

const LONG = 'The boat calls at Kelpwick, Tarn Holm and Gannet Quay, and goes back to Port Anselm in the evening. ';

/** One message of each kind, to see what a channel makes of them. */
export const SAMPLE_MESSAGES: readonly { readonly name: string; readonly message: Message }[] = [
  { name: 'Words', message: made('The next boat leaves at **07:40** from Kelpwick.') },
  {
    name: 'Buttons',
    message: made('Which boat?', {
      choices: [
        { id: 'sandpiper', says: 'the Sandpiper' },
        { id: 'wrackline', says: 'the Wrackline' },
      ],
    }),
  },
  { name: 'A picture', message: made('Here she is: ![the Sandpiper](https://marrow-sound.example/sandpiper.png)') },
  { name: 'A link', message: made('See [the timetable](https://marrow-sound.example/timetable).') },
  { name: 'A list', message: made('Bring:\n\n- a warm coat\n- the ticket\n- your dog') },
  {
    name: 'Sources',
    message: made('Dogs travel free on a lead [1].', {
      cites: [
        {
          number: 1,
          title: 'Passenger guide',
          heading: 'Dogs',
          quote: 'Dogs travel free.',
          address: 'https://marrow-sound.example/guide',
        },
      ],
    }),
  },
  {
    name: 'Buttons that open a link',
    message: made('Your case is open.', { links: [{ says: 'Open the case', opens: 'https://marrow-sound.example/cases/7' }] }),
  },
  { name: 'A long text', message: made(LONG.repeat(6).trim()) },
];
