// All words of this room, by the file that shows them, so that they can be read through in one go, and translated.
import { times, verb } from '../words.ts'

/** aroundChecks.ts */
export const aroundChecks = {
  choicesUnclear: 'Choices cannot be told apart',
  looksAtChoices: 'each set of choices, for how many there are and whether one stands there twice',
  tooFewChoices: (n: number) =>
    n === 0
      ? 'A set of choices has none. Write two at least, or take it out.'
      : 'A set of choices has one only. Write a second, or take it out.',
  tooManyChoices: (all: number, most: number) =>
    `The letter has ${all} choices in all its sets, and ${most} can be told apart. Take some out.`,
  choiceTwice: (choice: string) =>
    `The choice “${choice}” stands there twice. Word one of them otherwise, or take it out.`,
  choicesTogether: 'More than one set of choices',
  looksAtChoicesTogether: 'each message, for whether it has more than one set of choices',
  severalSets: (n: number) =>
    `This message has ${n} sets of choices, and one answer only can be told. Put the others into passages for other people, or take them out.`,
  choicesByMail: 'Choices come back as messages',
  looksAtChoicesByMail: 'choices, where no page can be reached on which they are chosen',
  preparedAnswers:
    'Hand Post has no public address that could be reached from elsewhere. Whoever clicks a choice gets a prepared answer in their mail program, and sends it; it is counted when it comes in.',
  goesPlain: (lost: string) => `The letter goes as plain text, without ${lost}.`,
  ruleCannotFollowed: 'A rule that cannot be followed',
  rulesChoosePeoplePassages:
    'the rules that choose the people and the passages: those not finished, and values that cannot be read',
  passageLetter: (words: string) => `In a passage of the letter, ${words}`,
  subjectEmptySomebody: 'Subject empty for somebody',
  subjectEachMessageOnce: 'the subject of each message, once it is filled in',
  nothingLeftSubjectAs: 'Nothing is left of the subject, as its fields are blank here.',
  subjectFieldsSameAll: 'Subject with fields, the same for all',
  subjectsAllMessagesWhere: 'the subjects of all messages, where the subject has fields',
  subjectHasFieldsComes: (first: string) => `The subject has fields, and comes out as “${first}” for everybody.`,
  nothingReadAsPlain: 'Nothing to read as plain text',
  plainTextEachMessage: 'the plain text of each message, which some mail programs show instead',
  asPlainTextMessage: 'As plain text this message has no words: whoever sees no pictures sees nothing.',
  lostPlainText: 'Lost in plain text',
  letterSentAsPlain: 'a letter that is sent as plain text only, for what cannot be seen then',
  copyAddressNotWritten: 'Copy to an address that is not to be written to',
  ccBccEachMessage: 'Cc and Bcc of each message, against the do-not-write list',
  getsCopyDoNot: (address: string) => `${address} gets a copy, and is on the do-not-write list.`,
  copyPersonThemself: 'Copy to the person themself',
  ccBccAgainstAddress: 'Cc and Bcc, against the address of each message',
  ccOrBccAddress: (same: number, nameOf: string) =>
    `For ${same === 1 ? nameOf : times(same, 'person', 'people')} Cc or Bcc is the address that the message goes to already. They get it once.`,
  hasHadLetterSubject: 'Has had a letter of this subject',
  eachAddressSubjectAgainst: 'each address and subject, against what was sent in the last 90 days',
  personSentRound: (subject: string, day: string, title: string) =>
    `This person was sent “${subject}” on ${day}, by the round “${title}”.`,
  hasLetterUnderAnother: 'Has this letter under another row or address',
  lateComersPostedRound: 'late-comers of a posted round, by address and by name, against all who have a letter of it',
  hasLetterRoundAlready: (address: string, byAddress: string) =>
    `${address} has a letter of this round already, under another row (${byAddress}).`,
  somebodyCalledHasLetter: (name: string, address: string | null) =>
    `Somebody called ${name} has a letter of this round already, ${address === null ? 'by paper post' : `at ${address}`}.`,
  addressDidNotTake: 'An address that did not take the last letter',
  eachAddressAgainstWhat:
    'each address, against what bounced for good or was refused in earlier rounds and has not been written to with success since',
  round: (address: string, how: string, day: string, title: string, why: string) =>
    `${address} ${how === 'bounced' ? 'bounced' : 'was refused'} on ${day}, in the round “${title}”: ${why}`,
  sentHandAlready: 'Sent by hand already',
  draftsRoundWereSent: 'the drafts of this round that were sent from the mailbox',
  personSentLetterFrom: (day: string) => `This person was sent the letter from the mailbox’s drafts on ${day}.`,
  draftsRoundMailbox: 'Drafts of this round in the mailbox',
  draftsRoundWereNot: 'the drafts of this round that were not sent yet',
  mailboxWhoeverPostedSent: (lying: number) =>
    `${times(lying, 'draft of this round lies', 'drafts of this round lie')} in the mailbox. Whoever is posted to and sent the draft as well gets the letter twice: take the drafts away first, at “All messages” of the proof.`,
  leftOutDoNot: 'Left out by the do-not-write list',
  addressesListAgainstThose: 'the addresses of the list, against those that no round may write to',
  doNotWriteList: (leftOut: number) =>
    `${times(leftOut, 'person of the list is', 'people of the list are')} on the do-not-write list, and ${verb(leftOut, 'gets', 'get')} no letter.`,
  outsideOrganisation: 'Outside the organisation',
  domainEveryAddressCopies: 'the domain of every address, copies included, against those of the mailbox',
  moreCopiesThanMailbox: 'More copies than the mailbox may send in a day',
  recipientsEachMessageCc:
    'the recipients of each message, Cc and Bcc counted, against the mailbox’s limit in 24 hours',
  messageHasRecipientsMailbox: (n: number, perDay: number) =>
    `This message has ${n} recipients; the mailbox may write to ${perDay} in a day. It could never leave.`,
  moreThanTodayS: 'More than today’s allowance',
  allRecipientsRoundAgainst: 'all recipients of the round, against what the mailbox may send just now',
  roundHasMailboxMay: (all: number, allowance: number, perDay: number) =>
    `The round has ${times(all, 'recipient', 'recipients')}; the mailbox may write to ${allowance.toLocaleString('en-GB')} now, and to ${perDay.toLocaleString('en-GB')} a day. The rest leaves on the days after, as the timetable shows.`,
  ownTimeUnread: 'No time of their own',
  ownTimeUnreadLooks:
    'the column of people’s own times, and that of their time zones (IANA), where the round goes by them',
  noTime: (text: string, name: string) =>
    `“${text}” in “${name}” is no time. Write a day and hour, such as 2/11/2026 09:00, or nothing.`,
  noZone: (text: string, name: string) =>
    `“${text}” in “${name}” is no time zone. Write a name such as Europe/London, or nothing.`,
  ownTimePast: 'Own time that is past',
  ownTimePastLooks: 'people’s own times against the time it is now',
  isPast: (at: string) => `Their own time, ${at}, is past: the letter would leave as soon as it can.`,
  ownTimeClosed: 'Own time outside the hours',
  ownTimeClosedLooks: 'people’s own times against the hours and days off of the mailbox and the round',
  isClosed: (at: string, opens: string) =>
    `Their own time, ${at}, is outside the hours: the letter would wait until ${opens}.`,
  neverOpens: (at: string) => `Their own time, ${at}, is outside the hours, and they never open after it.`,
}

