/** Mail that somebody got of a workflow. */
export interface Load {
  readonly address: string
  readonly workflow: string
  readonly table: string | null
  readonly mails: number
  readonly again: number
}

/** A row of who gets what: somebody of the organisation, or all addresses of a domain outside about one table. */
export interface LoadOf {
  readonly key: string
  readonly name: string
  /** The address of one person; null where the row is of several. */
  readonly address: string | null
  readonly mails: number
  readonly again: number
  readonly byWorkflow: Readonly<Record<string, number>>
}

/** Who gets what: people by name, addresses outside by domain and table, those with most mail first. */
export function whoGetsWhat(loads: readonly Load[], names: ReadonlyMap<string, string>): LoadOf[] {
  const rows = new Map<string, { name: string; address: string | null; mails: number; again: number; byWorkflow: Record<string, number> }>()
  for (const { address, workflow, table, mails, again } of loads) {
    const name = names.get(address)
    const domain = address.slice(address.lastIndexOf('@') + 1)
    const key = name === undefined ? `outside ${domain} ${table ?? ''}` : address
    const row = rows.get(key) ?? {
      name: name ?? `${domain}${table ? `, ${table.toLowerCase()}` : ''}`,
      address: name === undefined ? null : address,
      mails: 0,
      again: 0,
      byWorkflow: {},
    }
    rows.set(key, row)
    row.mails += mails
    row.again += again
    row.byWorkflow[workflow] = (row.byWorkflow[workflow] ?? 0) + mails
  }
  return [...rows].map(([key, row]) => ({ key, ...row })).sort((a, b) => b.mails - a.mails || (a.key < b.key ? -1 : 1))
}
