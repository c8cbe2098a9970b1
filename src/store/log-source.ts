import { sqlType } from '@/core/conditions/sql'
import { waitedForSql } from '@/core/cues/record'
import type { RecordCue } from '@/core/document/document'
import { must } from '@/core/must'
import type { FieldDef } from '@/core/values/tables'
import { type Queryable, quote, unquoted } from './database'
import { changesIn, type LogShape, logOf, maskOf, readShape } from './log'

/** SQL of a record's field at a side of a change. */
export type ColumnSql = (field: FieldDef) => string

/** How SQL reads the changes of a table, as rows under the alias `c`. */
export interface LogSource {
  /** What stands after `from`. */
  readonly from: string
  /** The record after a change; with `deleted`, as it was where it is gone. */
  readonly after: (deleted: boolean) => ColumnSql
  /** The record before a change; null where it was created by it. */
  readonly before: ColumnSql
  /** The id of the person who made a change. */
  readonly by: string
  /** Whether a cue waits for a change; `bind` answers how a parameter is written. */
  readonly waitedFor: (cue: RecordCue, bind: (value: unknown) => string) => string
  /** Whether a change touches one of some fields. */
  readonly touches: (fields: readonly string[], bind: (value: unknown) => string) => string
  /** The values of a field before and after, whichever there are. */
  readonly valuesOf: (field: string) => readonly string[]
}

/**
 * How the changes of a table are read: column by column from its log, or, where some are still kept as images, or a field had another type once, from the view of its changes,
 * by the text of each value.
 */
export async function logSource(db: Queryable, table: string): Promise<LogSource> {
  const shape = await readShape(db, table)
  return shape && !shape.hasImages && isPlain(shape) ? typedSource(shape) : imageSource(table)
}

/** Whether no field that is there now had other columns before. */
function isPlain({ columns }: LogShape): boolean {
  const now = new Set(columns.filter((c) => c.until === null).map((c) => c.field))
  return !columns.some((c) => c.until !== null && now.has(c.field))
}

function typedSource({ table, columns }: LogShape): LogSource {
  const byField = new Map(columns.filter((c) => c.until === null).map((c) => [c.field, c]))
  const column = (field: string) => must(byField.get(field))
  const named = (side: 'a' | 'b', field: string) => (field === 'id' ? 'c.rec' : `c.${quote(`${side}_${column(field).stem}`)}`)
  const isSet = (field: string) => {
    const { mask, bit } = maskOf(column(field).bit)
    return `(c.${mask} & ${bit}) <> 0`
  }
  return {
    from: `${logOf(table)} c`,
    after: (deleted) => (field) => {
      const after = named('a', field.name)
      return `(${deleted && field.name !== 'id' ? `case c.kind when 'deleted' then ${named('b', field.name)} else ${after} end` : after})::${sqlType(field)}`
    },
    before: (field) => {
      if (field.name === 'id') return `(case when c.kind <> 'created' then c.rec end)::${sqlType(field)}`
      const [after, before] = [named('a', field.name), named('b', field.name)]
      return `(case c.kind when 'changed' then case when ${isSet(field.name)} then ${before} else ${after} end when 'deleted' then ${before} end)::${sqlType(field)}`
    },
    by: '(select a.person from rappel.actor a where a.id = c.actor)',
    waitedFor: ({ on, fields }, bind) => {
      const known = fields?.filter((f) => byField.has(f))
      return waitedForSql(`${bind(on)}::rappel.change_kind[]`, fields?.length ? (known?.length ? `(${known.map(isSet).join(' or ')})` : 'false') : null)
    },
    touches: (fields) => {
      const known = fields.filter((f) => byField.has(f))
      return known.length ? `(${known.map(isSet).join(' or ')})` : 'false'
    },
    valuesOf: (field) => [named('a', field), named('b', field)],
  }
}

/** A field's text in an image. @throws Error for what is no name of a field */
const textIn = (image: string, name: string): string => `${image} ->> '${unquoted(name)}'`

function imageSource(table: string): LogSource {
  return {
    from: `${changesIn(table)} c`,
    after: (deleted) => (field) => `(${textIn(deleted ? 'coalesce(c.after, c.before)' : 'c.after', field.name)})::${sqlType(field)}`,
    before: (field) =>
      `(case c.kind when 'changed' then case when c.before ? '${field.name}' then ${textIn('c.before', field.name)} else ${textIn('c.after', field.name)} end
        when 'deleted' then ${textIn('c.before', field.name)} end)::${sqlType(field)}`,
    by: `(c.by ->> 'person')::bigint`,
    waitedFor: ({ on, fields }, bind) => waitedForSql(`${bind(on)}::text[]`, fields?.length ? `c.changed && ${bind(fields)}::text[]` : null),
    touches: (fields, bind) => `c.changed && ${bind(fields)}::text[]`,
    valuesOf: (field) => [`(${textIn('c.after', field)})::bigint`, `(${textIn('c.before', field)})::bigint`],
  }
}
