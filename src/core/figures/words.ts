import type { Crossing } from '../cues/occasion'

/** A crossing in a sentence. */
export function crossingWords({ figure, threshold, line, before, value, count }: Crossing): string {
  const name = figure.replaceAll('_', ' ')
  const from = before === null ? 'nothing' : before
  return `${name.charAt(0).toUpperCase()}${name.slice(1)} went from ${from} to ${value ?? 'nothing'} and crossed ${line} (${threshold}); ${count === 1 ? 'one record is' : `${count} records are`} behind it.`
}

/** What a run of a crossing is called: the figure, and what it went from and to. */
export function crossingTitle({ figure, before, value }: Crossing): string {
  const name = figure.replaceAll('_', ' ')
  return `${name.charAt(0).toUpperCase()}${name.slice(1)}: ${before ?? 'blank'} to ${value ?? 'blank'}`
}
