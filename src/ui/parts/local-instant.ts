/** A date-time as the browser's own control wants it, in the browser's zone; blank for what is none. */
export function localInstant(value: string): string {
  const moment = new Date(value)
  return Number.isNaN(moment.getTime()) ? '' : new Date(moment.getTime() - moment.getTimezoneOffset() * 60_000).toISOString().slice(0, 16)
}
