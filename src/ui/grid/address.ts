import type { View } from '@/core/document/view'

/** The query of an address that looks at records in a way: by the view's name, or all of it. Widths are kept with views alone. */
export function addressOf({ where, order, group, columns, frozen }: View, named: string | null): string {
  const query = new URLSearchParams()
  if (named !== null) query.set('view', named)
  else {
    if (where) query.set('where', JSON.stringify(where))
    if (order) query.set('order', order)
    if (group) query.set('group', group)
    if (columns) query.set('columns', columns.join(','))
    if (frozen !== undefined) query.set('frozen', String(frozen))
  }
  return query.size ? `?${query}` : ''
}

/** What an address asks for, as `addressOf` writes it; `where` was read already. */
export function viewOf(query: Readonly<Record<string, string | undefined>>, where: View['where']): View {
  const { order, group, columns, frozen } = query
  return {
    ...(where ? { where } : {}),
    ...(order ? { order } : {}),
    ...(group ? { group } : {}),
    ...(columns ? { columns: columns.split(',') } : {}),
    ...(frozen !== undefined && /^\d{1,2}$/.test(frozen) ? { frozen: Number(frozen) } : {}),
  }
}
