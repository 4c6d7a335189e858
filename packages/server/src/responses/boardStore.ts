import {
  type Board,
  type BoardCharts,
  type BoardLine,
  type BoardOrder,
  type BoardSeen,
  type ComparedRound,
  comparedDays,
} from '@hand-post/contract'
import {
  type BoardPick,
  type MessageState,
  type Outcome,
  outcomeOfState,
  outcomeWords,
  type ReturnReason,
} from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { wordsLookedFor } from '../rounds/lookedFor.ts'

// What a board shows is counted, sorted, searched and cut into parts by the database, of what `hearAnew` took together: a round may have
// 100,000 letters.
const letters = 'FROM messages m LEFT JOIN heard h ON h.message_id = m.id'
const withWords = `${letters} LEFT JOIN given_words g ON g.round_id = m.round_id AND g.row_id = m.row_id`

/** The same, gone through letter by letter in the round's order. */
const inOrder = `FROM (SELECT * FROM messages WHERE round_id = $1 ORDER BY position, again OFFSET 0) m
  LEFT JOIN LATERAL (SELECT * FROM heard WHERE message_id = m.id OFFSET 0) h ON true
  LEFT JOIN LATERAL (SELECT word FROM given_words WHERE round_id = $1 AND row_id = m.row_id OFFSET 0) g ON true`

