import { enhancedStatus } from '../dispatch/smtpAnswer.ts'
import { asWords, phraseIn } from './habits.ts'
import { plainReturns as say } from './words.ts'

/** Why mail came back, or is late: what can be done about it depends on it. */
export type ReturnReason = keyof typeof reasonTable

interface Reason {
  /** As people say it. */
  words: string
  /** The code of RFC 3463 (section 3) that says the same. */
  status: string
  /** The forms of sentences in which hosts say it, in eight languages. Common practice, no source. */
  forms: string[]
}

/**
 * Reasons, the most telling first: where a report says several things, the first of them counts. A reason is an entry of this table, and
 * each of its forms has its example in a test.
 */
const reasonTable = {
  delayed: {
    words: say.delayed,
    status: '4.4.7',
    forms: [
      'delivery is delayed|has not yet been delivered|delivery delayed|will continue to try|will keep trying|warning message only|delivery has been delayed',
      'verzögert|wird weiter versucht|noch nicht zugestellt|weitere zustellversuche',
      'retardée|en attente de distribution|n a pas encore été remis|de nouvelles tentatives',
      'retrasado|aún no se ha entregado|se seguirá intentando',
      'in ritardo|non è ancora stato consegnato|ulteriori tentativi',
      'vertraagd|nog niet bezorgd|blijven proberen',
      'atrasada|ainda não foi entregue|continuará tentando|continuará a tentar',
      'försenat|försenad|ännu inte levererats|fortsätta försöka',
    ],
  },
  full: {
    words: say.full,
    status: '4.2.2',
    forms: [
      'mailbox is full|mailbox full|inbox is full|over quota|quota exceeded|exceeded storage|out of storage|storage limit|mailbox quota|insufficient storage|exceeded the quota|mailbox size limit',
      'postfach ist voll|postfach voll|speicherplatz überschritten|kontingent überschritten|postfach des empfängers ist voll',
      'boîte pleine|boîte aux lettres est pleine|boîte de réception est pleine|quota dépassé|espace de stockage insuffisant',
      'buzón está lleno|buzón lleno|bandeja de entrada llena|cuota superada|cuota excedida',
      'casella piena|casella di posta è piena|casella postale piena|quota superata|spazio esaurito',
      'mailbox is vol|postvak is vol|postbus is vol|quotum overschreden|brievenbus is vol',
      'caixa de correio cheia|caixa de entrada cheia|caixa está cheia|quota excedida|cota excedida',
      'brevlådan är full|postlådan är full|inkorgen är full|kvoten har överskridits',
    ],
  },
  tooLarge: {
    words: say.tooLarge,
    status: '5.3.4',
    forms: [
      'message is too large|message too large|message size exceeds|exceeds the maximum size|size limit exceeded|message too big',
      'nachricht ist zu groß|nachricht ist zu gross|maximale nachrichtengröße|überschreitet die zulässige größe',
      'message trop volumineux|message est trop volumineux|dépasse la taille maximale',
      'mensaje es demasiado grande|mensaje demasiado grande|supera el tamaño máximo',
      'messaggio troppo grande|messaggio è troppo grande|supera la dimensione massima',
      'bericht is te groot|overschrijdt de maximale grootte',
      'mensagem é muito grande|mensagem muito grande|mensagem demasiado grande|excede o tamanho máximo',
      'meddelandet är för stort|överskrider den högsta storleken',
    ],
  },
  refused: {
    words: say.refused,
    status: '5.7.1',
    forms: [
      'message was rejected|message rejected|considered spam|classified as spam|looks like spam|blocked by|not authorized|not authorised|policy reasons|access denied|message blocked|sender rejected|relay access denied|relaying denied',
      'nachricht wurde abgelehnt|als spam|zugriff verweigert|richtlinie|blockiert',
      'message a été rejeté|considéré comme du spam|courrier indésirable|accès refusé|message refusé',
      'mensaje fue rechazado|mensaje ha sido rechazado|considerado spam|correo no deseado|acceso denegado',
      'messaggio è stato rifiutato|messaggio è stato respinto|considerato spam|accesso negato',
      'bericht is geweigerd|als spam aangemerkt|toegang geweigerd',
      'mensagem foi rejeitada|mensagem rejeitada|considerada spam|acesso negado',
      'meddelandet avvisades|meddelandet har avvisats|klassats som skräppost|åtkomst nekad',
    ],
  },
  noDomain: {
    words: say.noDomain,
    status: '5.1.2',
    forms: [
      'domain not found|domain does not exist|domain couldn t be found|host not found|unknown host|host unknown|name service error|no such domain|unrouteable|unroutable|unrouteable mail domain|could not find the domain|domain name not found',
      'domäne wurde nicht gefunden|domain wurde nicht gefunden|domäne existiert nicht|domain existiert nicht|host unbekannt|rechner unbekannt',
      'domaine introuvable|domaine n existe pas|hôte inconnu|nom de domaine inexistant',
      'dominio no existe|dominio no encontrado|no se encontró el dominio|servidor desconocido',
      'dominio non esiste|dominio inesistente|dominio non trovato|host sconosciuto',
      'domein bestaat niet|domein niet gevonden|onbekende host',
      'domínio não existe|domínio não encontrado|domínio não foi encontrado|host desconhecido',
      'domänen finns inte|domänen hittades inte|okänd värd',
    ],
  },
  unknown: {
    words: say.unknown,
    status: '5.1.1',
    forms: [
      'user unknown|unknown user|no such user|address not found|recipient not found|does not exist|doesn t exist|mailbox unavailable|no mailbox here by that name|invalid recipient|recipient rejected|recipient address rejected|couldn t be found|wasn t found|not a known user|unknown address|unknown recipient|account is disabled|account has been disabled|no longer in use|user not found|bad destination mailbox|mailbox not found|no longer works here',
      'empfänger unbekannt|unbekannter empfänger|adresse nicht gefunden|adresse wurde nicht gefunden|benutzer unbekannt|existiert nicht|empfänger nicht gefunden|empfänger wurde nicht gefunden|postfach nicht vorhanden|unbekannte adresse|konto ist deaktiviert',
      'adresse introuvable|destinataire inconnu|utilisateur inconnu|n existe pas|adresse inconnue|compte désactivé|destinataire introuvable|adresse n a pas été trouvée',
      'usuario desconocido|destinatario desconocido|no existe|dirección no encontrada|no se encontró la dirección|no se ha encontrado la dirección|dirección inexistente|cuenta desactivada',
      'utente sconosciuto|destinatario sconosciuto|indirizzo non trovato|non esiste|indirizzo inesistente|account disattivato',
      'gebruiker onbekend|onbekende gebruiker|adres niet gevonden|bestaat niet|onbekende ontvanger|ontvanger onbekend|account is uitgeschakeld',
      'usuário desconhecido|utilizador desconhecido|endereço não encontrado|destinatário desconhecido|não existe|conta desativada|endereço inexistente',
      'okänd användare|okänd mottagare|adressen hittades inte|mottagaren finns inte|finns inte|adressen finns inte|kontot är inaktiverat',
    ],
  },
  timedOut: {
    words: say.timedOut,
    status: '5.4.7',
    forms: [
      'timed out|could not be delivered for|retry timeout exceeded|retry time not reached|expired|too long in queue|giving up|gave up|connection refused|no route to host|cannot be reached|could not be contacted',
      'zeitüberschreitung|frist abgelaufen|zustellung aufgegeben|nicht erreichbar|verbindung abgelehnt',
      'délai dépassé|délai expiré|injoignable|abandon de la distribution|connexion refusée',
      'tiempo de espera|plazo agotado|no se pudo contactar|conexión rechazada|inaccesible',
      'tempo scaduto|non raggiungibile|connessione rifiutata|tentativi esauriti',
      'time out|time-out|verlopen|niet bereikbaar|verbinding geweigerd|opgegeven',
      'tempo esgotado|tempo limite|inacessível|conexão recusada|ligação recusada',
      'tidsgräns|tiden har gått ut|kan inte nås|anslutningen nekades',
    ],
  },
} as const satisfies Record<string, Reason>
const reasons: Readonly<Record<ReturnReason, Reason>> = reasonTable
/** Every reason, the most telling first. */
export const returnReasons = Object.keys(reasonTable) as [ReturnReason, ...ReturnReason[]]
/** How each reason is called. */
export const reasonWords = Object.fromEntries(returnReasons.map((reason) => [reason, reasons[reason].words])) as Record<
  ReturnReason,
  string
