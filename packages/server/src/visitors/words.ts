/** A letter with a code, in the visitor's language or English. */
export function codeLetter(language: string, name: string, code: string, minutes: number): { subject: string; text: string } {
  const letter = LETTERS[language.toLowerCase().split('-')[0] ?? 'en'] ?? ENGLISH;
  return letter(name, code, minutes);
}

type WriteLetter = (name: string, code: string, minutes: number) => { subject: string; text: string };

const ENGLISH: WriteLetter = (name, code, minutes) => ({
  subject: `${code} is your code for ${name}`,
  text: `Your code for ${name}: ${code}\n\nIt is good for ${minutes} minutes. Nobody of ${name} will ask you for it.\nIf you did not ask for a code, you need not do anything.\n`,
});

const LETTERS: Readonly<Record<string, WriteLetter>> = {
  en: ENGLISH,
  de: (name, code, minutes) => ({
    subject: `${code} ist Ihr Code für ${name}`,
    text: `Ihr Code für ${name}: ${code}\n\nEr gilt ${minutes} Minuten. Niemand von ${name} wird Sie danach fragen.\nHaben Sie keinen Code angefordert, brauchen Sie nichts zu tun.\n`,
  }),
  es: (name, code, minutes) => ({
    subject: `${code} es su código para ${name}`,
    text: `Su código para ${name}: ${code}\n\nVale durante ${minutes} minutos. Nadie de ${name} se lo pedirá.\nSi no ha pedido ningún código, no tiene que hacer nada.\n`,
  }),
  fr: (name, code, minutes) => ({
    subject: `${code} est votre code pour ${name}`,
    text: `Votre code pour ${name} : ${code}\n\nIl est valable ${minutes} minutes. Personne chez ${name} ne vous le demandera.\nSi vous n’avez pas demandé de code, vous n’avez rien à faire.\n`,
  }),
};