/** checks.ts */
export const checks = {
  alsoAddressOf: (address: string, whose: string, messages: number) =>
    `${address} is also the address of ${whose}: the same mailbox would get ${times(messages, 'message')}.`,
  fixedWords: 'the fixed words of subject and body: XXX, [name], <<name>>, ____, TBC, ???, loose braces',
  nobodyWrite: 'Nobody to write to',
  peopleRound: 'the people of the round',
  roundHasNoPeople: 'The round has no people. Bring in a list, or change the rules.',
  noColumnAddresses: 'No column of addresses',
  columnChosenAddresses: 'the column chosen for the addresses',
  noColumnHoldsAddresses: 'No column holds the addresses. Choose it at People.',
  emptySubjectOrLetter: 'Empty subject or letter',
  subjectBodyAsWritten: 'the subject and the body as written',
  letterHasNoSubject: 'The letter has no subject.',
  letterHasNoWords: 'The letter has no words but its greeting.',
  letterHasNoWords2: 'The letter has no words.',
  fieldWithoutColumn: 'Field without a column',
  everyFieldLetterCopies:
    'every field of the letter, of its copies and of the names of files, against the columns of the list',
  letterHasFieldBut: (name: string, near: string | null) =>
    `The letter has the field “${name}”, but the list has no column of that name.${near ? ` The nearest is “${near}”.` : ''}`,
  halfTypedField: 'Half-typed field',
  bracesMakeNoField: 'braces that make no field in Cc, Bcc, Reply-To, and in the names and patterns of files',
  ccBccOrReply: 'Cc, Bcc or Reply-To',
  patternWhichFilesFound: 'the pattern by which files are found',
  nameFilesSentUnder: 'the name that files are sent under',
  nameFilesMade: 'the name of the files that are made',
  noWholeFieldWould: (loose: string, where: string) =>
    `“${loose}” in ${where} is not a whole field, and would be sent as it is. A field is typed {{like this}}.`,
  draftingMarkLeftOver: 'Drafting mark left over',
  stillStands: (mark: string, place: string) => `“${mark}” still stands in the ${place}.`,
  copyOrAnswerNo: 'Copy or reply to what is not an address',
  whatCcBccReply: 'what Cc, Bcc and Reply-To come to for each person',
  standsCcBccOr: (wrong: string) => `“${wrong}” stands in Cc, Bcc or Reply-To, but is not an address.`,
  addressMissingOrWrong: 'Address missing or wrong',
  eachPersonSAddress: "each person's address, by RFC 5321 and RFC 5322",
  thereNoAddressRow: 'There is no address in this row.',
  addressCannotWritten: (address: string, fault: string) => `The address “${address}” cannot be written to: ${fault}.`,
  nameNone: 'Not a name',
  whatWouldStandBeside:
    'what would stand beside each address as the person’s name: numbers, addresses, sentences, more than 60 characters',
  wouldStandBesideAddress: (name: number, slice: string, name2: string, fault: string) =>
    `“${name > 80 ? `${slice}…` : name2}” would stand beside the address as this person’s name, and ${fault}.`,
  oneNameMany: 'One name for many',
  namesBesideAddressesOne:
    'the names beside the addresses: one that more than three people, and a tenth of all, would bear',
  wouldStandBesideAddresses: (name: string, n: number) =>
    `“${name}” would stand beside the addresses of ${n.toLocaleString('en-GB')} people as their name.`,
  sameAddressMoreThan: 'Same address more than once',
  addressesAllPeopleRound: 'the addresses of all people of the round, without regard to case',
  blankWithoutStand: 'Blank without a stand-in',
  everyFieldLetterEvery: 'every field of the letter in every row',
  subject: 'the subject',
  letter: 'the letter',
  blankHereHasNo: (name: string, where: string) => `“${name}” is blank here, and ${where} has no stand-in for it.`,
}

