import type { TableDef } from '@/core/values/tables'
import type { ToldForecast } from '@/engine/answers/bulk'
import { counted } from '../today/summary'

/** So many records of a table, in words: "214 claims". */
export const records = (n: number, { singular, label }: TableDef) => counted(n, singular.replaceAll('_', ' '), label.toLowerCase())

/** What it sets off, for the end of the button that does it: " and send 180 mails". */
function thenWords({ messages, workflows }: ToldForecast, quiet: boolean): string {
  if (quiet) return ', quietly'
  if (messages > 0) return ` and send ${counted(messages, 'mail')}`
  return workflows.length > 0 ? '; no mail goes' : ''
}

/** What the one button says: the deed with its numbers. */
export function deedWords(kind: 'edit' | 'delete' | 'import', forecast: ToldForecast | null, table: TableDef, quiet: boolean): string {
  if (!forecast) return kind === 'delete' ? 'Delete them' : kind === 'edit' ? 'Change them' : 'Import it'
  const { created, changed, deleted } = forecast
  const parts = [created && `add ${records(created, table)}`, changed && `change ${records(changed, table)}`, deleted && `delete ${records(deleted, table)}`].filter(
    (p) => typeof p === 'string',
  )
  const words = new Intl.ListFormat('en-GB').format(parts)
  return parts.length === 0 ? 'Nothing would change' : words.charAt(0).toUpperCase() + words.slice(1) + thenWords(forecast, quiet)
}

/** The first values of a column, for a look at what it holds. */
export const firstValues = (cells: readonly (string | undefined)[]): string => cells.filter(Boolean).slice(0, 4).join(' · ')