/** An SQL value for each of some texts, by another. */
const cases = (of: string, table: Record<string, string | null>, otherwise: string) =>
  `CASE ${of} ${Object.entries(table)
    .filter(([, value]) => value !== null)
    .map(([name, value]) => `WHEN '${name}' THEN '${value!.replaceAll("'", "''")}'`)
    .join(' ')} ELSE ${otherwise} END`
const outcome = cases('m.state', outcomeOfState, "coalesce(h.outcome, 'sent')")
const said = `coalesce(nullif(h.words, ''), CASE m.state WHEN 'refused' THEN m.reason END, '')`

const sent = `m.state = 'sent'`
const notBack = `h.outcome IS DISTINCT FROM 'bounced'`
const arrived = `${sent} AND ${notBack}`
const ofState = (wanted: Outcome) =>
  `m.state IN (${Object.entries(outcomeOfState)
    .filter(([, of]) => of === wanted)
    .map(([state]) => `'${state}'`)
    .join(', ')})`

/** What a line of the board is counted of where nothing else is wanted: the letters, what was heard of them, or both beside each other. */
const sources = {
  messages: 'FROM messages m WHERE m.round_id = $1',
  heard: 'FROM heard h WHERE h.round_id = $1',
  both: `${withWords} WHERE m.round_id = $1`,
} as const
/** Which letters each line of the board speaks of. Of what was heard there is something of letters only that have gone. An outcome word is `$2`. */
const picked: Readonly<Record<BoardPick, { of: keyof typeof sources; where: string }>> = {
  replied: { of: 'heard', where: `${notBack} AND h.replied_at IS NOT NULL` },
  automatic: { of: 'heard', where: `${notBack} AND h.automatic_at IS NOT NULL` },
  opened: { of: 'heard', where: `${notBack} AND h.opened_at IS NOT NULL` },
  openedByMachine: { of: 'heard', where: `${notBack} AND h.opened_at IS NULL AND h.by_machine` },
  clicked: { of: 'heard', where: `${notBack} AND h.clicked_at IS NOT NULL` },
  link: { of: 'heard', where: `${notBack} AND $2 = ANY (h.followed)` },
  receipts: { of: 'heard', where: `${notBack} AND h.receipt_at IS NOT NULL` },
  optedOut: { of: 'heard', where: `${notBack} AND h.opted_out_at IS NOT NULL` },
  delayed: { of: 'heard', where: `h.outcome = 'delayed'` },
  files: { of: 'heard', where: `${notBack} AND h.files_at IS NOT NULL` },
  noFiles: { of: 'both', where: `${arrived} AND h.files_at IS NULL` },
  bounced: { of: 'heard', where: `h.outcome = 'bounced'` },
  refused: { of: 'messages', where: ofState('refused') },
  waiting: { of: 'messages', where: ofState('waiting') },
  inDoubt: { of: 'messages', where: ofState('inDoubt') },
  withdrawn: { of: 'messages', where: ofState('withdrawn') },
  unanswered: { of: 'both', where: `${arrived} AND h.replied_at IS NULL` },
  word: { of: 'both', where: `${arrived} AND g.word = $2` },
  noWord: { of: 'both', where: `${arrived} AND g.word IS NULL` },
  choice: { of: 'heard', where: `${notBack} AND h.choice = $2` },
  // Whoever has had several letters chose something by whichever.
  noChoice: {
    of: 'both',
    where: `${arrived} AND m.row_id NOT IN (SELECT row_id FROM heard WHERE round_id = $1 AND choice IS NOT NULL)`,
  },
}

/** What a board counted and drew of what was forgotten since. */
export interface KeptBoard {
  board: Board
  charts: BoardCharts
  seen: BoardSeen
}
/** That of a round whose people are forgotten; null of any other. */
export async function keptBoard(db: Database, roundId: number): Promise<KeptBoard | null> {
  const [kept] = await db.query<KeptBoard>('SELECT board, charts, seen FROM kept_boards WHERE round_id = $1', [roundId])
  return kept ?? null
}
/** Keeps what a board counts and draws, before it is forgotten of whom. */
export const keepBoard = (db: Database, roundId: number, { board, charts, seen }: KeptBoard): Promise<unknown> =>
  db.query('INSERT INTO kept_boards VALUES ($1, $2, $3, $4)', [roundId, json(board), json(charts), json(seen)])

/** How many letters of a round there are in each state. */
export async function countStates(db: Database, roundId: number): Promise<Partial<Record<MessageState, number>>> {
  const states = await db.query<{ state: MessageState; n: number }>(
    'SELECT state, count(*)::int AS n FROM messages WHERE round_id = $1 GROUP BY state',
    [roundId],
  )
  return Object.fromEntries(states.map(({ state, n }) => [state, n]))
}

/** How many letters of a round each line of its board speaks of that is counted of what was heard. */
export async function countHeard(db: Database, roundId: number): Promise<Partial<Record<BoardPick, number>>> {
  const counted = Object.entries(picked).filter(
    ([name, { of }]) => of === 'heard' && name !== 'choice' && name !== 'link',
  )
  const [counts] = await db.query<Partial<Record<BoardPick, number>>>(
    `SELECT ${counted.map(([name, { where }]) => `count(*) FILTER (WHERE ${where})::int AS "${name}"`).join(', ')} ${sources.heard}`,
    [roundId],
  )
  return counts
}

/** How many people whose letters arrived have each outcome word (null: none), and how many there are. People are counted, not letters. */
export async function countWords(
  db: Database,
  roundId: number,
): Promise<{ words: { word: string | null; people: number }[]; reached: number }> {
  const words = await db.query<{ word: string | null; people: number }>(
    `SELECT g.word, count(DISTINCT m.row_id)::int AS people ${withWords} WHERE m.round_id = $1 AND ${arrived} GROUP BY g.word`,
    [roundId],
  )
  return { words, reached: words.reduce((sum, { people }) => sum + people, 0) }
}

/** How many people whose letters arrived have made each choice of the letter, by what they chose last. */
export const countChoices = (db: Database, roundId: number): Promise<{ choice: string; people: number }[]> =>
  db.query(
    `SELECT h.choice, count(DISTINCT h.row_id)::int AS people FROM heard h WHERE h.round_id = $1 AND ${notBack} AND h.choice IS NOT NULL GROUP BY h.choice`,
    [roundId],
  )

/** How many of a round's letters that arrived were opened by people, with what, and how many by machines only, and why. */
export async function countSeen(
  db: Database,
  roundId: number,
): Promise<
  Omit<BoardSeen, 'tracking' | 'links' | 'moreLinks' | 'countries'> & { countries: NonNullable<BoardSeen['countries']> }
> {
  const [{ gone }] = await db.query<{ gone: number }>(
    `SELECT count(*)::int AS gone FROM messages m WHERE m.round_id = $1 AND ${sent}`,
    [roundId],
  )
  const [counts] = await db.query<{ back: number; opened: number; proxied: number }>(
    `SELECT count(*) FILTER (WHERE NOT (${notBack}))::int AS back, count(*) FILTER (WHERE ${notBack} AND h.opened_at IS NOT NULL)::int AS opened,
       count(*) FILTER (WHERE ${notBack} AND h.opened_at IS NOT NULL AND h.through_proxy)::int AS proxied ${sources.heard}`,
    [roundId],
  )
  const by = <T>(what: string, where: string) =>
    db.query<T>(
      `SELECT ${what}, count(*)::int AS letters ${sources.heard} AND ${notBack} AND ${where} GROUP BY 1 ORDER BY count(*) DESC, 1 LIMIT ${mostFamilies}`,
      [roundId],
    )
  const opened = 'h.opened_at IS NOT NULL AND NOT coalesce(h.through_proxy, false)'
  return {
    arrived: gone - counts.back,
    opened: counts.opened,
    proxied: counts.proxied,
    programs: await by('h.program', opened),
    devices: await by('h.device', opened),
    countries: await by('h.country', 'h.opened_at IS NOT NULL'),
    machines: await by('h.machine_why AS why', 'h.opened_at IS NULL AND h.by_machine'),
  }
}
/** How many families of programs, and how many countries, are told apart; of more the most frequent. */
const mostFamilies = 30

/** How many letters somebody followed each link of, the most followed first. */
export const countLinks = (
  db: Database,
  roundId: number,
  most: number,
): Promise<{ address: string; letters: number }[]> =>
  db.query(
    `SELECT address, count(*)::int AS letters FROM heard h, unnest(h.followed) AS address WHERE h.round_id = $1 AND ${notBack}
     GROUP BY address ORDER BY count(*) DESC, address LIMIT ${most}`,
    [roundId],
  )

/** How many links of a round's letters somebody followed. */
export async function countAllLinks(db: Database, roundId: number): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    `SELECT count(DISTINCT address)::int AS n FROM heard h, unnest(h.followed) AS address WHERE h.round_id = $1 AND ${notBack}`,
    [roundId],
  )
  return n
}

/** Which lines of a board are wanted; all where nothing is said. */
export interface WhichLines {
  pick?: BoardPick
  word?: string
  find: string
}
/** What is wanted as SQL, with its values from `$2` on: the outcome word, and each word that is looked for. */
function wanted({ pick, word, find }: WhichLines) {
  const { where, values } = wordsLookedFor(find, 3)
  return {
    // The outcome word is named whether it decides anything or not: the database asks what kind of value it is.
    round: 'm.round_id = $1 AND $2::text IS NOT NULL',
    pick: pick ? `AND ${picked[pick].where}` : '',
    find: where,
    values: [word ?? '', ...values],
  }
}

/** By what lines are sorted; what has nothing there stands last. */
const orders: Readonly<Record<BoardOrder, string>> = {
  person: 'lower(m.person)',
  outcome: cases(outcome, outcomeWords, 'NULL'),
  word: 'lower(g.word)',
  choice: 'lower(h.choice)',
  version: 'm.version',
  when: 'coalesce(h.last_at, m.sent_at)',
  said: `lower(nullif(${said}, ''))`,
}
const lineColumns = `m.id AS "messageId", m.row_id AS "rowId", m.person, m.address, ${outcome} AS outcome, m.sent_at AS "sentAt", h.last_at AS "lastAt",
  m.reason, ${said} AS said, g.word, h.choice, m.version`

/** Which part of the lines, and in which order: the round's own where none is given. */
export interface WhichPart {
  by?: BoardOrder
  way: 'up' | 'down'
  from: number
  count: number
}

/** Up to how many letters are looked up one by one; among more of them the first are soon found by going through the round in its order. */
const fewLetters = 5000

/** A part of the lines of a board that are wanted, with how many there are, and of how many people. */
export async function partOfBoard(
  db: Database,
  roundId: number,
  which: WhichLines,
  part: WhichPart,
): Promise<{ letters: number; people: number; lines: BoardLine[] }> {
  // Who is looked for by name is mostly one of few: they are found first, and counted as they are.
  const counts = which.find === '' ? await countLines(db, roundId, which) : null
  if (counts?.letters === 0) return { ...counts, lines: [] }
  const lines = await linesOfBoard(db, roundId, which, part, counts === null || counts.letters <= fewLetters)
  if (counts !== null) return { ...counts, lines }
  if (part.from === 0 && lines.length < part.count)
    return { letters: lines.length, people: new Set(lines.map(({ rowId }) => rowId)).size, lines }
  return { ...(await countLines(db, roundId, which)), lines }
}

function linesOfBoard(
  db: Database,
  roundId: number,
  which: WhichLines,
  { by, way, from, count }: WhichPart,
  few: boolean,
): Promise<BoardLine[]> {
  const { round, pick, find, values } = wanted(which)
  const of = which.pick ? picked[which.pick].of : 'messages'
  const first =
    find !== ''
      ? `SELECT m.id ${sources.messages} ${find}`
      : of === 'heard'
        ? `SELECT h.message_id AS id ${sources.heard} ${pick}`
        : of === 'messages' && pick !== ''
          ? `SELECT m.id ${sources.messages} ${pick}`
          : null
  const narrow = few && first !== null
  // Where many are wanted in the round's own order, the first of them are soon met by going through it; the database must not look through
  // all of them first, as it does when it takes them for few.
  const source = !narrow && !by ? inOrder : withWords
  const order = by ? `${orders[by]} ${way === 'up' ? 'ASC' : 'DESC'} NULLS LAST, ` : ''
  return db.query(
    `${narrow ? `WITH few AS MATERIALIZED (${first})` : ''}
     SELECT ${lineColumns} ${source} WHERE ${round} ${pick} ${narrow ? 'AND m.id IN (SELECT id FROM few)' : find}
     ORDER BY ${order}m.position, m.again LIMIT ${count} OFFSET ${from}`,
    [roundId, ...values],
  )
}

/** How many lines of a board are wanted, and of how many people: counted, where it can be, without putting letters beside what was heard. */
export async function countLines(
  db: Database,
  roundId: number,
  which: WhichLines,
): Promise<{ letters: number; people: number }> {
  const one = async (sql: string, values: unknown[] = []) =>
    (await db.query<{ letters: number; people: number; again: number }>(sql, [roundId, ...values]))[0]
  const { round, pick, find, values } = wanted(which)
  const of = which.pick ? picked[which.pick].of : 'messages'
  if (find === '') {
    // A row has one letter that is not sent once more.
    if (!which.pick)
      return one(
        `SELECT count(*)::int AS letters, count(*) FILTER (WHERE m.again = 0)::int AS people ${sources.messages}`,
      )
    if (of !== 'both')
      return one(
        `SELECT count(*)::int AS letters, count(DISTINCT row_id)::int AS people ${sources[of]} AND $2::text IS NOT NULL ${pick}`,
        values,
      )
    if (which.pick === 'unanswered') {
      const gone = await one(
        `SELECT count(*)::int AS letters, count(*) FILTER (WHERE m.again > 0)::int AS again ${sources.messages} AND ${sent}`,
      )
      const heard = await one(
        `SELECT count(*)::int AS letters ${sources.heard} AND (h.outcome = 'bounced' OR h.replied_at IS NOT NULL)`,
      )
      const letters = gone.letters - heard.letters
      if (gone.again === 0) return { letters, people: letters }
    }
  }
  return one(
    `SELECT count(*)::int AS letters, count(DISTINCT m.row_id)::int AS people ${withWords} WHERE ${round} ${pick} ${find}`,
    values,
  )
}

/** The rows of the list that have a letter among those wanted. */
export async function rowsOfBoard(db: Database, roundId: number, which: WhichLines): Promise<number[]> {
  const { round, pick, find, values } = wanted(which)
  const [{ rows }] = await db.query<{ rows: number[] | null }>(
    `SELECT jsonb_agg(DISTINCT m.row_id) AS rows ${withWords} WHERE ${round} ${pick} ${find}`,
    [roundId, ...values],
  )
  return rows ?? []
}

/**
 * What came of a posted round for each row of its list: JSON text of row, outcome, the writer's word and choice, of the latest letter of
 * each; and where there is any of that, when they answered, how many files came back, and how often they were chased. Null where there is no such round.
 */
export async function cameOfRows(
  db: Database,
  roundId: number,
): Promise<{ title: string; listId: number | null; text: string } | null> {
  const [found] = await db.query<{ title: string; listId: number | null; text: string }>(
    `SELECT r.title, r.list_id AS "listId", coalesce((
       SELECT jsonb_agg(jsonb_build_array(x.row_id, x.outcome, g.word, x.choice)
           || CASE WHEN num_nonnulls(x.replied_at, f.files, k.times) = 0 THEN '[]' ELSE jsonb_build_array(jsonb_strip_nulls(jsonb_build_object(
                'repliedAt', to_char(to_timestamp(x.replied_at / 1000) AT TIME ZONE (b.settings->>'timeZone'), 'YYYY-MM-DD HH24:MI'), 'files', f.files, 'chased', k.times))) END
         ORDER BY x.row_id) FROM (
         SELECT DISTINCT ON (m.row_id) m.row_id, ${outcome} AS outcome, h.choice, h.replied_at ${letters} WHERE m.round_id = $1 ORDER BY m.row_id, m.again DESC
       ) x LEFT JOIN given_words g ON g.round_id = $1 AND g.row_id = x.row_id
       LEFT JOIN (SELECT m.row_id, count(*)::int AS files FROM messages m JOIN responses q ON q.message_id = m.id JOIN returned_files f ON f.response_id = q.id
         WHERE m.round_id IN (SELECT o.id FROM rounds o WHERE o.id = $1 OR o.chases = $1) AND q.of = 'person' AND f.hash IS NOT NULL AND NOT f.ours GROUP BY m.row_id) f ON f.row_id = x.row_id
       LEFT JOIN (SELECT m.row_id, count(*)::int AS times FROM messages m JOIN rounds o ON o.id = m.round_id WHERE o.chases = $1 AND m.state = 'sent' GROUP BY m.row_id) k ON k.row_id = x.row_id
     ), '[]')::text AS text
     FROM rounds r JOIN mailboxes b ON b.id = r.mailbox_id WHERE r.id = $1 AND r.posted_at IS NOT NULL AND r.answers_of IS NULL`,
    [roundId],
  )
  return found ?? null
}

/** The rows of the list whose letters have one of some outcomes, or whose people one of some outcome words, or made one of some choices. */
export async function rowsWithOutcome(
  db: Database,
  roundId: number,
  { outcomes, words, choices }: { outcomes: Outcome[]; words: string[]; choices: string[] },
): Promise<number[]> {
  const [{ rows }] = await db.query<{ rows: number[] | null }>(
    `SELECT jsonb_agg(DISTINCT m.row_id) AS rows ${withWords} WHERE m.round_id = $1
       AND (${outcome} IN (SELECT jsonb_array_elements_text($2::jsonb)) OR g.word IN (SELECT jsonb_array_elements_text($3::jsonb)) OR h.choice IN (SELECT jsonb_array_elements_text($4::jsonb)))`,
    [roundId, json(outcomes), json(words), json(choices)],
  )
  return rows ?? []
}

/** The letters of a round, or of one row in it, as lines of its board, in order. */
export const lettersOfBoard = (db: Database, roundId: number, rowId: number | null): Promise<BoardLine[]> =>
  db.query(
    `SELECT ${lineColumns} ${withWords} WHERE m.round_id = $1 AND ($2::int IS NULL OR m.row_id = $2) ORDER BY m.position, m.again`,
    [roundId, rowId],
  )

/** Length (ms) of the stretches by which it is counted when letters left. */
const minute = 60_000
/** How many letters of a round left in each minute that one left in, with the first and the last moment. */
export async function leftByMinute(
  db: Database,
  roundId: number,
): Promise<{ minute: number; letters: number; first: number; last: number }[]> {
  const [{ some }] = await db.query<{
    some: { minute: number; letters: number; first: number; last: number }[] | null
  }>(
    `SELECT json_agg(x) AS some FROM (
       SELECT m.sent_at / ${minute} AS minute, count(*) AS letters, min(m.sent_at) AS first, max(m.sent_at) AS last
       FROM messages m WHERE m.round_id = $1 AND ${sent} GROUP BY 1) x`,
    [roundId],
  )
  return some ?? []
}

/** When something first came of a letter, as it is drawn. */
export type DrawnFirst = 'opened_at' | 'replied_at' | 'bounced_at'

/** When something first came of letters of a round: how many, and when the first and the last. */
export async function spanOf(
  db: Database,
  roundId: number,
  firsts: readonly DrawnFirst[],
): Promise<Record<string, { count: number; first: number | null; last: number | null }>> {
  const [spans] = await db.query<Record<string, { count: number; first: number | null; last: number | null }>>(
    `SELECT ${firsts.map((at) => `jsonb_build_object('count', count(${at}), 'first', min(${at}), 'last', max(${at})) AS ${at}`).join(', ')}
     FROM heard WHERE round_id = $1`,
    [roundId],
  )
  return spans
}

/** The same in stretches of a length (ms) from a moment on: in which, from 0, how many. */
export async function stretchesOf(
  db: Database,
  roundId: number,
  at: DrawnFirst,
  from: number,
  step: number,
): Promise<[stretch: number, letters: number][]> {
  const [{ some }] = await db.query<{ some: [number, number][] | null }>(
    `SELECT jsonb_agg(jsonb_build_array(stretch, n) ORDER BY stretch) AS some FROM (
       SELECT (${at} - $2::bigint) / $3::bigint AS stretch, count(*) AS n FROM heard WHERE round_id = $1 AND ${at} IS NOT NULL GROUP BY 1) x`,
    [roundId, from, step],
  )
  return some ?? []
}

/** The domain that an address is at. */
const domain = `split_part(m.address_key, '@', -1)`

/** Why letters of a round came back, by domain and reason, the most first: how many of how many that were sent there. */
export async function returnedLetters(
  db: Database,
  roundId: number,
): Promise<{ domain: string; reason: ReturnReason | null; hard: boolean; count: number; sent: number }[]> {
  const back = await db.query<{ domain: string; reason: ReturnReason | null; hard: boolean; count: number }>(
    `SELECT ${domain} AS domain, h.reason, h.hard, count(*)::int AS count FROM heard h JOIN messages m ON m.id = h.message_id
     WHERE h.round_id = $1 AND h.bounced_at IS NOT NULL GROUP BY 1, 2, 3 ORDER BY count DESC, 1, 2`,
    [roundId],
  )
  if (back.length === 0) return []
  const went = await db.query<{ domain: string; sent: number }>(
    `SELECT ${domain} AS domain, count(*)::int AS sent FROM messages m WHERE m.round_id = $1 AND ${sent} GROUP BY 1`,
    [roundId],
  )
  const sentTo = new Map(went.map((one) => [one.domain, one.sent]))
  return back.map((one) => ({ ...one, sent: sentTo.get(one.domain) ?? 0 }))
}

/** How many earlier rounds a round is compared with. */
const earlierRounds = 3

/** A round and the earlier ones to the same list, the latest first. */
export const roundsToCompare = (
  db: Database,
  roundId: number,
): Promise<{ roundId: number; title: string; postedAt: number }[]> =>
  db.query(
    `SELECT r.id AS "roundId", r.title, r.posted_at AS "postedAt" FROM rounds this JOIN rounds r ON r.id = this.id OR (r.list_id = this.list_id AND r.posted_at < this.posted_at AND r.answers_of IS NULL AND r.chases IS NULL)
     WHERE this.id = $1 AND r.posted_at IS NOT NULL ORDER BY r.posted_at DESC LIMIT ${earlierRounds + 1}`,
    [roundId],
  )

/** The posted rounds to a list, the latest first. */
export const postedToList = (
  db: Database,
  listId: number,
): Promise<{ roundId: number; title: string; postedAt: number }[]> =>
  db.query(
    `SELECT id AS "roundId", title, posted_at AS "postedAt" FROM rounds
     WHERE list_id = $1 AND posted_at IS NOT NULL AND answers_of IS NULL AND chases IS NULL ORDER BY posted_at DESC, id DESC`,
    [listId],
  )

/** Within how long (ms) half of those had answered a round who answered at all; and how many chasers of it left. */
export async function paceOfRound(
  db: Database,
  roundId: number,
): Promise<{ halfWithin: number | null; chased: number }> {
  const [pace] = await db.query<{ halfWithin: number | null; chased: number }>(
    `SELECT (SELECT percentile_disc(0.5) WITHIN GROUP (ORDER BY greatest(h.replied_at - h.sent_at, 0)) ${sources.heard} AND ${picked.replied.where}) AS "halfWithin",
       (SELECT count(*) FROM messages m JOIN rounds o ON o.id = m.round_id WHERE o.chases = $1 AND ${sent})::int AS chased`,
    [roundId],
  )
  return pace
}

const day = 86_400_000
/** Of the letters of a round that arrived at least so many days before a time: how many were answered within as many. */
export async function answeredWithin(db: Database, roundId: number, now: number): Promise<ComparedRound['after']> {
  const by = (name: string, condition: (days: number) => string) =>
    comparedDays.map(
      (days) =>
        `count(*) FILTER (WHERE sent_at <= $2::bigint - ${days * day} AND ${condition(days)})::int AS "${name} ${days}"`,
    )
  const [left] = await db.query<Record<string, number>>(
    `SELECT ${by('sent', () => `state = 'sent'`).join(', ')} FROM messages WHERE round_id = $1`,
    [roundId, now],
  )
  const [heard] = await db.query<Record<string, number>>(
    `SELECT ${[...by('bounced', () => `outcome = 'bounced'`), ...by('replied', (days) => `replied_at - sent_at <= ${days * day}`)].join(', ')} FROM heard WHERE round_id = $1`,
    [roundId, now],
  )
  return comparedDays
    .map((days) => ({
      days,
      arrived: left[`sent ${days}`] - heard[`bounced ${days}`],
      replied: heard[`replied ${days}`],
    }))
    .filter(({ arrived }) => arrived > 0)
}