/** fileChecks.ts */
export const fileChecks = {
  mentions: (file: string, whom: string, quoted: string, what: string) =>
    `“${file}” mentions ${whom}: ${quoted}. ${what}`,
  noSuchFile: (how: string, name: string, near: string) => `${how} “${name}”, and there is no such file.${near}`,
  withoutForm: (character: string, where: string) =>
    `${character} ${where}, and no typeface here has a form for it: in the PDF that is made it would be missing.`,
  inFolder: (folder: string) => `in ${folder || 'no folder'}`,
  everybodyMentions: (file: string, whom: string, quoted: string) =>
    `“${file}” goes to everybody, and mentions ${whom}: ${quoted}.`,
  emptySaveAnewAdd: (name: string) => `“${name}” is empty. Save it again and add it again, or take it out.`,
  runsWhenOpenedMail: (name: string, because: string) =>
    `“${name}” runs when it is opened${because}. Mail hosts refuse such files; the message would come back.`,
  carriesMacrosManyHosts: (name: string, because: string) =>
    `“${name}” carries macros${because}. Many hosts refuse such files, and few people should open them.`,
  lockedPasswordWhoeverGets: (name: string) =>
    `“${name}” is locked with a password. Whoever gets it cannot read it without, and nor could the guard.`,
  cannotReadAsWhat: (name: string, because: string) =>
    `“${name}” cannot be read as what it says it is${because}. Save it again, or take it out.`,
  notWhatEndingSays: (name: string, because: string) =>
    `“${name}” is not what its ending says${because}. Give it the right ending, or add the right file.`,
  wouldUnpackSizeNothing: (name: string, because: string) =>
    `“${name}” would unpack to a size that nothing in an office has${because}. Take it out.`,
  somebodyElse: 'somebody else',
  saysNothingPerson: 'It says nothing of this person.',
  whatSaysPersonMay: 'What it says of this person may stand there by chance.',
  fileNotThere: 'File not there',
  filesEachPersonS: "the files that each person's row or the pattern names, against the files of the round",
  namesFilesPeopleNone: (name: string | undefined, naming: number) =>
    `“${name}” names files for ${naming === 1 ? 'one person' : `${naming} people`}, and none of them is here.`,
  rowNames: 'The row names',
  patternPersonHas: 'By the pattern this person has',
  there: (name: string, why: string) => ` There is “${name}”: ${why}.`,
  characterCannotDrawn: 'A character that cannot be drawn',
  wordsEachPdfMade: 'the words of each PDF that is made, against the characters that the typefaces here have',
  stands: (name: string) => `stands in “${name}”`,
  standsWords: 'stands in the words',
  fileStillMade: 'File still to be made',
  filesMadeEachPerson: 'the files made for each person, against the letter or model and the row as they are now',
  filePersonNotMade: 'The file for this person is not made yet.',
  filePersonMadeBefore: 'The file for this person was made before something it is made of changed.',
  severalFilesOneName: 'Several files of one name',
  namesStandFilesOther: 'names that stand for files with other contents in several folders',
  thereFilesCalledOther: (files: number, name: string, join: string) =>
    `There are ${files} files called “${name}”, with other contents: ${join}. Which is meant nobody can tell.`,
  withoutFileTheirOwn: 'Without a file of their own',
  whetherEachPersonHas: 'whether each person has or names a file of their own, where others do',
  rowNamesNoFile: 'This row names no file, while others do.',
  personHasNoFile: 'This person has no file, while others do.',
  fileGoesNobody: 'File that goes to nobody',
  everyOwnFileRound: 'every own file of the round, against what each person gets',
  hereAsSomebodyS: (name: string) => `“${name}” is here as somebody’s own, and nobody gets it.`,
  ownFileSeveralPeople: 'Own file for several people',
  ownFilesWhoseContent: 'own files whose content goes to more than one person',
  goesPeopleAsTheir: (name: string, rows: number, join: string) =>
    `“${name}” goes to ${rows} people as their own: ${join}${rows > 3 ? ' and others' : ''}.`,
  fileAnotherPerson: 'Another person’s file',
  nameWordsEachOwn:
    'the name and the words of each own file (PDF, DOCX, XLSX, HTML, text): names, numbers and addresses of others, and none of whom it goes to',
  fileMayAnotherPerson: 'File that may be another person’s',
  sameWhereWhatSays: 'the same, where what it says of whom it goes to may stand there by chance',
  fileEverybodySpeaksOne: 'File for everybody that mentions one person',
  nameWordsEachCommon: 'the name and the words of each common file',
  onePerson: 'one person',
  guardKnowsNoNames: 'No names to check files against',
  whetherColumnNamesChosen: 'whether a column of names is chosen, where people have files of their own',
  noColumnNamesChosen:
    'No column of names is chosen, so whose a file is can be told only by what else few people share: addresses, numbers, and words that read as a name. Messages go to the bare address.',
  filesSpeakNobody: 'Files that mention nobody',
  ownFilesWhoseName: 'own files whose name and words have nothing of anybody in the round',
  saysFilesSayNothing: (silent: number, name: string, join: string) =>
    `${silent === 1 ? `“${name}” says` : `${silent} files say`} nothing of anybody, so the guard cannot tell whose ${verb(silent, 'it is', 'they are')}${silent > 1 ? `: ${join}${silent > 3 ? ' and others' : ''}` : ''}.`,
  fileCannotGo: 'File that cannot go',
  everyFileSContent:
    'every file’s content and ending: empty, run when opened, damaged, of another kind than its ending says',
  fileMayRefusedOr: 'File that may be refused or not be opened',
  everyFileSContent2: 'every file’s content: macros, and locks with a password',
  messageTooLarge: 'Message too large',
  eachMessageSEncoded: "each message's encoded size against what the mailbox takes",
  messageComesFilesMailbox: (sizeWordsGiven: string, sizeWordsGiven2: string) =>
    `The message comes to ${sizeWordsGiven} with its files; the mailbox takes ${sizeWordsGiven2}.`,
}

