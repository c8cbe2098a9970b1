/** Seconds that nobody needs to be told of. */
const MOST_UNSAID = 2

/** How far what is shown is behind, in a sentence; null where that is nothing, or too little to be told. */
export function behindWords(seconds: number | null | undefined): string | null {
  return seconds == null || seconds < MOST_UNSAID ? null : `Read from a copy of the database that is ${Math.round(seconds)} s behind.`
}

/** The same as a line of its own. */
export function Behind({ seconds }: { seconds: number | null | undefined }) {
  const said = behindWords(seconds)
  return said === null ? null : <p className="mt-2 text-muted text-sm">{said}</p>
}
