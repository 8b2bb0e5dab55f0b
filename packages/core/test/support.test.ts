import { expect } from 'chai';
import { checkAnswer, supportOf } from '@primrose/core';
import { SUPPORT_CASES } from './data/support-cases.js';

/** Passages as they are cited, and sentences about them: which say what stands there, and which do not, with why. */
const SOURCES = {
  dogs: 'Dogs travel free of charge on both boats. They stay on a lead and on the open deck or in the stern saloon. Please bring a muzzle.',
  luggage: 'Each passenger may take two pieces of luggage of up to 20 kg each. Nothing is weighed.',
  bicycles: 'A bicycle costs 2 pounds on every crossing. The after deck of the Sandpiper has room for twelve.',
  winter:
    'From 2 November to 27 March the boats sail three times a day: at 08:10, 12:40 and 17:20 from Kelpwick. There is no late boat in winter.',
  works:
    'From 11 to 22 January the pier at Port Anselm is closed for repairs. Boats call at the old slip, 300 metres to the east.',
  cancel: 'Whoever cancels on the day of the sailing gets half of the fare back; whoever does not come gets nothing back.',
  storm:
    'The boats sail in winds of up to force 8. If a sailing is cancelled because of the weather, the fare is returned in full.',
  wifi: 'There is no wifi aboard. The Wrackline has sockets at the window seats for charging a phone.',
  tickets: 'Children under five travel free; from five to fifteen they pay 4 pounds. There is no discount for students.',
  office: 'Lost property is kept at Kelpwick for thirty days. You can fetch it between 08:00 and 18:00.',
  gruppen:
    'Gruppen ab zehn Personen melden sich mindestens fünf Tage vorher an. Der Gruppenpreis beträgt 6 Pfund je Person. Am Sonntag fährt kein Spätboot.',
  perros: 'Los perros viajan gratis en los dos barcos. Se quedan con correa en la cubierta. No hay perreras a bordo.',
  liability:
    'For luggage that is lost through our fault we pay up to 1,400.50 pounds a passenger. Tell the office within three days.',
} as const;
type Source = keyof typeof SOURCES;

const SUPPORTED: readonly (readonly [Source, string, string?])[] = [
  ['dogs', 'Dogs travel free.'],
  ['dogs', 'Your dog stays on a lead, on the open deck or in the stern saloon.'],
  ['dogs', 'On both boats dogs travel free of charge, but please bring a muzzle.'],
  ['luggage', 'You may take two pieces of luggage.'],
  ['luggage', 'Each piece of luggage may have up to 20 kg.'],
  ['luggage', 'You can take 2 pieces of luggage of 20 kilograms each.'],
  ['luggage', 'Luggage is not weighed.'],
  ['bicycles', 'A bicycle costs £2.'],
  ['bicycles', 'Each crossing with a bicycle costs two pounds.'],
  ['bicycles', 'There is room for 12 on the after deck of the Sandpiper.'],
  ['winter', 'In winter boats sail from Kelpwick at 8:10, 12:40 and 17:20.'],
  ['winter', 'The boats sail 3 times a day until 27 March.'],
  ['winter', 'There is no late boat in winter.'],
  ['winter', 'From Kelpwick the last boat sails at 5:20 pm.'],
  ['works', 'The pier at Port Anselm is closed from 11 to 22 January.'],
  ['works', 'Boats call at the old slip 300 m to the east.'],
  ['cancel', 'If you cancel on the day of the sailing, you get half of the fare back.'],
  ['cancel', 'Whoever does not come gets nothing back.'],
  ['storm', 'The fare is returned in full if a sailing is cancelled because of the weather.'],
  ['storm', 'The boats sail up to force 8.'],
  ['storm', 'Sailings are possible in winds of up to force eight.'],
  ['wifi', 'There is no wifi aboard.'],
  ['wifi', 'Phones can be charged at the window seats of the Wrackline.'],
  ['wifi', "The boats don't have wifi."],
  ['tickets', 'Children under 5 travel free.'],
  ['tickets', 'Children from five to fifteen pay 4 pounds.'],
  ['tickets', 'Students get no discount.'],
  ['office', 'Lost property is kept for 30 days.'],
  ['office', 'You can fetch it between 8:00 and 18:00 at Kelpwick.'],
  ['office', 'Lost property can be fetched until 6 pm.'],
  ['gruppen', 'Gruppen ab 10 Personen melden sich fünf Tage vorher an.', 'de'],
  ['gruppen', 'Der Gruppenpreis beträgt 6 Pfund.', 'de'],
  ['gruppen', 'Am Sonntag fährt kein Spätboot.', 'de'],
  ['gruppen', 'The price for groups is 6 pounds a person.'],
  ['perros', 'Los perros viajan gratis.', 'es'],
  ['perros', 'Se quedan en la cubierta con correa.', 'es'],
  ['perros', 'No hay perreras a bordo.', 'es'],
  ['perros', 'Dogs travel free on both boats.'],
  ['liability', 'We pay up to 1400.50 pounds for lost luggage.'],
  ['liability', 'Tell the office within 3 days.'],
];

