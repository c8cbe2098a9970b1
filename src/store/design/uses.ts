import { NOWHERE } from '@/core/paths/rename'
import type { TableDef } from '@/core/values/tables'
import { listImports } from '../bulk/imports'
import { many, type Queryable } from '../database'
import { FROM_WORKFLOWS } from '../documents'
import { readSchema } from '../tables'
import { mentionsIn, placesOf, readDocuments, thatMaySpeakOf, type Use, workflowNames } from './mentions'

/** Where each of a table's fields is used: what speaks of it, and whether it names or owns the table's records. */
export async function usesOfFields(db: Queryable, table: TableDef): Promise<Map<string, Use[]>> {
  const [every, names, schema] = [await readDocuments(db), await workflowNames(db), await readSchema(db)]
  const documents = thatMaySpeakOf({ schema, table: table.name }, every)
  const imports = await listImports(db, table.name)
  return new Map(
    table.fields.map(({ name }) => [
      name,
      [
        ...(table.titleField === name ? [{ kind: 'title' as const, name: table.label }] : []),
        ...(table.ownerField === name ? [{ kind: 'owner' as const, name: table.label }] : []),
        ...placesOf(mentionsIn(documents, { schema, table: table.name, from: name, to: NOWHERE }), names),
        ...imports.filter((i) => i.key === name || Object.values(i.columns).includes(name)).map((i) => ({ kind: 'import' as const, name: i.name })),
      ],
    ]),
  )
}

/** Where a table is used: workflows on it or that speak of it, its templates and figures, and the links of other tables that point at it. */
export async function usesOfTable(db: Queryable, { name }: TableDef): Promise<Use[]> {
  const workflows = await many<{ name: string; document: string; own: boolean; inForce: boolean }>(
    db,
    `select w.name, w.draft::text || coalesce(v.document::text, '') as document, w.draft ->> 'table' = $1 or v.document ->> 'table' = $1 as own, v.document is not null as "inForce"
       ${FROM_WORKFLOWS} order by w.name`,
    [name],
  )
  const speaks = new RegExp(`"(list|of)": ?"${name}(\\.|")|"table": ?"${name}"`)
  const templates = await many<{ name: string }>(db, 'select name from rappel.template where table_name = $1 order by name', [name])
  const figures = await many<{ name: string }>(db, `select coalesce(definition ->> 'label', name) as name from rappel.figure where definition ->> 'table' = $1 order by 1`, [name])
  const links = await many<{ table_name: string; name: string; label: string; attached: boolean }>(
    db,
    `select table_name, name, label, exists (select from rappel.attached a where a.tbl = table_name) as attached from rappel.field_def where type = 'link' and target = $1 and table_name <> $1`,
    [name],
  )
  return [
    ...links.map((l): Use => ({ kind: 'link', name: `${l.table_name}: ${l.label}`, ...(l.attached ? { plain: { table: l.table_name, field: l.name } } : {}) })),
    ...workflows.filter((w) => w.own || speaks.test(w.document)).map((w): Use => ({ kind: 'workflow', name: w.name, inForce: w.inForce })),
    ...templates.map((t): Use => ({ kind: 'template', name: t.name })),
    ...figures.map((f): Use => ({ kind: 'figure', name: f.name })),
    ...(await listImports(db, name)).map((i): Use => ({ kind: 'import', name: i.name })),
  ]
}

const KINDS: Readonly<Record<Use['kind'], (name: string) => string>> = {
  workflow: (name) => `the workflow “${name}”`,
  template: (name) => `the template “${name}”`,
  figure: (name) => `the figure “${name}”`,
  group: (name) => `the group “${name}”`,
  import: (name) => `the import “${name}”`,
  link: (name) => `the link ${name}`,
  title: (name) => `${name}, whose records it names`,
  owner: (name) => `${name}, whose owner it is`,
}

/** A use in words. */
export const useWords = ({ kind, name }: Use): string => KINDS[kind](name)