>
/** Every form in which a reason is said, a list for each of the eight languages. */
export const formsOf = (reason: ReturnReason): string[][] => reasons[reason].forms.map((forms) => forms.split('|'))

/** By the subject and detail of a status of RFC 3463: the reason that it says. Section 3 of the standard, and RFC 7504 and 7505. */
const ofStatus = new Map<string, ReturnReason>([
  ['1.0', 'unknown'],
  ['1.1', 'unknown'],
  ['1.2', 'noDomain'],
  ['1.3', 'unknown'],
  ['1.6', 'unknown'],
  ['1.10', 'noDomain'],
  ['2.1', 'unknown'],
  ['2.2', 'full'],
  ['2.3', 'tooLarge'],
  ['3.1', 'full'],
  ['3.4', 'tooLarge'],
  ['4.1', 'timedOut'],
  ['4.4', 'noDomain'],
  ['4.7', 'timedOut'],
  ['7.0', 'refused'],
  ['7.1', 'refused'],
])

/** The reason that words give; null when they give none that is known. */
export function reasonOfWords(text: string): ReturnReason | null {
  const said = asWords(text.slice(0, 20_000))
  return returnReasons.find((reason) => formsOf(reason).some((forms) => phraseIn(said, forms) !== null)) ?? null
}

/** The reason that a status of RFC 3463 gives or, where it says nothing by itself ("5.0.0"), the words beside it; null when neither does. */
export const reasonOf = (status: string, text: string): ReturnReason | null => {
  const byStatus = ofStatus.get(status.replace(/^\d\./, ''))
  if (byStatus) return byStatus
  // Of what failed in the end, "delayed" is no reason.
  const byWords = reasonOfWords(text)
  return byWords === 'delayed' && status.startsWith('5') ? 'timedOut' : byWords
}

