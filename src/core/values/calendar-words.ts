/** Months by their names, long and short, as parts of patterns over lower case; January first. */
export const MONTH_WORDS: readonly string[] = [
  'jan(?:uary)?',
  'feb(?:ruary)?',
  'mar(?:ch)?',
  'apr(?:il)?',
  'may',
  'june?',
  'july?',
  'aug(?:ust)?',
  'sep(?:t|tember)?',
  'oct(?:ober)?',
  'nov(?:ember)?',
  'dec(?:ember)?',
]

/** Days of the week likewise, in the plural too; Monday first. */
export const WEEKDAY_WORDS: readonly string[] = ['mon(?:day)?', 'tue(?:s|sday)?', 'wed(?:nesday)?', 'thu(?:rs?|rsday)?', 'fri(?:day)?', 'sat(?:urday)?', 'sun(?:day)?'].map(
  (word) => `${word}s?`,
)
