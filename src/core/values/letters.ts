/** A text in small letters without accents. */
export const unaccented = (text: string): string => text.normalize('NFKD').replaceAll(/\p{M}/gu, '').toLowerCase()

/** The same as a name in file names and domains: letters and digits of ASCII with hyphens between; empty where it has none. */
export const hyphened = (text: string): string =>
  unaccented(text)
    .replaceAll(/[^a-z0-9]+/g, '-')
    .replaceAll(/^-+|-+$/g, '')

/** A text as a regular expression that fits itself alone. */
export const patternOf = (text: string): string => text.replaceAll(/[.*+?^${}()|[\]\\]/g, '\\$&')

/** The same in whatever case its letters are, as Unicode has it: what a database's locale takes for the same letter is not asked. */
export const patternOfAnyCase = (text: string): string =>
  [...text]
    .map((letter) => {
      const cases = [...new Set([letter, letter.toLowerCase(), letter.toUpperCase()])].filter((one) => one.length === letter.length)
      return cases.length > 1 ? `[${cases.join('')}]` : patternOf(letter)
    })
    .join('')
