/** Why an installation decides and sends nothing before somebody says that it is to go on. */
export type WhyAsleep = 'restored' | 'elsewhere' | 'put back'

const SAID: Readonly<Record<WhyAsleep, string>> = {
  restored: 'This installation was restored from a copy.',
  elsewhere: 'The database is reached at an address that is new, and nobody was at work on it: it may be a copy.',
  'put back': 'The database was put back to an earlier state: what was decided and sent since then is not in it.',
}

/** Why an installation is asleep, in a sentence. */
export const whyAsleep = (why: WhyAsleep): string => SAID[why]

/** What may go wrong if it goes on, after “before you say that it is to go on: …”. */
export const riskAwake = (why: WhyAsleep): string =>
  why === 'put back' ? 'what waited at that time may have been sent since.' : 'the one that it was copied from may be running still.'
