import type { Page } from 'playwright-core';

/** One node of the booking flow as a designer makes it. `after` and `exit` say where it is put. */
export interface Made {
  readonly id: string;
  readonly kind: string;
  readonly after?: readonly [node: string, exit: string];
  /** Fields by their labels; a select is chosen by its words. */
  readonly fields: readonly (readonly [label: string, text: string])[];
  readonly buttons?: readonly string[];
  readonly action?: {
    readonly connection: string;
    readonly address?: string;
    readonly name: string;
    readonly method: string;
    readonly path: string;
  };
}

const ask = (id: string, after: Made['after'], words: string, expects: string, into: string): Made => ({
  id,
  kind: 'ask',
  ...(after ? { after } : {}),
  fields: [
    ['The bot asks', words],
    ['It expects', expects],
    ['Keep the answer as', into],
  ],
});

/** The booking flow of Harbour desk, in the order in which one tells it. */
export const BOOKING: readonly Made[] = [
  ask('ask', undefined, 'Which port do you leave from?', 'text', 'flow.origin'),
  ask('ask-2', ['ask', 'answered'], 'And where to?', 'text', 'flow.destination'),
  ask('ask-3', ['ask-2', 'answered'], 'Which day would you like to sail?', 'date', 'flow.day'),
  ask('ask-4', ['ask-3', 'answered'], 'Do you bring a car or a bicycle?', 'text', 'flow.vehicle'),
  {
    id: 'action',
    kind: 'action',
    after: ['ask-4', 'answered'],
    action: {
      connection: 'booking-office',
      address: 'http://127.0.0.1:4810',
      name: 'list-sailings',
      method: 'GET',
      path: '/sailings',
    },
    fields: [['Keep it as', 'flow.sailings']],
  },
  {
    id: 'choice',
    kind: 'choice',
    after: ['action', 'done'],
    fields: [
      ['The bot says', 'Which sailing suits you?'],
      ['Buttons from a list', 'flow.sailings'],
      ['Keep it as', 'flow.sailing'],
    ],
  },
  {
    id: 'choice-2',
    kind: 'choice',
    after: ['choice', 'picked'],
    fields: [['The bot says', 'Shall I book it?']],
    buttons: ['Yes please', 'No thanks'],
  },
  { id: 'say', kind: 'say', after: ['choice-2', 'choice-1'], fields: [['The bot says', 'One moment.']] },
  {
    id: 'action-2',
    kind: 'action',
    after: ['say', 'said'],
    action: { connection: 'booking-office', name: 'make-booking', method: 'POST', path: '/bookings' },
    fields: [['Keep it as', 'flow.reference']],
  },
  { id: 'say-2', kind: 'say', after: ['action-2', 'done'], fields: [['The bot says', 'You are booked: {{ flow.reference }}.']] },
  { id: 'end', kind: 'end', after: ['say-2', 'said'], fields: [] },
  {
    id: 'hand-over',
    kind: 'hand-over',
    after: ['ask', 'gave-up'],
    fields: [
      ['Why, for staff', 'The booking needs a person'],
      ['The visitor is told', 'A colleague will be with you.'],
    ],
  },
  { id: 'say-3', kind: 'say', after: ['action', 'failed'], fields: [['The bot says', 'I cannot reach the booking office.']] },
  { id: 'say-4', kind: 'say', after: ['choice', 'other'], fields: [['The bot says', 'Please pick one of these.']] },
];

/** The links to nodes that are there already: from, exit, to, and words by which the target is found. */
export const LINKS: readonly (readonly [from: string, exit: string, to: string, words: string])[] = [
  ['ask-2', 'gave-up', 'hand-over', 'colleague'],
  ['ask-3', 'gave-up', 'hand-over', 'colleague'],
  ['ask-4', 'gave-up', 'hand-over', 'colleague'],
  ['say-3', 'said', 'hand-over', 'colleague'],
  ['say-4', 'said', 'choice', 'sailing suits'],
  ['choice-2', 'choice-2', 'end', 'end'],
  ['choice-2', 'other', 'choice-2', 'shall i book'],
  ['action-2', 'failed', 'say-3', 'cannot reach'],
  ['hand-over', 'handed-back', 'end', 'end'],
];

/** What a designer does, counted: a key, a click, a drag, or words typed in one go. */
export class Hands {
  count = 0;
  readonly page: Page;
  constructor(page: Page) {
    this.page = page;
  }

  async press(key: string): Promise<void> {
    this.count++;
    await this.page.keyboard.press(key);
  }

  async type(words: string): Promise<void> {
    this.count++;
    await this.page.keyboard.type(words);
  }

  async click(selector: ReturnType<Page['locator']>): Promise<void> {
    this.count++;
    await selector.click();
  }

  async drag(from: ReturnType<Page['locator']>, to: ReturnType<Page['locator']>): Promise<void> {
    this.count++;
    await from.scrollIntoViewIfNeeded();
    const [a, b] = [await from.boundingBox(), await to.boundingBox()];
    if (!a || !b) throw new Error('nothing to drag');
    await this.page.mouse.move(a.x + a.width / 2, a.y + a.height / 2);
    await this.page.mouse.down();
    await this.page.mouse.move(b.x + b.width / 2, b.y + 12, { steps: 6 });
    await this.page.mouse.up();
  }

  /** The name of what has the focus, as a screen reader says it. */
  focused(): Promise<string> {
    return this.page.evaluate(() => {
      const element = document.activeElement;
      const labels = (element as HTMLInputElement | null)?.labels;
      return element?.getAttribute('aria-label') ?? labels?.[0]?.innerText ?? element?.textContent ?? '';
    });
  }

  /** Tab until a name has the focus; every press counts. */
  async tabTo(name: string): Promise<void> {
    for (let i = 0; i < 40; i++) {
      const now = (await this.focused()).trim();
      if (now === name || now.startsWith(`Exit ${name},`) || now.startsWith(`Exit ${name} to`)) return;
      await this.press('Tab');
    }
    throw new Error(`no ${name} within forty presses of Tab; the focus is on ${await this.focused()}`);
  }

  /** Tab until a node or chip of the Map is focused. */
  async waitFocus(selector: string): Promise<void> {
    await this.page.waitForFunction((s) => document.activeElement?.matches(s) === true, selector);
  }
}