/**
 * Whether returned mail came back for good (RFC 3463, section 2: class 5, permanent failure) or may be taken another time (class 4,
 * persistent transient failure).
 */
export const isHard = (status: string): boolean => !status.startsWith('4')

const machineNames = new Set(
  'mailer-daemon postmaster mail-daemon mailerdaemon maildaemon mailsystem mail-system bounce bounces returns daemon'.split(
    ' ',
  ),
)
/** Words of subjects that returned mail bears, in eight languages. Common practice, no source. */
const subjects =
  'undelivered|undeliverable|undeliverable mail|returned to sender|returned mail|returning message to sender|delivery failure|delivery failed|delivery status notification|mail delivery failed|failure notice|delivery delayed|could not be delivered|delivery has failed|mail delivery system|message not delivered|delivery incomplete|unzustellbar|nicht zugestellt|unzustellbare nachricht|zustellung fehlgeschlagen|zustellung verzögert|non remis|non délivré|échec de remise|échec de la remise|non distribuable|échec de distribution|remise retardée|no entregado|no se pudo entregar|error de entrega|devuelto|no se puede entregar|entrega retrasada|mancata consegna|mancato recapito|non recapitabile|recapito non riuscito|consegna non riuscita|consegna in ritardo|niet bezorgd|onbestelbaar|kan niet worden bezorgd|bezorging mislukt|bezorging vertraagd|não entregue|falha na entrega|não foi entregue|devolvida|entrega atrasada|ej levererat|kunde inte levereras|olevererbart|leverans misslyckades|leveransen misslyckades|leverans försenad'.split(
    '|',
  )

