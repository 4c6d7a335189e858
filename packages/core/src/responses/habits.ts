/**
 * How people and their mail programs write in ten languages: what quotations, thanks, requests and days of return look like.
 * Words of the trade and of everyday letters: common practice, no source.
 */
export interface Habits {
  /** Small words that nearly every text of the language has, by which it is known. */
  small: string
  /** The verb of the line that announces a quotation: "On … Ada wrote:". */
  wrote: string[]
  /** Lines behind which all is the message before. */
  before: string[]
  /** What the heading lines of a message before are called, where no mark stands before its lines: From, Sent or Date, To, Subject. */
  headings: { from: string[]; sent: string[]; to: string[]; subject: string[] }
  thanks: string[]
  /** What asks somebody to do something, without a question mark. */
  requests: string[]
  /** What keeps a short word of thanks from being only that. */
  hesitates: string[]
  /** What stands before the day until which somebody is away, or on which they are back. */
  back: string[]
}

const words = (text: string): string[] => text.split('|')

export const habits = {
  en: {
    small: 'the and to of you is for that it with this have will we on your at be not',
    wrote: words('wrote|writes'),
    before: words('original message|forwarded message|begin forwarded message'),
    headings: { from: words('from'), sent: words('sent|date'), to: words('to'), subject: words('subject') },
    thanks: words(
      'thanks|thank you|many thanks|received with thanks|much appreciated|got it|noted|all in order|thank-you|cheers',
    ),
    requests: words(
      'could you|can you|would you|will you|may i|can i|could i|shall i|please send|please let me know|please tell|please call|please confirm|please advise|let me know|please change|please resend|call me|ring me',
    ),
    hesitates: words(
      'but|however|not|cannot|can t|don t|won t|didn t|doesn t|isn t|unfortunately|sorry|wrong|missing|instead|except|although|unless',
    ),
    back: words(
      'until|till|back on|back in the office|return on|returning|returning on|return to|will return|be back|away until',
    ),
  },
  de: {
    small: 'der die das und ist ich sie nicht ein eine mit für auf von zu den wir wird haben ihre',
    wrote: words('schrieb|schreibt'),
    before: words(
      'ursprüngliche nachricht|originalnachricht|weitergeleitete nachricht|anfang der weitergeleiteten nachricht',
    ),
    headings: { from: words('von'), sent: words('gesendet|datum'), to: words('an'), subject: words('betreff') },
    thanks: words(
      'danke|vielen dank|besten dank|herzlichen dank|dankend erhalten|danke schön|dankeschön|zur kenntnis genommen',
    ),
    requests: words(
      'könnten sie|können sie|würden sie|kann ich|darf ich|bitte senden|bitte schicken|bitte teilen|bitte rufen|bitte ändern|bitte bestätigen|bitte um|geben sie mir bescheid|rufen sie',
    ),
    hesitates: words('aber|jedoch|nicht|kein|keine|leider|falsch|fehlt|stattdessen|ausser|außer|obwohl'),
    back: words('bis|bis zum|bis einschließlich|wieder am|ab dem|ab|zurück am|wieder erreichbar|wieder ab|zurück'),
  },
  fr: {
    small: 'le la les et est de des un une je vous pour que dans ce avec pas nous sur au',
    wrote: words('écrit|écrivait'),
    before: words('message d origine|message original|message transféré|début du message réexpédié|message initial'),
    headings: { from: words('de'), sent: words('envoyé|date'), to: words('à'), subject: words('objet') },
    thanks: words('merci|merci beaucoup|je vous remercie|avec mes remerciements|bien reçu|c est noté|bien noté'),
    requests: words(
      'pourriez-vous|pouvez-vous|pourriez vous|pouvez vous|puis-je|puis je|merci de|veuillez|dites-moi|prière de|rappelez-moi|appelez-moi',
    ),
    hesitates: words('mais|cependant|ne|pas|malheureusement|désolé|désolée|faux|manque|plutôt|sauf'),
    back: words('jusqu au|jusqu|de retour le|de retour|retour le|à partir du|reviendrai le|jusqu à'),
  },
  es: {
    small: 'el la los las y es de que en un una para con no por se su lo como del',
    wrote: words('escribió|escribe'),
    before: words('mensaje original|mensaje reenviado|inicio del mensaje reenviado'),
    headings: {
      from: words('de'),
      sent: words('enviado|fecha|enviado el'),
      to: words('para'),
      subject: words('asunto'),
    },
    thanks: words('gracias|muchas gracias|le agradezco|recibido gracias|mil gracias|queda anotado'),
    requests: words(
      'podría|puede usted|podrían|le ruego|por favor envíe|por favor envíeme|por favor llame|por favor confirme|dígame|avíseme|llámeme',
    ),
    hesitates: words('pero|sin embargo|no|lamentablemente|desgraciadamente|falta|salvo|excepto|lo siento'),
    back: words('hasta|hasta el|de vuelta el|regreso el|a partir del|vuelvo el|regresaré el|volveré el'),
  },
  it: {
    small: 'il la le e è di che per un una non con sono del si al da ho mi nel',
    wrote: words('scritto|scrive'),
    before: words('messaggio originale|messaggio inoltrato|inizio messaggio inoltrato'),
    headings: { from: words('da'), sent: words('inviato|data'), to: words('a'), subject: words('oggetto') },
    thanks: words('grazie|molte grazie|grazie mille|la ringrazio|vi ringrazio|ricevuto grazie'),
    requests: words('potrebbe|potreste|la prego|mi faccia sapere|mi chiami|per favore mandi|per favore invii'),
    hesitates: words('ma|però|tuttavia|non|purtroppo|manca|tranne|mi dispiace'),
    back: words('fino al|fino a|di ritorno il|rientro il|rientrerò il|tornerò il|a partire dal|dal'),
  },
  nl: {
    small: 'de het een en is van ik u niet dat op te met voor wij zijn aan ook er wordt',
    wrote: words('schreef|schrijft'),
    before: words('oorspronkelijk bericht|doorgestuurd bericht|begin doorgestuurd bericht'),
    headings: { from: words('van'), sent: words('verzonden|datum'), to: words('aan'), subject: words('onderwerp') },
    thanks: words('dank|bedankt|dank u|dank u wel|hartelijk dank|in goede orde ontvangen|dank je wel|dankjewel'),
    requests: words(
      'kunt u|zou u|wilt u|mag ik|kan ik|graag ontvang|laat mij weten|laat me weten|bel mij|bel me|gelieve',
    ),
    hesitates: words('maar|echter|niet|geen|helaas|verkeerd|ontbreekt|behalve'),
    back: words('tot|tot en met|weer op|terug op|terug|vanaf|weer aanwezig'),
  },
  pt: {
    small: 'o a os as e é de que em um uma para com não por se do da ao no',
    wrote: words('escreveu|escreve'),
    before: words('mensagem original|mensagem encaminhada|início da mensagem reencaminhada'),
    headings: {
      from: words('de'),
      sent: words('enviado|enviada|data|enviada em'),
      to: words('para'),
      subject: words('assunto'),
    },
    thanks: words('obrigado|obrigada|muito obrigado|muito obrigada|agradeço|recebido obrigado'),
    requests: words('poderia|poderiam|por favor envie|por favor ligue|diga-me|avise-me|peço que|solicito'),
    hesitates: words('mas|porém|não|infelizmente|falta|exceto|lamento'),
    back: words('até|até ao|até o dia|de volta em|regresso em|a partir de|volto em|regressarei'),
  },
  sv: {
    small: 'och att det som en är på för av med den inte jag till vi har om ett ni',
    wrote: words('skrev|skriver'),
    before: words('ursprungligt meddelande|vidarebefordrat meddelande|vidarebefordrat brev|originalmeddelande'),
    headings: { from: words('från'), sent: words('skickat|datum'), to: words('till'), subject: words('ämne') },
    thanks: words('tack|tack så mycket|stort tack|mottaget med tack|många tack'),
    requests: words('kan ni|kan du|skulle ni|skulle du|får jag|kan jag|var vänlig|vänligen|hör av er|ring mig'),
    hesitates: words('men|inte|tyvärr|dock|saknas|fel|utom|ledsen'),
    back: words('till och med|till den|åter den|tillbaka den|tillbaka|åter|från och med|t o m'),
  },
  da: {
    small: 'og at det som en er på for af med den ikke jeg til vi har om et de',
    wrote: words('skrev|skriver'),
    before: words('oprindelig meddelelse|videresendt meddelelse|videresendt besked|original meddelelse'),
    headings: { from: words('fra'), sent: words('sendt|dato'), to: words('til'), subject: words('emne') },
    thanks: words('tak|mange tak|tusind tak|modtaget med tak'),
    requests: words('kan i|kan du|kan de|vil de|vil du|må jeg|kan jeg|venligst|giv mig besked|ring til mig'),
    hesitates: words('men|ikke|desværre|dog|mangler|forkert|undtagen|beklager'),
    back: words('til og med|til den|tilbage den|tilbage|igen den|fra den|indtil'),
  },
  pl: {
    small: 'i w na z do się nie jest to że o za od po dla jak są przez mam będzie',
    wrote: words('napisał|napisała|napisał a|pisze'),
    before: words('wiadomość oryginalna|oryginalna wiadomość|przekazana wiadomość|wiadomość przekazana'),
    headings: { from: words('od|nadawca'), sent: words('wysłano|data'), to: words('do'), subject: words('temat') },
    thanks: words('dziękuję|dzięki|dziękujemy|bardzo dziękuję|otrzymałem dziękuję|otrzymałam dziękuję'),
    requests: words(
      'czy może|czy mogę|czy można|proszę o|proszę przesłać|proszę zadzwonić|proszę potwierdzić|czy mógłby|czy mogłaby',
    ),
    hesitates: words('ale|jednak|nie|niestety|brakuje|przykro|oprócz'),
    back: words('do dnia|do|wracam|wrócę|od dnia|ponownie od'),
  },
} as const satisfies Record<string, Habits>

