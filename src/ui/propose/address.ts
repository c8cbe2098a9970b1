interface Asked {
  readonly table?: string
  readonly within?: string | null
  readonly yes?: number | readonly number[]
  readonly no?: number | readonly number[]
  readonly records?: readonly (string | number)[]
  /** How many changes are listed. */
  readonly take?: number
}

/** The page where past changes are marked: of a table, or those that a workflow fired for; with changes or records that are marked already. */
export function pastChangesPage(asked: Asked): string {
  const given = Object.entries(asked).flatMap(([name, value]) => (value === undefined || value === null ? [] : [[name, [value].flat().join(' ')]]))
  return `/workflows/new?${new URLSearchParams([['from', 'changes'], ...given])}`
}