/** proof.ts */
export const proof = {
  everyMessage: (message: string) => `In every message: ${message}`,
}

/** readingSet.ts */
export const readingSet = {
  leftOut: 'left out',
  stand: (name: string) => `the stand-in for “${name}”`,
  longest: (name: string) => `the longest “${name}”`,
  shortest: (name: string) => `the shortest “${name}”`,
  noFile: 'no file',
  oneFile: 'one file',
  severalRowsOneMessage: 'several rows in one message',
  copiesOpenlyUnseen: (cc: number, bcc: number) => `copies to ${cc} openly and ${bcc} unseen`,
  noPersonalNote: 'no personal note',
  personalNote: 'a personal note',
  lettersAnotherAlphabet: (name: string) => `letters of another alphabet: ${name}`,
  lettersAccents: 'letters with accents',
}

/** sheetChecks.ts */
export const sheetChecks = {
  whatIsTaken:
    'what the letter, its copies, the names of files and the rules take from the list: #VALUE!, #N/A, Err:502 and their like (ECMA-376 Part 1, 18.17.3)',
  letter: 'the letter',
  copiesOrAnswers: 'its copies or answers',
  namesFiles: 'the names of files',
  personSName: 'the person’s name',
  rule: 'a rule',
  formulaFailed: 'A formula that failed',
  ruleLooksWhereFormula: (name: string, failed: number, who: string) =>
    `A rule looks at “${name}”, where a formula of the workbook failed for ${failed === 1 ? who : `${failed.toLocaleString('en-GB')} people who are left out (${who}${failed > 3 ? ' and others' : ''})`}: nobody can tell whether the letter is for them.`,
  whichFormulaWorkbookFailed: (name: string, by: string, startsWith: boolean, startsWith2: boolean, error: string) =>
    `“${name}”, which ${by} ${startsWith || startsWith2 ? 'use' : 'uses'}, is ${error}: a formula of the workbook failed.`,
  longNumberCutShort: 'A long number cut short',
  figuresSuchAs4:
    'figures such as 4.47701E+11 in the columns that are used: a sheet shortens long numbers so, and digits are lost',
  sheetCutsLongNumbers: (name: string, text: string) =>
    `“${name}” is ${text}: a sheet cuts long numbers short so. Type in the whole number.`,
  dayNought: 'A day that is nought',
  daysVeryBeginningHow:
    'days at the very beginning of how sheets count them, 30 December 1899 to 1 January 1900 and 1 January 1904 (ECMA-376 Part 1, 18.17.4.1): what a blank cell or a mere time of day turns into',
  howSheetShowsBlank: (name: string, text: string) =>
    `“${name}” is ${text}: that is how a sheet shows a blank, or a time of day, as a date.`,
  day1899Or1900: 'A day in 1899 or 1900',
  daysTheseTwoYears:
    'days of these two years in the columns that are used: small numbers that a sheet shows as dates lie there',
  dayYearOrNumber: (name: string, text: string) =>
    `“${name}” is ${text}. Is it a day of that year, or a number that a sheet shows as a date?`,
  currencySignTwice: 'A currency sign twice',
  amountsWordsEachMessage:
    'amounts in the words of each message with two currency signs (Unicode, general category Sc)',
  hasCurrencySignToo: (said: string) =>
    `“${said}” has a currency sign too many: one stands in the letter, and one in the list.`,
  fractionAmongPercentages: 'A fraction among percentages',
  figuresFrom01: 'figures from 0 to 1 without a % sign in columns whose other cells are percentages',
  whereOthersHavePercentages: (name: string, text: string, percent: number) =>
    `“${name}” is ${text} where others have percentages: ${percent} % is meant, or ${text} %?`,
  trueOrFalseLetter: 'TRUE or FALSE in the letter',
  cellsWhichSheetShows:
    'cells by which a sheet shows yes and no, in ten languages, where the letter writes them as they are',
  letterSaysAsSheet: (text: string, name: string) =>
    `The letter says “${text}” for “${name}”, as a sheet shows yes and no. Write what is meant with two passages, or mend the cell.`,
  datesSeveralLanguages: 'Dates in several languages',
  namesMonthsWeekdaysEach: 'the names of months and weekdays in each column that the letter uses (Unicode CLDR)',
  hasDatesSeveralLanguages: (name: string, n: number, languageName: string, trim: string, nameOf: string) =>
    `“${name}” has dates in several languages: ${n.toLocaleString('en-GB')} in ${languageName}, but “${trim}” for ${nameOf}. Choose one form for it in the letter, or mend the cells.`,
}

