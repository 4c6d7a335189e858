/**
 * The languages that a workbook's formats name by number ("[$-40C]"), as BCP 47 tags. The numbers are those of the published list of
 * language identifiers that ECMA-376 Part 1, 18.18.1 refers to; written down from memory.
 */
const byNumber: Record<number, string> = {
  1025: 'ar-SA',
  1026: 'bg-BG',
  1027: 'ca-ES',
  1028: 'zh-TW',
  1029: 'cs-CZ',
  1030: 'da-DK',
  1031: 'de-DE',
  1032: 'el-GR',
  1033: 'en-US',
  1034: 'es-ES',
  1035: 'fi-FI',
  1036: 'fr-FR',
  1037: 'he-IL',
  1038: 'hu-HU',
  1039: 'is-IS',
  1040: 'it-IT',
  1041: 'ja-JP',
  1042: 'ko-KR',
  1043: 'nl-NL',
  1044: 'nb-NO',
  1045: 'pl-PL',
  1046: 'pt-BR',
  1048: 'ro-RO',
  1049: 'ru-RU',
  1050: 'hr-HR',
  1051: 'sk-SK',
  1052: 'sq-AL',
  1053: 'sv-SE',
  1054: 'th-TH',
  1055: 'tr-TR',
  1056: 'ur-PK',
  1057: 'id-ID',
  1058: 'uk-UA',
  1059: 'be-BY',
  1060: 'sl-SI',
  1061: 'et-EE',
  1062: 'lv-LV',
  1063: 'lt-LT',
  1065: 'fa-IR',
  1066: 'vi-VN',
  1067: 'hy-AM',
  1068: 'az-AZ',
  1069: 'eu-ES',
  1071: 'mk-MK',
  1078: 'af-ZA',
  1079: 'ka-GE',
  1081: 'hi-IN',
  1086: 'ms-MY',
  1087: 'kk-KZ',
  1093: 'bn-IN',
  1094: 'pa-IN',
  1095: 'gu-IN',
  1097: 'ta-IN',
  1098: 'te-IN',
  1099: 'kn-IN',
  1100: 'ml-IN',
  1102: 'mr-IN',
  1106: 'cy-GB',
  1110: 'gl-ES',
  1122: 'fy-NL',
  1124: 'fil-PH',
  2052: 'zh-CN',
  2055: 'de-CH',
  2057: 'en-GB',
  2058: 'es-MX',
  2060: 'fr-BE',
  2064: 'it-CH',
  2067: 'nl-BE',
  2068: 'nn-NO',
  2070: 'pt-PT',
  2077: 'sv-FI',
  2108: 'ga-IE',
  3076: 'zh-HK',
  3079: 'de-AT',
  3081: 'en-AU',
  3082: 'es-ES',
  3084: 'fr-CA',
  4105: 'en-CA',
  4108: 'fr-CH',
  5129: 'en-NZ',
  6153: 'en-IE',
  7177: 'en-ZA',
  9226: 'es-CO',
  10250: 'es-PE',
  11274: 'es-AR',
  13322: 'es-CL',
  16393: 'en-IN',
  18441: 'en-SG',
}

/** The language of which an office here writes, where a workbook says nothing. */
export const homeLanguage = 'en-GB'

/** The languages that a workbook may be read in: those that formats name. In the order of their tags. */
export const workbookLanguages: readonly string[] = [...new Set(Object.values(byNumber))].sort()

/** The language of a number in a format, as a BCP 47 tag; null when it is none that is known. */
export const languageOfNumber = (number: number): string | null => byNumber[number] ?? null

/** The number by which formats name a language; null when there is none. */
export function languageNumber(text: string): number | null {
  const known = knownLanguage(text)
  return known === null ? null : Number(Object.entries(byNumber).find(([, tag]) => tag === known)![0])
}

/**
 * A language as a document writes it ("fr", "fr-FR", "fr_FR") as one that {@link workbookLanguages} has; null when there is none.
 */
export function knownLanguage(text: string | null | undefined): string | null {
  const tag = (text ?? '').trim().replaceAll('_', '-').slice(0, 20).toLowerCase()
  if (!/^[a-z]{2,3}(-|$)/.test(tag)) return null
  const exact = workbookLanguages.find((one) => one.toLowerCase() === tag)
  if (exact) return exact
  const [language] = tag.split('-')
  // The country that its language is named after comes first: fr-FR before fr-BE. English is that of the house.
  if (language === 'en') return homeLanguage
  if (language === 'no') return 'nb-NO'
  return (
    workbookLanguages.find((one) => one.toLowerCase() === `${language}-${language}`) ??
    workbookLanguages.find((one) => one.toLowerCase().startsWith(`${language}-`)) ??
    null
  )
}

/** A language by its name in English: "French (France)". */
export const languageName = (tag: string): string =>
  new Intl.DisplayNames('en-GB', { type: 'language', languageDisplay: 'standard' }).of(tag) ?? tag

/** The texts by which a workbook shows yes and no where a language is spoken; those of English where it is not known. */
const truth: Record<string, [yes: string, no: string]> = {
  de: ['WAHR', 'FALSCH'],
  es: ['VERDADERO', 'FALSO'],
  fi: ['TOSI', 'EPÄTOSI'],
  fr: ['VRAI', 'FAUX'],
  it: ['VERO', 'FALSO'],
  nb: ['SANN', 'USANN'],
  nl: ['WAAR', 'ONWAAR'],
  pl: ['PRAWDA', 'FAŁSZ'],
  pt: ['VERDADEIRO', 'FALSO'],
  sv: ['SANT', 'FALSKT'],
}
/**
 * What an office suite writes for true and false in a language.
 * @param language a BCP 47 tag; English where the language is not known.
 * @example truthIn('de-AT', true) // 'WAHR'
 */
export const truthIn = (language: string, value: boolean): string =>
  (truth[language.slice(0, 2)] ?? ['TRUE', 'FALSE'])[value ? 0 : 1]