export type Language = keyof typeof habits
const languages = Object.keys(habits) as Language[]
const all: Readonly<Record<Language, Habits>> = habits

/** A text as its words alone: lower case, one space between them, at both ends too; so that a phrase is looked for as ` phrase `. */
export const asWords = (text: string): string =>
  ` ${text
    .normalize('NFC')
    .toLowerCase()
    .replace(/ß/g, 'ss')
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim()} `

/** How the subjects of automatic replies begin, in the ten languages. */
export const automaticSubjects = words(
  'automatic reply|auto reply|autoreply|out of office|out of the office|abwesenheitsnotiz|automatische antwort|réponse automatique|absence du bureau|respuesta automática|fuera de la oficina|risposta automatica|fuori sede|automatisch antwoord|afwezig|resposta automática|ausente|automatiskt svar|autosvar|automatisk svar|fraværsmeddelelse|automatyczna odpowiedź|odpowiedź automatyczna',
)

const asWordsOnce = new Map<string, string>()
/** The first of some phrases of ours that stands in a text given by {@link asWords}; null when none does. */
export function phraseIn(text: string, phrases: readonly string[]): string | null {
  const found = phrases.find((phrase) => {
    const words = asWordsOnce.get(phrase) ?? asWords(phrase)
    asWordsOnce.set(phrase, words)
    return text.includes(words)
  })
  return found ?? null
}

/** Every phrase of one kind, in all languages. */
export const phrasesOf = (kind: 'wrote' | 'before' | 'thanks' | 'requests' | 'hesitates'): string[] =>
  languages.flatMap((language) => all[language][kind])

/** The small words of each language. */
const smallWords = languages.map((language) => [language, new Set(all[language].small.split(' '))] as const)

/**
 * The language that a text is most likely written in, by its small words; English where they say nothing.
 */
export function languageOf(text: string): Language {
  const there = asWords(text.slice(0, 5000)).split(' ')
  let best: Language = 'en'
  let most = 0
  for (const [language, small] of smallWords) {
    const n = there.filter((word) => small.has(word)).length
    if (n > most) [best, most] = [language, n]
  }
  return best
}

/** What the heading lines of a message before are called, over all languages. */
export const headingWords: { [K in keyof Habits['headings']]: ReadonlySet<string> } = {
  from: new Set(languages.flatMap((l) => all[l].headings.from)),
  sent: new Set(languages.flatMap((l) => all[l].headings.sent)),
  to: new Set(languages.flatMap((l) => all[l].headings.to)),
  subject: new Set(languages.flatMap((l) => all[l].headings.subject)),
}
