/** Passages with sentences that they say and sentences that they do not say. Written after the forty and forty of the test, a set at a time. */
export interface SupportCase {
  readonly language: string;
  readonly quote: string;
  readonly says: readonly string[];
  readonly saysNot: readonly string[];
}

export const SUPPORT_CASES: readonly SupportCase[] = [
  {
    language: 'en',
    quote:
      'A bicycle costs 4 pounds each way. On the Sandpiper there is room for twelve of them, and tandems count twice. Electric bicycles must not be charged on board.',
    says: [
      'Taking a bike costs 4 pounds each way.',
      'You may not charge electric bicycles on board.',
      'The Sandpiper has room for 12 bicycles.',
      'A tandem counts as two bicycles.',
    ],
    saysNot: [
      'A bicycle costs 14 pounds each way.',
      'Electric bicycles may be charged on board.',
      'The Wrackline has room for twelve bicycles.',
      'A bicycle costs 4 euros each way.',
    ],
  },
  {
    language: 'en',
    quote:
      'The ticket office at Port Anselm is open from 7:30 to 18:00 on weekdays, and until noon on Saturdays. It is closed on Sundays.',
    says: [
      'On Saturdays the office closes at 12.',
      'The ticket office in Port Anselm opens at 7:30 on weekdays.',
      'It is shut on Sundays.',
      'On weekdays you can buy tickets until 6 pm.',
    ],
    saysNot: [
      'The office is open on Sundays.',
      'It is open until 18:30 on weekdays.',
      'The ticket office at Gannet Quay opens at 7:30.',
      'On Saturdays it is open until 18:00.',
    ],
  },
  {
    language: 'en',
    quote:
      'Cancel at least 24 hours before departure and you get 80 % back. Later cancellations are not refunded, unless the sailing itself was cancelled.',
    says: ['If you cancel a day before departure, 80 percent is refunded.', 'There is no refund for later cancellations.'],
    saysNot: [
      'You get 90 % back if you cancel a day before.',
      'Later cancellations are refunded in full.',
      'Cancel at least 48 hours before departure.',
    ],
  },
  {
    language: 'de',
    quote: 'Hunde fahren kostenlos mit, müssen aber an der Leine bleiben. In die Kabine dürfen nur Blindenhunde.',
    says: ['Hunde müssen an die Leine.', 'Nur Blindenhunde dürfen in die Kabine.'],
    saysNot: ['Hunde kosten 5 Euro.', 'Alle Hunde dürfen in die Kabine.', 'Hunde müssen nicht an die Leine.'],
  },
  {
    language: 'en',
    quote: 'Each passenger may bring two pieces of luggage of up to 23 kg. Surfboards longer than 2 m travel on the car deck.',
    says: ['You can take two bags of at most 23 kg each.', 'Surfboards over 2 metres go on the car deck.'],
    saysNot: [
      'Each passenger may bring three pieces of luggage.',
      'Surfboards are not carried.',
      'Luggage may weigh up to 32 kg.',
      'Wheelchairs travel on the car deck.',
    ],
  },
  {
    language: 'en',
    quote:
      'The car park behind Tarn Holm pier has 60 spaces. Parking costs 3 pounds a day, or 15 pounds a week. Between October and March it is free. Overnight stays in campers are forbidden.',
    says: [
      'Parking is 3 pounds per day.',
      'From October to March parking is free.',
      'You cannot stay overnight in a camper.',
      'There are sixty spaces behind the pier at Tarn Holm.',
      'A week of parking costs £15.',
    ],
    saysNot: [
      'Parking is free in July.',
      'Parking costs 15 pounds a day.',
      'Between October and March parking costs 3 pounds a day.',
      'Campers may stay overnight.',
      'The car park at Gannet Quay has 60 spaces.',
    ],
  },
  {
    language: 'en',
    quote:
      'Children under twelve must be accompanied by an adult. A family ticket covers two adults and up to three children. Prams can be left under the stairs, but not in the gangway.',
    says: [
      'Children younger than 12 need an adult with them.',
      'A family ticket is for two adults and three children.',
      'You can leave a pram under the stairs.',
      'Prams must not be left in the gangway.',
    ],
    saysNot: [
      'Children under fifteen must be accompanied by an adult.',
      'Children under twelve can travel without an adult.',
      'A family ticket covers three adults and two children.',
      'Prams can be left in the gangway.',
    ],
  },
  {
    language: 'en',
    quote:
      'The galley on the Wrackline serves soup and sandwiches from 11:00 until half an hour before arrival. Only the Wrackline has a galley; on the Sandpiper there is a vending machine. Cards are accepted from 5 pounds.',
    says: [
      'Soup is served on the Wrackline from 11.',
      'The Sandpiper has no galley, but a vending machine.',
      'You can pay by card from 5 pounds.',
    ],
    saysNot: [
      'The galley on the Sandpiper serves soup.',
      'Both boats have a galley.',
      'Cards are not accepted.',
      'The galley is open until half an hour after arrival.',
      'Cash is accepted from 5 pounds.',
    ],
  },
  {
    language: 'de',
    quote:
      'Rollstuhlplätze müssen spätestens zwei Tage vorher bestellt werden. Der Aufzug auf der Sandpiper ist außer Betrieb. Begleitpersonen zahlen die Hälfte.',
    says: [
      'Rollstuhlplätze bestellt man mindestens zwei Tage vorher.',
      'Der Aufzug der Sandpiper funktioniert nicht.',
      'Begleitpersonen zahlen nur die Hälfte.',
    ],
    saysNot: [
      'Rollstuhlplätze bestellt man spätestens einen Tag vorher.',
      'Der Aufzug auf der Sandpiper ist in Betrieb.',
      'Begleitpersonen fahren kostenlos mit.',
    ],
  },
  {
    language: 'en',
    quote:
      'Las reclamaciones se presentan antes de 14 días. La oficina responde en un máximo de un mes. Los sábados no se atiende por teléfono.',
    says: ['La oficina responde como máximo en un mes.', 'Los sábados no hay atención por teléfono.'],
    saysNot: [
      'Las reclamaciones se presentan antes de 30 días.',
      'Los sábados se atiende por teléfono.',
      'La oficina responde en un mínimo de un mes.',
    ],
  },
  {
    language: 'en',
    quote:
      'Seats can be reserved from the first of April. A reserved seat costs 2 pounds extra; in the stern saloon seats are not reserved. Reservations lapse five minutes before departure.',
    says: [
      'From 1 April you can reserve seats.',
      'Reserving a seat costs an extra 2 pounds.',
      'In the stern saloon you cannot reserve seats.',
      'A reservation lapses 5 minutes before the boat departs.',
    ],
    saysNot: [
      'Seats can be reserved from the first of May.',
      'In the stern saloon seats are reserved.',
      'Reservations lapse five minutes after departure.',
      'A reserved seat costs 2 pounds less.',
    ],
  },
  {
    language: 'en',
    quote:
      'The night boat leaves Kelpwick at 22:15 and arrives at Tarn Holm at 05:40. Cabins have two or four berths. A berth costs 18 pounds, a whole cabin 50.',
    says: [
      'The night boat arrives at Tarn Holm at 5:40.',
      'It leaves Kelpwick at 10:15 pm.',
      'A whole cabin costs 50 pounds.',
      'There are cabins with two and with four berths.',
    ],
    saysNot: [
      'The night boat arrives at Tarn Holm at 22:15.',
      'A berth costs 50 pounds.',
      'The night boat leaves Tarn Holm at 22:15.',
      'Cabins have six berths.',
    ],
  },
  {
    language: 'en',
    quote:
      'Groups of more than ten people should tell us a week ahead. Schools pay half. Teachers travel free, one for every eight pupils.',
    says: [
      'Schools pay half price.',
      'One teacher travels free for every 8 pupils.',
      'Groups of more than 10 should let us know a week before.',
    ],
    saysNot: ['Teachers pay half.', 'Schools travel free.', 'Groups of more than twenty people should tell us a week ahead.'],
  },
  {
    language: 'de',
    quote: 'Das Fundbüro hebt Gegenstände drei Monate auf. Danach werden sie versteigert. Ausweise gehen sofort an die Gemeinde.',
    says: [
      'Gegenstände werden drei Monate aufgehoben.',
      'Nach 3 Monaten werden sie versteigert.',
      'Ausweise gehen an die Gemeinde.',
    ],
    saysNot: ['Das Fundbüro hebt Gegenstände drei Wochen auf.', 'Ausweise werden versteigert.'],
  },
  {
    language: 'en',
    quote:
      'Bikes go in the rack by the ramp. Cargo bikes are taken on the Wrackline only. Helmets can be hired for one pound at Port Anselm.',
    says: ['You can hire a helmet for 1 pound at Port Anselm.', 'Only the Wrackline takes cargo bikes.'],
    saysNot: [
      'Cargo bikes are taken on the Sandpiper.',
      'Helmets can be hired at Kelpwick.',
      'Bikes do not go in the rack.',
      'Helmets are free.',
    ],
  },
  {
    language: 'en',
    quote:
      'Boat trips to the seal bank run in June, July and August, at 10:30 and 14:00. Tickets are 12 pounds, 6 for children. Bring warm clothes.',
    says: ['In July the trips start at 10:30 and at 14:00.', 'Children pay 6 pounds for the seal bank.'],
    saysNot: ['The trips run in May.', 'Tickets are 6 pounds, 12 for children.', 'Trips to the puffin island run in June.'],
  },
  {
    language: 'en',
    quote:
      'Our skippers decide before each sailing whether it is safe. If a sailing is called off, we write to everybody who booked online. Replacement buses run between Kelpwick and Gannet Quay only in daytime.',
    says: [
      'Skippers decide whether a sailing is safe.',
      'Everybody who booked online is written to if a sailing is called off.',
      'In daytime replacement buses run between Kelpwick and Gannet Quay.',
    ],
    saysNot: [
      'Passengers decide whether a sailing is safe.',
      'Replacement buses also run at night.',
      'Replacement buses run between Kelpwick and Tarn Holm.',
      'We write to nobody if a sailing is called off.',
    ],
  },
  {
    language: 'en',
    quote:
      'You may change the day of your crossing once without a fee. A second change costs 5 pounds. The name on a ticket cannot be changed.',
    says: [
      'The first change of the day is free of charge.',
      'Changing the day a second time costs 5 pounds.',
      'You cannot change the name on a ticket.',
      'You can change your crossing once without paying a fee.',
    ],
    saysNot: [
      'A change always costs 5 pounds.',
      'The name on a ticket can be changed once.',
      'You may change the day of your crossing twice without a fee.',
    ],
  },
  {
    language: 'en',
    quote:
      'The Sandpiper was built in 1974 and rebuilt in 2009. She carries 90 passengers and 12 bicycles, but no cars. The Wrackline carries 240 passengers and 32 cars.',
    says: [
      'The Wrackline can carry 32 cars and 240 passengers.',
      'The Sandpiper does not carry cars.',
      'The Sandpiper was rebuilt in 2009.',
      'Twelve bicycles fit on the Sandpiper.',
    ],
    saysNot: [
      'The Sandpiper carries 240 passengers.',
      'The Wrackline was built in 1974.',
      'The Sandpiper carries 12 cars.',
      'The Wrackline carries no cars.',
    ],
  },
  {
    language: 'de',
    quote:
      'Der Hafenmeister ist werktags von 8 bis 16 Uhr zu sprechen. Liegeplätze kosten 12 Pfund die Nacht. Strom wird nach Verbrauch abgerechnet.',
    says: [
      'Der Hafenmeister ist werktags bis 16 Uhr da.',
      'Eine Nacht am Liegeplatz kostet 12 Pfund.',
      'Strom zahlt man nach Verbrauch.',
    ],
    saysNot: [
      'Der Hafenmeister ist auch sonntags zu sprechen.',
      'Liegeplätze kosten 12 Pfund die Woche.',
      'Strom ist im Preis inbegriffen.',
    ],
  },
  {
    language: 'en',
    quote:
      'Vegetarian meals must be ordered the evening before. Breakfast is served until nine, lunch from noon to two. Children eat for half the price.',
    says: ['Order vegetarian meals the evening before.', 'Lunch is served from 12 to 2.', 'Breakfast is served until 9.'],
    saysNot: ['Vegetarian meals can be ordered in the morning.', 'Lunch is served until nine.', 'Children eat for free.'],
  },
  {
    language: 'es',
    quote: 'El aparcamiento cierra a medianoche. Las motos aparcan gratis. Los autobuses no pueden entrar.',
    says: ['Las motos aparcan gratis.', 'Los autobuses no entran.'],
    saysNot: ['Los autobuses pueden entrar.', 'El aparcamiento cierra a mediodía.', 'Los coches aparcan gratis.'],
  },
  {
    language: 'en',
    quote:
      'Members of the harbour club get 10 % off between Monday and Thursday. Show the card before you pay. The discount does not apply to berths.',
    says: [
      'Club members pay 10 % less from Monday to Thursday.',
      'You have to show the card before paying.',
      'There is no discount on berths.',
    ],
    saysNot: [
      'Members get 10 % off on Fridays.',
      'The discount applies to berths.',
      'Members get 15 % off.',
      'Show the card after you pay.',
    ],
  },
  {
    language: 'en',
    quote:
      'The museum at Gannet Quay opens at 10:00 in summer and at 13:00 in winter. Entry is 4 pounds; members of the society pay nothing. Photography is allowed without flash.',
    says: [
      'In winter the museum opens at 1 pm.',
      'In summer it opens at 10.',
      'Members of the society pay nothing.',
      'Entry costs £4.',
      'You may take photographs, but not with a flash.',
    ],
    saysNot: [
      'The museum opens at 13:00 in summer.',
      'Entry is 10 pounds.',
      'The museum at Port Anselm opens at 10:00.',
      'Photography is not allowed.',
      'Children pay nothing.',
    ],
  },
  {
    language: 'en',
    quote:
      'To report a lost card, write to the office or ring during opening hours. A new card takes five working days and costs 7 pounds. Until then you travel on a paper ticket.',
    says: [
      'A new card costs 7 pounds.',
      'It takes 5 working days to get a new card.',
      'You travel on a paper ticket until then.',
    ],
    saysNot: ['A new card takes seven working days.', 'A new card costs 5 pounds.', 'A new card is free.'],
  },
  {
    language: 'de',
    quote: 'Haustiere dürfen nicht in den Speiseraum. Katzen reisen im Korb, Vögel im Käfig. Für beide wird nichts berechnet.',
    says: ['Katzen reisen in einem Korb.', 'Haustiere sind im Speiseraum nicht erlaubt.', 'Vögel reisen im Käfig.'],
    saysNot: ['Katzen reisen im Käfig.', 'Haustiere dürfen in den Speiseraum.', 'Für Vögel zahlt man 2 Pfund.'],
  },
  {
    language: 'en',
    quote:
      'The lift at Kelpwick goes to level two. Wheelchair users board first. Ask the crew at least twenty minutes before departure for the ramp.',
    says: [
      'Wheelchair users may board first.',
      'The lift at Kelpwick goes up to level 2.',
      'Ask for the ramp 20 minutes before departure.',
    ],
    saysNot: [
      'Wheelchair users board last.',
      'The lift at Kelpwick goes to level three.',
      'Ask the crew twenty minutes after departure.',
    ],
  },
  {
    language: 'fr',
    quote: 'Les chiens guides voyagent gratuitement. Les autres chiens paient 2 livres. Ils doivent être tenus en laisse.',
    says: ['Les chiens guides voyagent gratuitement.', 'Les chiens doivent être tenus en laisse.'],
    saysNot: ['Les chiens guides paient 2 livres.', 'Les autres chiens voyagent gratuitement.'],
  },
];
