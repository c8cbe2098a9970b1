import { minutesEastAt } from './dates'

/** A moment as a zone's clock shows it, as the moment at which a clock in UTC shows the same: what spreadsheets, which know no zones, are given. */
export const instantOnClock = (moment: Date, zone: string): Date => new Date(moment.getTime() + minutesEastAt(moment, zone) * 60_000)
