import { toolbar, whoSeesWhom } from '../letter/words.ts'
import type { TourPart } from '../shared/tour.ts'

/** How a round goes, on one page: what each part is called, what happens there, and how it is done. */
export const tourParts: Record<TourPart, { name: string; lead: string; steps: string[] }> = {
  beginning: {
    name: 'In short',
    lead: 'A round is one letter that goes to many people: to each as a message of their own, from your own mailbox, with their own words and files in it.',
    steps: [
      'Six stages stand on the slip on the left, from People to Responses. Each has a line that says how far it is. Go to them in any order; nothing leaves before you post.',
      'On the right the message of one person always stands as that person will get it. Alt ↑ and Alt ↓ go from person to person.',
      'The practice mailbox has made-up people behind it. Use it as long as you like: nothing that it sends reaches anybody real.',
      'Everything is kept as you type. What you change can be undone until the round is posted; what has been posted stays as it is.',
    ],
  },
  people: {
    name: 'People',
    lead: 'Who gets the letter: a table with a row for each person, and a choice among them.',
    steps: [
      'Bring in a workbook, a CSV file or address cards, paste a table, or take a group of the address book. What was left out or renamed on the way is said.',
      'Narrow it by rules (“Pontoon is A”), or set a single person aside with a reason. The line on the slip says how the number came about.',
      'If an address stands on several rows, you are asked whether each gets a letter, or the first only, or all of them one.',
      'The do-not-write list holds for every round: who stands on it is left out, and said.',
    ],
  },
  letter: {
    name: 'Letter',
    lead: 'What it says: written once, with a field wherever people differ.',
    steps: [
      `Type {{ to choose a field, or use “${toolbar.addField}”. Click a field to choose how its value is written, and what stands there for people who have none.`,
      'A passage is a part of the letter that only some people get; choose by rules who.',
      `“${whoSeesWhom.senderCopiesAnswers}” has the sender’s name, where answers go, and copies.`,
      'The letter can be kept on the shelf for another round, brought in from a document, or sent as plain text.',
    ],
  },
  enclosures: {
    name: 'Enclosures',
    lead: 'Files that go with it: the same for all, each person’s own, or made for each.',
    steps: [
      'Put the folder or zip with everybody’s own files in. They find their people by a column that names them or by a pattern for the name; by the words inside them, people are proposed.',
      'What is not sure is asked, and who lacks a file is named. Drop a file on a person’s row to give it by hand.',
      'A file can be made for each person: the letter as PDF, or a document with fields in it.',
    ],
  },
  proof: {
    name: 'Proof',
    lead: 'Every message is made and looked through before anything can leave.',
    steps: [
      'Findings marked “stop” hold the round up until they are mended. Those marked “ask” want your word: mend them, or accept them with a reason that stays with the round.',
      'The reading set picks the few messages that show everything which differs. Read those, and you have seen it all.',
      'Send yourself some of them, or rehearse: the whole round goes to the practice mailbox and shows what arrives.',
    ],
  },
  dispatch: {
    name: 'Dispatch',
    lead: 'When it leaves, how fast, and the one step that cannot be taken back.',
    steps: [
      'Choose the first moment and the letters a minute. The timetable shows when each leaves within your mailbox’s limits.',
      '“Post” says everything once more in sentences and asks for your word. From then on the letters are frozen.',
      'What has not left yet can be held, carried on, or withdrawn. What has left cannot be called back.',
      'Each letter leaves once, also when the machine stops in the middle. Where that cannot be known, you are asked.',
    ],
  },
  responses: {
    name: 'Responses',
    lead: 'What came back: who answered, who only opened it, whose message was returned, who must be chased.',
    steps: [
      'Answers are read from your mailbox by themselves and lie in the in-tray, sorted by what they want of you, until they are done. What you put by there comes back on its day.',
      'The board sorts people by what came of their letter. From any part of it you can start a further round to just those people.',
      'Opens and links are only ever seen where you asked for that at Letter, and never for certain; that is said wherever they are counted.',
      'The list can be taken along with columns that say for each row what was sent, and what came back.',
    ],
  },
  keys: {
    name: 'Keys',
    lead: 'Everything can be done without a mouse.',
    steps: [
      'Ctrl K finds every action by its name.',
      'Alt 1 to Alt 6 go from stage to stage, Alt ↑ and Alt ↓ from person to person; with Shift to the first and the last.',
      'In the in-tray the arrow keys move, Space selects, D is done, B brings back, A answers, O gives an outcome word, U takes back.',
      'In a table the arrow keys move, Enter edits, Shift with an arrow selects or widens, Ctrl Z takes back.',
    ],
  },
}
