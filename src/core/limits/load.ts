/** Mail that somebody got of a workflow. */
export interface Load {
  readonly address: string
  readonly workflow: string
  readonly table: string | null
  readonly mails: number
  readonly again: number
}

/** Mail that a group was named for. */
export interface GroupLoad {
  readonly group: string
  readonly workflow: string
  readonly mails: number
}

/** A row of who gets what: somebody of the organisation, a group, or all addresses of a domain outside about one table. */
export interface LoadOf {
  readonly key: string
  readonly kind: 'person' | 'group' | 'outside'
  readonly name: string
  /** The address of one person; null where the row is of several. */
  readonly address: string | null
  readonly mails: number
  readonly again: number
  readonly byWorkflow: ReadonlyMap<string, number>
}

/** Who gets what: people by name, groups, addresses outside by domain and table, those with most mail first. What goes to a group goes to its people too, and stands with both. */
export function whoGetsWhat(loads: readonly Load[], names: ReadonlyMap<string, string>, groups: readonly GroupLoad[] = []): LoadOf[] {
  const rows = new Map<string, { kind: LoadOf['kind']; name: string; address: string | null; mails: number; again: number; byWorkflow: Map<string, number> }>()
  const add = (row: { mails: number; byWorkflow: Map<string, number> }, workflow: string, mails: number) => {
    row.mails += mails
    row.byWorkflow.set(workflow, (row.byWorkflow.get(workflow) ?? 0) + mails)
  }
  for (const { address, workflow, table, mails, again } of loads) {
    const name = names.get(address)
    const domain = address.slice(address.lastIndexOf('@') + 1)
    const key = name === undefined ? `outside ${domain} ${table ?? ''}` : address
    const row = rows.get(key) ?? {
      kind: name === undefined ? ('outside' as const) : ('person' as const),
      name: name ?? `${domain}${table ? `, ${table.toLowerCase()}` : ''}`,
      address: name === undefined ? null : address,
      mails: 0,
      again: 0,
      byWorkflow: new Map<string, number>(),
    }
    rows.set(key, row)
    row.again += again
    add(row, workflow, mails)
  }
  for (const { group, workflow, mails } of groups) {
    const key = `group ${group}`
    const row = rows.get(key) ?? { kind: 'group' as const, name: group, address: null, mails: 0, again: 0, byWorkflow: new Map<string, number>() }
    rows.set(key, row)
    add(row, workflow, mails)
  }
  return [...rows].map(([key, row]) => ({ key, ...row })).sort((a, b) => b.mails - a.mails || (a.key < b.key ? -1 : 1))
}