/** What a host says when it does not try any more, in eight languages. Common practice, no source. */
const finals =
  'giving up|gave up|given up|permanent error|permanently|failed permanently|delivery failure|delivery failed|undeliverable|endgültig|aufgegeben|unzustellbar|définitivement|échec définitif|definitivamente|error permanente|definitivamente fallita|definitief|permanentemente|permanent fel|slutgiltigt'.split(
    '|',
  )

/** What tells returned mail from other mail, without its text. */
export interface ReturnSigns {
  /** The address that it is from. */
  from: string
  subject: string
  /** The Return-Path; "<>" for what a host sends by itself (RFC 5321, section 4.5.5). Null where it has none. */
  returnPath: string | null
  /** The addresses that some hosts name in a header of their own ("X-Failed-Recipients"). Common practice, no source. */
  failedRecipients: string | null
}

/** Whether mail has the look of returned mail: sent by a host itself, or with a subject that says so. */
export function looksReturned({ from, subject, returnPath, failedRecipients }: ReturnSigns): boolean {
  if (failedRecipients !== null && failedRecipients !== '') return true
  const local = from.slice(0, from.lastIndexOf('@')).toLowerCase()
  const byHost = returnPath !== null && /^\s{0,9}<\s{0,9}>/.test(returnPath)
  return machineNames.has(local) || (byHost && phraseIn(asWords(subject), subjects) !== null)
}

/** What a report in plain words says. */
export interface PlainReturn {
  kind: 'bounce' | 'delayed'
  /** By RFC 3463: as the text has it or, where it has none, as its words mean. */
  status: string
  reason: ReturnReason | null
  /** The sentence that says it, as the host has it. */
  words: string
}

/** A code of RFC 3463 or of RFC 5321 anywhere in a text. */
function statusIn(text: string): string | null {
  for (const line of text.split('\n')) {
    const status = enhancedStatus(line.replace(/[#()[\]:;,]/g, ' '))
    if (status !== null) return status
  }
  const code = /(?:^|[\s:(])([45])[0-5]\d[ -](?=[\w'"<])/m.exec(text)?.[1]
  return code === undefined ? null : `${code}.0.0`
}

/**
 * Reads a report that a host wrote in plain words.
 * @param text what it says, without the returned message.
 * @returns null when it says nothing that is known: then it is shown as it is.
 */
export function readPlainReturn(subject: string, text: string): PlainReturn | null {
  const read = text.slice(0, 20_000)
  const said = statusIn(read)
  const byWords = reasonOfWords(read) ?? reasonOfWords(subject)
  if (said === null && byWords === null && phraseIn(asWords(subject), subjects) === null) return null
  // A warning says that it will go on trying: whatever held it up is not the end. One that has given up tells of the delay before, too.
  const final = said?.startsWith('5') || phraseIn(asWords(`${subject} ${read}`), finals) !== null
  const late = byWords === 'delayed' && !final
  const reason = late ? 'delayed' : (reasonOf(said ?? '', read) ?? byWords)
  const held = !late && reason === 'delayed' ? 'timedOut' : reason
  const status = said !== null && !late ? said : held === null ? '5.0.0' : reasons[held].status
  return { kind: late ? 'delayed' : 'bounce', status, reason: held, words: sentenceOf(read, held) }
}

/** The line of a report that says why, or its first words. */
function sentenceOf(text: string, reason: ReturnReason | null): string {
  const lines = text
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '')
  const telling =
    reason === null
      ? undefined
      : lines.find((line) => formsOf(reason).some((forms) => phraseIn(asWords(line), forms) !== null))
  return (telling ?? lines.find((line) => statusIn(line) !== null) ?? lines[0] ?? '').slice(0, 500)
}
