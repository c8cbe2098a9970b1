import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { usesOfFields, usesOfTable } from '@/store/design/uses'
import { readSchema, readTableSize } from '@/store/tables'
import { Designer } from '@/ui/design/designer'

export const metadata: Metadata = { title: 'Fields' }

/** A table, designed. */
export default async function FieldsPage({ params }: { params: Promise<{ table: string }> }) {
  await visitor('PAGE /records/[table]/fields')
  const [{ table: name }, schema] = await Promise.all([params, readSchema(pool())])
  const table = name === 'person' ? undefined : schema.get(name)
  if (!table) notFound()
  const [uses, fieldUses, records] = await Promise.all([usesOfTable(pool(), table), usesOfFields(pool(), table), readTableSize(pool(), name)])
  const others = [...schema.values()].filter((t) => t.name !== 'person')
  const lists = others.flatMap((t) =>
    t.fields.filter((f) => f.type === 'link' && f.table === name).map((f) => ({ table: t.name, label: `${t.label}, by ${f.label.toLowerCase()}`, field: f.name })),
  )
  const { figures: _, ...plain } = table
  return (
    <Designer table={plain} tables={others.map((t) => ({ name: t.name, label: t.label }))} uses={uses} fieldUses={Object.fromEntries(fieldUses)} lists={lists} records={records} />
  )
}