/** wordChecks.ts */
export const wordChecks = {
  columnIs: (column: string, value: string) => `“${column}” is ${value}`,
  shownRounded: (what: string) => `${what}: a workbook shows such a figure rounded.`,
  addressOneSlipFrom: 'Address one slip from others',
  partEachAddressAfter:
    'the part of each address after the @, against those that five people and more of the round have',
  oneSlipAwayFrom: (own: string, near: string, near2: number) =>
    `“${own}” is one slip away from “${near}”, which ${near2} people of this round have.`,
  weekdayDoesNotFit: 'Weekday that does not fit its date',
  everyDateWeekdayWords: 'every date with its weekday in the words of each message (the Gregorian calendar)',
  letterSaysDay: (said: string, right: string) => `The letter says “${said}”: that day is a ${right}.`,
  day: (said: string, right: string) => `“${said}”: that day is a ${right}.`,
  numberLooksLikeDate: 'A number that looks like a date',
  wholeNumbersFiveFigures:
    'whole numbers of five figures in columns that speak of days (date serials of ECMA-376, 2000 to 2049)',
  asWorkbookCountsDays: (name: string, text: string, words: string) =>
    `“${name}” is ${text}: as a workbook counts days, that is ${words}.`,
  figureStrayDecimals: 'A figure with stray decimals',
  figuresNineDecimalsMore:
    'figures with nine decimals and more in the words of each message (IEEE 754 numbers as they are stored)',
  standsLetter: (noise: string) => `“${noise}” stands in the letter`,
  dayPast: 'A day that is past',
  datesColumnsLetterUses: 'dates of the columns that the letter uses, against today in the mailbox’s time zone',
  pastPeople: (name: string, past: number) => `“${name}” is past for ${past === 1 ? 'one person' : `${past} people`}.`,
  datesWrittenSeveralWays: 'Dates written in several ways',
  howDatesEachColumn: 'how the dates of each column are written, where the letter writes them as the list does',
  letterWritesAsList: (name: string, ways: number, join: string) =>
    `The letter writes “${name}” as the list does, and there it is written in ${ways} ways: ${join}. Choose one form for it in the letter, or mend the cells.`,
  nameAllCapitals: 'A name all in capitals',
  namesPeopleColumnsLetter: 'the names of people in the columns that the letter uses',
  writtenCapitals: (name: string) => `“${name}” is written in capitals.`,
  doubledSpaceOrStray: 'Doubled space or stray character',
  spacesPunctuationWordsEach: 'spaces and punctuation in the words of each message, once they are filled in',
  letterHasSpaceOr: (slice: string) => `The letter has “${slice}”: a space or a character too many.`,
  spaceOrCharacterToo: (slice: string) => `“${slice}”: a space or a character too many.`,
  longSubject: 'Long subject',
  howManyCharactersLongest:
    'how many characters the longest subject has; inboxes show about 70 (common practice, no source)',
  subjectHasCharactersInboxes: (subject: number) =>
    `The subject has ${subject} characters; inboxes show about 70 of them.`,
  speaksEnclosureWhereThere: 'Mentions an enclosure where there is none',
  wordsAttachedEnclosedTheir: 'the words “attached”, “enclosed” and their like in each message without files',
  letterSaysNoFile: (word: string) => `The letter says “${word}”, and no file goes with it.`,
  linkNotSafe: 'Link that is not safe',
  addressesLinksButtonsWhether: 'the addresses of links and buttons: whether they lead anywhere, and by https',
  notHttpsCanRead: 'is not by https: it can be read and changed on its way',
  leadsNowhere: 'leads nowhere',
  link: (href: string, why: string) => `The link to “${href}” ${why}.`,
  pictureWithoutWords: 'Picture without words',
  whetherEachPictureHas: 'whether each picture has words for those who do not see it (WCAG 2.2, 1.1.1)',
  picturesHaveNoWords: (without: number) =>
    `${without === 1 ? 'One picture has' : `${without} pictures have`} no words for those who see no pictures.`,
}

