import { formatStored } from './format'
import { type FieldDef, type Organisation, type Stored, targetOf } from './tables'

/** A stored value as people read it, in the organisation's ways; records and people by title, files by name (`table id` and `file id` to either), blank said. */
export function readable(field: FieldDef | undefined, value: Stored | undefined, titles: ReadonlyMap<string, string>, organisation: Organisation): string {
  if (value === null || value === undefined || value === '') return 'blank'
  const target = field && targetOf(field)
  if (target) return titles.get(`${target} ${value}`) ?? 'one that is gone'
  if (field?.type === 'file') return titles.get(`file ${value}`) ?? 'a file'
  return field ? formatStored(field.type, value, organisation) : String(value)
}
