import { normalise } from '../words.js';
import { ofLanguage } from '../lexicon.js';

/**
 * Words by which somebody is known to be angry or in distress, by language. A bot's own list takes the place of the one of its
 * language; what is in it is compared with what was said word by word.
 */
export const DISTRESS: Readonly<Record<string, readonly string[]>> = {
  en: 'is dying; are dying; is bleeding; are bleeding; not breathing; can t breathe; cannot breathe; is unconscious; unconscious; is choking; collapsed; heart attack; having a seizure; been poisoned; is drowning; this is ridiculous; ridiculous; this is a joke; what a joke; you are useless; you re useless; useless; absolutely useless; useless bot; stupid bot; stupid machine; stupid thing; idiot; idiots; this is stupid; piss off; you suck; this sucks; guys suck; load of rubbish; piece of crap; this is crap; absolutely awful; shut up; fuck; fucking; bullshit; for god s sake; for gods sake; for heaven s sake; what the hell; wtf; damn it; damn you; i am furious; i m furious; furious; i am so angry; i m so angry; i am angry; i m angry; i am really angry; so angry; i am fed up; i m fed up; fed up; sick of this; i ve had enough; i have had enough; i have had it; unacceptable; outrageous; disgraceful; disgusting service; worst service; worst company; terrible service; appalling; scandalous; i hate this; i hate you; you are not listening; are you even listening; you never listen; waste of time; wasting my time; i am desperate; i m desperate; desperate; i am panicking; i m panicking; panicking; i am scared; i m scared; i am crying; i m crying; in tears; i don t know what to do; please help me i; emergency; it is an emergency; this is urgent; it s urgent; my child is missing; kid is missing; baby is missing; child is missing; lost my kid; can t find my kid; can t find my baby; fell overboard; is drowning; somebody help; someone help; please hurry; my son is missing; my daughter is missing; lost my child; lost my son; lost my daughter; can t find my child; can t find my son; can t find my daughter; somebody is hurt; someone is hurt; is injured; is bleeding; has collapsed; heart attack; ambulance; has died; just died; mother died; father died; husband died; wife died; passed away; funeral; in hospital; man overboard; fallen overboard; i can t take this; i can t cope; i will sue; my lawyer'.split(
    '; ',
  ),
  de: 'stirbt; liegt im sterben; blutet; atmet nicht; keine luft; bewusstlos; zusammengebrochen; herzinfarkt; vergiftet; ertrinkt; das ist lacherlich; lacherlich; ein witz; soll das ein witz sein; nutzlos; du bist nutzlos; sie sind nutzlos; blode maschine; bloder bot; dummer bot; idiot; idioten; so ein mist; verdammt; verdammte; scheisse; scheiss; verarschen; zum teufel; ich bin wutend; wutend; ich bin sauer; stinksauer; ich habe die nase voll; die nase voll; ich habe genug; mir reicht es; mir reicht s; es reicht; unverschamt; unverschamtheit; unmoglich; eine frechheit; frechheit; skandal; katastrophe; unter aller sau; schlechter service; so eine zumutung; zumutung; das darf doch nicht wahr sein; du horst nicht zu; sie horen nicht zu; zeitverschwendung; ich bin verzweifelt; verzweifelt; ich habe angst; panik; ich weine; ich weiss nicht mehr weiter; notfall; es ist dringend; mein kind ist weg; mein sohn ist weg; meine tochter ist weg; kind verloren; finde mein kind nicht; finde meinen sohn nicht; finde meine tochter nicht; ist verletzt; blutet; ist zusammengebrochen; herzinfarkt; krankenwagen; notarzt; gestorben; beerdigung; im krankenhaus; uber bord; mein anwalt'.split(
    '; ',
  ),
  es: 'se muere; se esta muriendo; esta sangrando; no respira; no puede respirar; no puedo respirar; inconsciente; infarto; envenenado; envenenada; se ahoga; esto es ridiculo; ridiculo; es una broma; inutil; eres inutil; no sirves para nada; no sirve para nada; maquina estupida; bot estupido; idiota; idiotas; estupido; mierda; joder; maldita sea; que demonios; estoy furioso; estoy furiosa; estoy enfadado; estoy enfadada; muy enfadado; muy enfadada; estoy harto; estoy harta; harto de; harta de; ya basta; ya estoy harto; inaceptable; es una verguenza; una verguenza; vergonzoso; indignante; pesimo servicio; peor servicio; un desastre; no me escuchas; no me escucha; perdida de tiempo; perder el tiempo; estoy desesperado; estoy desesperada; desesperado; desesperada; tengo miedo; estoy asustado; estoy asustada; estoy llorando; no se que hacer; emergencia; es urgente; mi hijo ha desaparecido; mi hija ha desaparecido; he perdido a mi hijo; he perdido a mi hija; no encuentro a mi hijo; no encuentro a mi hija; esta herido; esta herida; sangrando; se ha desmayado; infarto; ambulancia; ha muerto; ha fallecido; funeral; en el hospital; hombre al agua; mi abogado'.split(
    '; ',
  ),
  fr: 'en train de mourir; ne respire plus; ne respire pas; inconscient; inconsciente; crise cardiaque; empoisonne; se noie; c est ridicule; ridicule; c est une blague; inutile; vous etes inutile; machine stupide; idiot; merde; putain; je suis furieux; je suis furieuse; je suis en colere; en colere; j en ai marre; ras le bol; ca suffit; inacceptable; scandaleux; honteux; une honte; service lamentable; vous n ecoutez pas; perte de temps; je suis desespere; je suis desesperee; j ai peur; je panique; je pleure; urgence; c est urgent; mon fils a disparu; ma fille a disparu; perdu mon enfant; est blesse; est blessee; saigne; ambulance; est mort; est decede; enterrement; a l hopital; homme a la mer; mon avocat'.split(
    '; ',
  ),
};

const normalised = new WeakMap<readonly string[], readonly string[]>();

/** The words of a list as they are compared, made ready once. */
function readyWords(list: readonly string[]): readonly string[] {
  const known = normalised.get(list) ?? list.map(normalise).filter((w) => w !== '');
  normalised.set(list, known);
  return known;
}

/** The cue of anger or distress in a text, normalised; undefined where there is none. `own` are a bot's lists by language. */
export function distressIn(
  text: string,
  language: string,
  own: Readonly<Record<string, readonly string[]>> = {},
): string | undefined {
  const said = ` ${normalise(text)} `;
  const list = ofLanguage(own, language) ?? ofLanguage(DISTRESS, language) ?? [];
  return readyWords(list).find((words) => said.includes(` ${words} `));
}
