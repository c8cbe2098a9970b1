/** The page where past changes are marked: of a table, or those that a workflow fired for; with changes or records that are marked already. */
export function pastChangesPage(asked: {
  readonly table?: string
  readonly within?: string
  readonly yes?: number
  readonly no?: number
  readonly records?: readonly (string | number)[]
}): string {
  const { records, ...rest } = asked
  const given = Object.entries(rest).filter(([, value]) => value !== undefined)
  return `/workflows/new?${new URLSearchParams([['from', 'changes'], ...given.map(([name, value]) => [name, String(value)]), ...(records ? [['records', records.join(' ')]] : [])])}`
}
