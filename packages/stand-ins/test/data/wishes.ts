import type { Tool } from '../../src/model-service/choose.js';
import type { JsonSchema } from '../../src/model-service/fill.js';

/*
 * Tools of trades that the practice model knows nothing of, and what people ask of them: which tool is right, and what it is
 * to be given. The second set was written when the machine was done.
 */

/** What is offered, what is said, the tool that is right, and parameters that are right. */
export type Wish = readonly [tools: readonly Tool[], says: string, tool: string, given?: Readonly<Record<string, unknown>>];

const P = (properties: Readonly<Record<string, JsonSchema>>, required: readonly string[] = []): JsonSchema => ({
  type: 'object',
  properties,
  required,
});
const S = (description = ''): JsonSchema => ({ type: 'string', description });
const D: JsonSchema = { type: 'string', format: 'date' };

const clinic = [
  {
    name: 'list-free-times',
    description: 'free appointment times of a doctor on a day',
    parameters: P({ doctor: S('name of the doctor'), day: { type: 'string', format: 'date', description: 'the day' } }, ['day']),
  },
  {
    name: 'book-appointment',
    description: 'books an appointment',
    parameters: P(
      {
        doctor: S('name of the doctor'),
        day: { type: 'string', format: 'date' },
        time: S('HH:MM'),
        patient: S('name of the patient'),
      },
      ['day', 'time', 'patient'],
    ),
  },
  {
    name: 'cancel-appointment',
    description: 'cancels an appointment',
    parameters: P({ reference: S('the reference of the appointment') }, ['reference']),
  },
  {
    name: 'send-message',
    description: 'sends a message to the practice team',
    parameters: P({ to: S('the person or room that it goes to'), says: S('the words of the message') }, ['to', 'says']),
  },
];
const library = [
  {
    name: 'search_catalogue',
    description: 'finds books by title, author or topic',
    parameters: P({ query: S('what to search for') }, ['query']),
  },
  {
    name: 'renew_loan',
    description: 'renews the loan of a book',
    parameters: P({ card_number: S('number of the library card'), weeks: { type: 'integer', description: 'how many weeks' } }, [
      'card_number',
    ]),
  },
  {
    name: 'opening_hours',
    description: 'opening hours of a branch',
    parameters: P(
      {
        branch: {
          enum: ['north', 'harbour', 'old-town'],
          description: 'north: North branch; harbour: Harbour branch; old-town: Old Town',
        },
      },
      ['branch'],
    ),
  },
  {
    name: 'report_damage',
    description: 'records that a book is damaged',
    parameters: P({ what: S('what is damaged'), reporter: S('who reports it') }, ['what']),
  },
];
const rota = [
  {
    name: 'add-rota',
    description: 'adds a row to the rota: who works when',
    parameters: P(
      { who: S('first name of the crew member'), day: { type: 'string', format: 'date' }, from: S('HH:MM'), until: S('HH:MM') },
      ['who', 'day', 'from', 'until'],
    ),
  },
  {
    name: 'add-repairs',
    description: 'adds a row to Repairs: What is broken aboard',
    parameters: P(
      {
        boat: { enum: ['wrackline', 'sandpiper', null], description: 'wrackline: Wrackline; sandpiper: Sandpiper' },
        what: S('what is broken'),
      },
      ['what'],
    ),
  },
  {
    name: 'send-notice',
    description: 'sends a message to a person or a room',
    parameters: P({ to: S('the person or room that it goes to'), says: S('the words of the message') }, ['to', 'says']),
  },
  {
    name: 'list-sailings',
    description: 'sailings from a port on a day',
    parameters: P(
      {
        origin: {
          enum: ['kelpwick', 'tarn-holm', 'port-anselm'],
          description: 'kelpwick: Kelpwick; tarn-holm: Tarn Holm; port-anselm: Port Anselm',
        },
        destination: {
          enum: ['kelpwick', 'tarn-holm', 'port-anselm'],
          description: 'kelpwick: Kelpwick; tarn-holm: Tarn Holm; port-anselm: Port Anselm',
        },
        day: { type: 'string', format: 'date' },
      },
      ['origin', 'destination', 'day'],
    ),
  },
];
const pizza = [
  {
    name: 'show_menu',
    description: 'lists the dishes and their prices',
    parameters: P({ vegetarian: { type: 'boolean', description: 'only vegetarian dishes' } }),
  },
  {
    name: 'place_order',
    description: 'orders dishes for delivery',
    parameters: P(
      { dish: S('name of the dish'), count: { type: 'integer', description: 'how many' }, address: S('street and number') },
      ['dish', 'address'],
    ),
  },
  {
    name: 'track_order',
    description: 'tells where an order is',
    parameters: P({ order_number: S('the order number') }, ['order_number']),
  },
  {
    name: 'reserve_table',
    description: 'reserves a table',
    parameters: P(
      { people: { type: 'integer', description: 'number of guests' }, day: { type: 'string', format: 'date' }, time: S('HH:MM') },
      ['people', 'day', 'time'],
    ),
  },
];
const fix = [
  {
    name: 'get-weather',
    description: 'weather forecast for a place',
    parameters: P({ city: S('the city'), day: { type: 'string', format: 'date', description: 'the day' } }, ['city']),
  },
  {
    name: 'convert-money',
    description: 'converts an amount into another currency',
    parameters: P(
      {
        amount: { type: 'number', description: 'the amount' },
        to: { enum: ['eur', 'usd', 'gbp'], description: 'eur: euro, euros; usd: dollar, dollars; gbp: pound, pounds' },
      },
      ['amount', 'to'],
    ),
  },
  {
    name: 'set-reminder',
    description: 'sets a reminder',
    parameters: P({ text: S('what to be reminded of'), day: { type: 'string', format: 'date' }, time: S('HH:MM') }, [
      'text',
      'day',
    ]),
  },
  {
    name: 'translate',
    description: 'translates a text into another language',
    parameters: P({ text: S('the text'), language: S('the language') }, ['text', 'language']),
  },
];
export const FIRST_WISHES: readonly Wish[] = [
  [clinic, 'what times does Dr Ferrow have free on Friday?', 'list-free-times', { day: '2026-05-15', doctor: 'Dr Ferrow' }],
  [
    clinic,
    'I need an appointment with Dr Ferrow on Friday at half past nine, my name is Mo Lind',
    'book-appointment',
    { day: '2026-05-15', time: '09:30', patient: 'Mo Lind' },
  ],
  [clinic, 'please cancel my appointment V-318', 'cancel-appointment', { reference: 'V-318' }],
  [
    clinic,
    'tell the front desk that I will be ten minutes late',
    'send-message',
    { to: 'front desk', says: 'I will be ten minutes late' },
  ],
  [clinic, 'Ich möchte meinen Termin V-318 absagen', 'cancel-appointment', { reference: 'V-318' }],
  [clinic, 'welche Termine sind am Montag frei?', 'list-free-times', { day: '2026-05-18' }],
  [library, 'do you have anything about sea birds?', 'search_catalogue', {}],
  [library, 'when is the harbour branch open?', 'opening_hours', { branch: 'harbour' }],
  [library, 'can you extend my book for three weeks? card 20418', 'renew_loan', { card_number: '20418', weeks: 3 }],
  [library, 'the atlas has a torn page', 'report_damage', { what: 'the atlas has a torn page' }],
  [library, 'are you open in the old town on Sundays', 'opening_hours', { branch: 'old-town' }],
  [library, 'looking for a novel by Ida Marsh', 'search_catalogue', {}],
  [
    rota,
    'put Finn on the rota for Thursday after next, six till eight in the evening',
    'add-rota',
    { who: 'Finn', day: '2026-05-21', from: '18:00', until: '20:00' },
  ],
  [rota, 'the bow ramp of the Wrackline jams', 'add-repairs', { boat: 'wrackline' }],
  [rota, 'let the workshop know that the 9:40 is late', 'send-notice', { to: 'workshop', says: 'the 9:40 is late' }],
  [
    rota,
    'which boats go from Kelpwick to Tarn Holm tomorrow?',
    'list-sailings',
    { origin: 'kelpwick', destination: 'tarn-holm', day: '2026-05-12' },
  ],
  [rota, 'Morna works on Saturday from 9 to 17', 'add-rota', { who: 'Morna', day: '2026-05-16', from: '09:00', until: '17:00' }],
  [
    rota,
    'when can I get from Port Anselm to Kelpwick on 20 May',
    'list-sailings',
    { origin: 'port-anselm', destination: 'kelpwick', day: '2026-05-20' },
  ],
  [pizza, 'what do you have without meat? vegetarian please', 'show_menu', { vegetarian: true }],
  [pizza, 'a table for six on Saturday at 8 pm', 'reserve_table', { people: 6, day: '2026-05-16', time: '20:00' }],
  [pizza, 'two margheritas to 14 Mill Lane please', 'place_order', { count: 2 }],
  [pizza, 'where is my order 88213?', 'track_order', { order_number: '88213' }],
  [
    pizza,
    'Quiero reservar una mesa para cuatro personas el viernes a las nueve',
    'reserve_table',
    { people: 4, day: '2026-05-15' },
  ],
  [
    pizza,
    'Einen Tisch für zwei Personen morgen um 19 Uhr bitte',
    'reserve_table',
    { people: 2, day: '2026-05-12', time: '19:00' },
  ],
  [fix, 'will it rain in Kelpwick tomorrow?', 'get-weather', { city: 'Kelpwick', day: '2026-05-12' }],
  [fix, 'how much is 250 pounds in euros', 'convert-money', { amount: 250, to: 'eur' }],
  [fix, 'remind me to call the dentist on Wednesday at 10', 'set-reminder', { day: '2026-05-13', time: '10:00' }],
  [fix, 'what is “good morning” in Spanish?', 'translate', { text: 'good morning', language: 'spanish' }],
  [fix, 'wie wird das Wetter in Bremen?', 'get-weather', { city: 'Bremen' }],
];

