/**
 * The texts by which workbooks show that a formula failed (ECMA-376 Part 1, 18.17.3), also as programs show them in the languages of
 * this part of the world; those and the numbered ones written down from memory.
 */
const errorTexts = [
  'NULL! DIV/0! VALUE! REF! NAME? NUM! N/A GETTING_DATA ERROR! ERROR SPILL! CALC! FIELD! BLOCKED! CONNECT! UNKNOWN!',
  'WERT! BEZUG! ZAHL! NV ÜBERLAUF! NUL! VALEUR! NOM? NOMBRE! ¡NULO! ¡DIV/0! ¡VALOR! ¡REF! ¿NOMBRE? ¡NUM! N/D',
  'NULLO! VALORE! RIF! NOME? NULO! VALOR! NÚM! LEEG! DEEL/0! WAARDE! VERW! NAAM? GETAL! N/B',
  'SKÄRNING! DIVISION/0! VÄRDEFEL! REFERENS! NAMN? OGILTIGT! SAKNAS! TYHJÄ! JAKO/0! ARVO! VIITTAUS! NIMI? LUKU! PUUTTUU!',
  'ZERO! DZIEL/0! ARG! ADR! NAZWA? LICZBA! VÆRDI! REFERENCE! NAVN? VERDI! I/T',
].flatMap((line) => line.split(' '))
const anyError = `#(?:${errorTexts.map((text) => text.replace(/[?/]/g, '\\$&')).join('|')})|Err:5\\d\\d`
const errorValue = new RegExp(`^(?:${anyError})$`)
const errorWithin = new RegExp(`(?<![\\p{L}\\d#])(?:${anyError})(?![\\p{L}\\d])`, 'u')

/** Whether a text is what a workbook shows where a formula failed. */
export const isErrorValue = (text: string): boolean => errorValue.test(text.trim())

/** What a text holds of a formula that failed, be it alone or among words; null when nothing. */
export const errorIn = (text: string): string | null => errorWithin.exec(text)?.[0] ?? null
