type Formatter = Intl.DateTimeFormat | Intl.NumberFormat | Intl.RelativeTimeFormat

const cache = new Map<string, Formatter>()

/** The formatter under a key, made once: to make one takes a thousand times as long as to use it. */
export function cached<T extends Formatter>(key: string, make: () => T): T {
  let found = cache.get(key) as T | undefined
  if (!found) {
    found = make()
    cache.set(key, found)
  }
  return found
}

/** The formatter of moments for a locale and options. */
export const ofMoments = (locale: string, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat =>
  cached(`moments ${locale} ${JSON.stringify(options)}`, () => new Intl.DateTimeFormat(locale, options))