const UNSUPPORTED: readonly (readonly [Source, string, string, string?])[] = [
  ['dogs', 'A dog costs 3 pounds.', 'number'],
  ['dogs', 'Dogs do not stay on a lead.', 'negation'],
  ['dogs', 'Dogs travel in the forward saloon with a blanket and their favourite toys.', 'words'],
  ['dogs', 'Dogs travel free of charge on boats to Tarn Holm.', 'name'],
  ['luggage', 'You may take three pieces of luggage.', 'number'],
  ['luggage', 'Each piece of luggage may have up to 25 kg.', 'number'],
  ['luggage', 'Each piece of luggage may have up to 20 pounds.', 'unit'],
  ['luggage', 'All luggage is weighed.', 'negation'],
  ['bicycles', 'A bicycle costs 2 euros.', 'unit'],
  ['bicycles', 'A bicycle costs 12 pounds.', 'unit'],
  ['bicycles', 'A bicycle does not cost 2 pounds.', 'negation'],
  ['bicycles', 'The after deck of the Wrackline has room for twelve.', 'name'],
  ['winter', 'In winter boats sail from Kelpwick at 9:10.', 'number'],
  ['winter', 'The boats sail four times a day.', 'number'],
  ['winter', 'There is a late boat in winter.', 'negation'],
  ['winter', 'The boats sail three times a day from Gannet Quay.', 'name'],
  ['winter', 'The timetable holds until 27 April.', 'name'],
  ['works', 'The pier at Port Anselm is closed from 11 to 22 February.', 'name'],
  ['works', 'Boats call at the old slip 300 km to the east.', 'unit'],
  ['works', 'The pier at Port Anselm is not closed for repairs.', 'negation'],
  ['cancel', 'Whoever cancels gets 80 % of the fare back.', 'number'],
  ['cancel', 'Refunds are paid to your credit card by the bank within the week.', 'words'],
  ['storm', 'The fare is not returned if a sailing is cancelled because of the weather.', 'negation'],
  ['storm', 'The boats sail up to force 10.', 'number'],
  ['wifi', 'There is wifi aboard.', 'negation'],
  ['wifi', 'The Sandpiper has sockets at the window seats.', 'name'],
  ['wifi', 'Wifi aboard costs 5 pounds an hour.', 'number'],
  ['tickets', 'Children under seven travel free.', 'number'],
  ['tickets', 'Children from five to fifteen pay 4 euros.', 'unit'],
  ['tickets', 'There is a discount for students.', 'negation'],
  ['office', 'Lost property is kept for 60 days.', 'number'],
  ['office', 'Lost property is kept for thirty weeks.', 'unit'],
  ['office', 'You can fetch it between 08:00 and 20:00.', 'number'],
  ['office', 'Lost property is kept at Tarn Holm for thirty days.', 'name'],
  ['gruppen', 'Gruppen ab zwölf Personen melden sich an.', 'number', 'de'],
  ['gruppen', 'Der Gruppenpreis beträgt 6 Euro je Person.', 'unit', 'de'],
  ['gruppen', 'Am Sonntag fährt ein Spätboot.', 'negation', 'de'],
  ['perros', 'Los perros no viajan gratis.', 'negation', 'es'],
  ['perros', 'Hay perreras a bordo.', 'negation', 'es'],
  ['liability', 'We pay up to 14,000 pounds for lost luggage.', 'number'],
];

/** What is judged wrongly of the further cases; whoever mends one takes it out here. */
const MISJUDGED = {
  dropped: [
    'You can take two bags of at most 23 kg each.',
    'The Sandpiper has no galley, but a vending machine.',
    'The first change of the day is free of charge.',
    'In summer it opens at 10.',
    'You may take photographs, but not with a flash.',
  ],
  let: [
    'A change always costs 5 pounds.',
    'Photography is not allowed.',
    'Katzen reisen im Käfig.',
    'Les chiens guides paient 2 livres.',
    'Les autres chiens voyagent gratuitement.',
  ],
};

describe('whether a sentence is supported by what it cites', () => {
  it('has forty sentences that are and forty that are not', () => {
    expect([SUPPORTED.length, UNSUPPORTED.length]).to.deep.equal([40, 40]);
  });

  it('is told of 87 further sentences that are, and 98 that are not, but for those that are known', () => {
    const judged = SUPPORT_CASES.flatMap(({ quote, language, says, saysNot }) => [
      ...says.map((sentence) => ({ sentence, right: true, ok: supportOf(sentence, [{ quote }], language).ok })),
      ...saysNot.map((sentence) => ({ sentence, right: false, ok: supportOf(sentence, [{ quote }], language).ok })),
    ]);
    const of = (right: boolean) => judged.filter((j) => j.right === right);
    expect([of(true).length, of(false).length]).to.deep.equal([87, 98]);
    expect(of(true).flatMap((j) => (j.ok ? [] : [j.sentence]))).to.deep.equal(MISJUDGED.dropped);
    expect(of(false).flatMap((j) => (j.ok ? [j.sentence] : []))).to.deep.equal(MISJUDGED.let);
  });

  for (const [source, sentence, language = 'en'] of SUPPORTED)
    it(`is: ${sentence}`, () => {
      expect(supportOf(sentence, [{ quote: SOURCES[source] }], language)).to.deep.equal({ ok: true });
    });

  for (const [source, sentence, why, language = 'en'] of UNSUPPORTED)
    it(`is not, by its ${why}: ${sentence}`, () => {
      expect(supportOf(sentence, [{ quote: SOURCES[source] }], language)).to.include({ ok: false, why });
    });

  it('leaves out of an answer what is not, and keeps the rest with its marks', () => {
    const passages = [
      { number: 1, quote: SOURCES.dogs },
      { number: 2, quote: SOURCES.luggage },
    ];
    const checked = checkAnswer(
      'Dogs travel free [1]. Each may have 30 kg of luggage. [2] You may take two pieces of luggage. [2]',
      passages,
      'en',
    );
    expect(checked.text).to.equal('Dogs travel free [1]. You may take two pieces of luggage. [2]');
    expect(checked.dropped.map((d) => d.why)).to.deep.equal(['number']);
    // What cites a passage that says something else is not supported by another one.
    expect(checkAnswer('Dogs travel free [2].', passages, 'en').kept).to.equal(0);
    expect(checkAnswer('Dogs travel free [7].', passages, 'en').dropped[0]?.why).to.equal('nothing-cited');
  });
});