/** paperChecks.ts */
export const paperChecks = {
  noColumns: 'No columns for the postal address',
  columnsLookedAt: 'the columns that make the postal address of letters on paper',
  noColumnsSaid: (letters: number) =>
    `${times(letters, 'letter')} ${verb(letters, 'goes', 'go')} on paper, and no column is chosen for the postal address. Choose them at People.`,
  address: 'Postal address missing or too long',
  addressLookedAt: (most: number) =>
    `each postal address of a letter on paper: that there is one, that it has ${most} lines at most, and that each fits into the window of the envelope`,
  blank: 'There is no postal address in this row, and the letter is to go on paper.',
  tooLong: (lines: number, most: number, first: string) =>
    `The postal address has ${lines} lines, and ${most} can be seen in the window. From “${first.slice(0, 60)}” on they would be hidden.`,
  tooWide: (line: string) =>
    `“${line.slice(0, 100)}” is wider than the window of the envelope: its end would be hidden.`,
  failed: (error: string) => `The postal address has “${error}”, as a formula of the workbook failed there.`,
  short: 'Postal address of one line',
  shortLookedAt: 'postal addresses of letters on paper that are one line only',
  oneLine: (line: string) => `The postal address is “${line.slice(0, 100)}” alone. Will that arrive?`,
  notPrinted: 'File that cannot be printed with the letter',
  notPrintedLookedAt: 'the files that go behind letters on paper: PDF, PNG and JPEG can be printed with them',
  printYourself: (name: string, why: string) =>
    `“${name}” goes with a letter on paper, and ${why}. Print it yourself and put it behind the letter, or enclose it as a PDF.`,
  locked: 'is locked by a password',
  broken: 'cannot be read',
  noPage: 'is no PDF and no picture, so it cannot be printed with it',
}