const shop = [
  {
    name: 'check_stock',
    description: 'how many pieces of an article are in the warehouse',
    parameters: P({ article: S('number of the article') }, ['article']),
  },
  {
    name: 'create_invoice',
    description: 'writes an invoice to a customer',
    parameters: P(
      {
        customer: S('name of the customer'),
        amount: { type: 'number', description: 'the amount in euros' },
        due: { ...D, description: 'when it is due' },
      },
      ['customer', 'amount'],
    ),
  },
  {
    name: 'refund_payment',
    description: 'pays money back',
    parameters: P({ invoice: S('the invoice number'), reason: S('why') }, ['invoice']),
  },
  {
    name: 'assign_ticket',
    description: 'gives a support ticket to a colleague',
    parameters: P({ ticket: S('number of the ticket'), colleague: S('who gets it') }, ['ticket', 'colleague']),
  },
];
const hotel = [
  {
    name: 'find_rooms',
    description: 'free rooms between two days',
    parameters: P({ arrival: D, departure: D, guests: { type: 'integer', description: 'number of guests' } }, [
      'arrival',
      'departure',
    ]),
  },
  {
    name: 'book_room',
    description: 'books a room',
    parameters: P(
      {
        arrival: D,
        departure: D,
        guest: S('name of the guest'),
        room: { enum: ['single', 'double', 'suite'], description: 'single: single room; double: double room; suite: suite' },
      },
      ['arrival', 'departure', 'guest', 'room'],
    ),
  },
  {
    name: 'wake_up_call',
    description: 'sets a wake-up call for a room',
    parameters: P({ room_number: { type: 'integer', description: 'the number of the room' }, time: S('HH:MM') }, [
      'room_number',
      'time',
    ]),
  },
  {
    name: 'report_fault',
    description: 'notes that something in a room does not work',
    parameters: P({ room_number: { type: 'integer' }, what: S('what does not work') }, ['what']),
  },
];
const school = [
  {
    name: 'absence',
    description: 'records that a pupil is absent',
    parameters: P({ pupil: S('name of the pupil'), from: D, to: D, reason: S('why') }, ['pupil', 'from']),
  },
  { name: 'timetable', description: 'lessons of a class on a day', parameters: P({ class: S('such as 7b'), day: D }, ['day']) },
  {
    name: 'message_teacher',
    description: 'sends a message to a teacher',
    parameters: P({ teacher: S('name of the teacher'), message: S('the message') }, ['teacher', 'message']),
  },
  { name: 'canteen', description: 'what there is to eat in the canteen on a day', parameters: P({ day: D }, ['day']) },
];
export const SECOND_WISHES: readonly Wish[] = [
  [shop, 'do we still have article 44120?', 'check_stock', { article: '44120' }],
  [
    shop,
    'write an invoice to Tilda Marsh over 340 euros, due on 1 June',
    'create_invoice',
    { customer: 'Tilda Marsh', amount: 340, due: '2026-06-01' },
  ],
  [shop, 'please refund invoice R-2210, it was paid twice', 'refund_payment', { invoice: 'R-2210' }],
  [shop, 'give ticket 8812 to Jonas', 'assign_ticket', { ticket: '8812', colleague: 'Jonas' }],
  [shop, 'wie viele Stück von 44120 sind noch da', 'check_stock', { article: '44120' }],
  [shop, 'hand ticket 77 over to Maren', 'assign_ticket', { colleague: 'Maren' }],
  [
    hotel,
    'any rooms from 20 May to 23 May for two guests?',
    'find_rooms',
    { arrival: '2026-05-20', departure: '2026-05-23', guests: 2 },
  ],
  [
    hotel,
    'I would like to book a double room from Friday to Sunday, name is Ida Wren',
    'book_room',
    { arrival: '2026-05-15', departure: '2026-05-17', guest: 'Ida Wren', room: 'double' },
  ],
  [hotel, 'wake me at half past six in room 214', 'wake_up_call', { room_number: 214, time: '06:30' }],
  [hotel, 'the shower in room 12 is dripping', 'report_fault', { room_number: 12 }],
  [hotel, 'Haben Sie vom 20. Mai bis 23. Mai ein Zimmer frei?', 'find_rooms', { arrival: '2026-05-20', departure: '2026-05-23' }],
  [hotel, 'Quiero una habitación doble del viernes al domingo, me llamo Inés', 'book_room', { room: 'double' }],
  [school, 'Lena is ill today and tomorrow', 'absence', { pupil: 'Lena', from: '2026-05-11' }],
  [school, 'what lessons does 7b have on Thursday?', 'timetable', { day: '2026-05-14' }],
  [school, 'what is for lunch tomorrow', 'canteen', { day: '2026-05-12' }],
  [school, 'tell Mr Holm that the trip is cancelled', 'message_teacher', { teacher: 'Mr Holm' }],
  [school, 'my son Tom cannot come on Wednesday because of the dentist', 'absence', { pupil: 'Tom', from: '2026-05-13' }],
  [school, 'was gibt es am Freitag zu essen', 'canteen', { day: '2026-05-15' }],
];
