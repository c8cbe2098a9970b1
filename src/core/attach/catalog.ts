import { MOST_FIELDS } from '../values/tables'

/** A column of a table as the database's catalogue has it. */
export interface CatalogColumn {
  readonly name: string
  /** Its number in the table, which stays when it is renamed (PostgreSQL, "pg_attribute"). */
  readonly attnum: number
  /** How it is read of a row called ‹r›, and the type that it has then; null for what no field can hold. */
  readonly seen: string | null
  readonly type: string | null
  /** Its own type, domains looked through, as the database writes it. */
  readonly plain: string
  /** Whether a new row must give it. */
  readonly required: boolean
  /** Whether nobody can give it: it is worked out, or counted by the database alone. */
  readonly isReadOnly: boolean
  /** What it may be: the labels of its enumeration in their order. */
  readonly labels: readonly string[] | null
  /** The definitions of checks on it alone, as the database writes them. */
  readonly checks: readonly string[]
}

/** A foreign key of one column. */
export interface CatalogLink {
  readonly column: string
  readonly schema: string
  readonly table: string
  readonly references: string
}

/** What a role may do with a table. */
export interface CatalogRights {
  readonly use: boolean
  readonly select: boolean
  readonly trigger: boolean
  readonly insert: boolean
  readonly update: boolean
  readonly delete: boolean
}

/** A table of any schema, as the database's catalogue has it. */
export interface CatalogTable {
  readonly schema: string
  readonly name: string
  readonly kind: 'table' | 'partitioned table' | 'view' | 'materialized view' | 'foreign table'
  /** The columns of its primary key, in order; null where it has none. */
  readonly key: readonly { readonly name: string; readonly plain: string }[] | null
  /** Whether other tables inherit from it that are no partitions, or it from others. */
  readonly inherits: boolean
  /** Whether row security keeps rows of it, or of a partition, from Rappel's role, as far as its policies can be told. */
  readonly hidesRows: boolean
  /** Whether a subscription writes to it, or to a partition. */
  readonly isReplicated: boolean
  /** Of itself and its partitions, what may be done with all of them. */
  readonly may: CatalogRights
  /** Whether Rappel's role may do as its owner does. */
  readonly isOwn: boolean
  /** How many rows the database guesses that it has; null where it has not looked yet. */
  readonly rows: number | null
  /** Whether it has a column besides its key that a field could hold. */
  readonly hasFields: boolean
  /** How many columns it has. */
  readonly width: number
  readonly columns: readonly CatalogColumn[]
  readonly links: readonly CatalogLink[]
  /** The role that Rappel works as. */
  readonly role: string
  /** The name of the table that it is attached as. */
  readonly attachedAs: string | null
}

/** How a table is named in words and in SQL: as PostgreSQL quotes identifiers. */
export const sqlName = (schema: string, table: string): string => [schema, table].map(sqlWord).join('.')

const sqlWord = (name: string): string => (/^[a-z_][a-z0-9_]*$/.test(name) ? name : `"${name.replaceAll('"', '""')}"`)

const KEYS = new Set(['smallint', 'integer', 'bigint', 'uuid', 'text', 'character varying', 'character'])

/** Why a table cannot be attached, as a sentence that says how to mend it; null where it can. */
export function whyNot(table: CatalogTable): string | null {
  const { kind, key, inherits, may, role } = table
  const name = sqlName(table.schema, table.name)
  if (table.attachedAs) return `It is attached already, as ${table.attachedAs}.`
  if (kind === 'view' || kind === 'materialized view') return `It is a ${kind}, which is read from other tables: attach those.`
  if (kind === 'foreign table') return 'Its rows are in another database, which tells nobody here when they change.'
  if (!key) return `It has no primary key, so that its rows cannot be told apart. Its owner gives it one: alter table ${name} add primary key (…);`
  if (key.length > 1) return `Its primary key has ${key.length} columns (${key.map((k) => k.name).join(', ')}); a record is told apart by one.`
  const [only] = key
  if (!only || !KEYS.has(only.plain)) return `Its primary key ${only?.name} is ${only?.plain}; it has to be a whole number, a uuid or a text.`
  if (inherits) return 'It inherits from another table or another from it; only tables that stand alone, and partitioned ones, can be attached.'
  const grants = [
    ...(may.use ? [] : [`grant usage on schema ${sqlWord(table.schema)} to ${role};`]),
    ...(may.select && may.trigger ? [] : [`grant select, trigger on ${name} to ${role};`]),
  ]
  if (grants.length) return `Its owner has to allow it${kind === 'partitioned table' ? ', of its partitions too' : ''}: ${grants.join(' ')}`
  if (table.hidesRows)
    return `Row security keeps rows of it from ${role}. Its owner lets it see all of them${kind === 'partitioned table' ? ', in its partitions too' : ''}: create policy rappel_sees_all on ${name} for select to ${role} using (true);`
  if (table.width > MOST_FIELDS) return `It has ${table.width.toLocaleString('en-GB')} columns; ${MOST_FIELDS} are the most that can be watched.`
  if (!table.hasFields) return 'It has no columns besides its key that a field could hold.'
  return null
}

/** What its owner has to do once a table is attached, as a sentence; null where nothing. */
export const afterwards = ({ isReplicated, isOwn }: Pick<CatalogTable, 'isReplicated' | 'isOwn'>): string | null =>
  isReplicated && !isOwn ? 'Replication writes it, and fires triggers only where a table’s owner says so: what to run is said on Today once it is attached.' : null
