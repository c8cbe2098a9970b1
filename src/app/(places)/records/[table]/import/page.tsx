import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { listImports } from '@/store/bulk/imports'
import { readSchema } from '@/store/tables'
import { ImportPage } from '@/ui/bulk/import-page'

export const metadata: Metadata = { title: 'Import' }

/** Imports a file into a table. */
export default async function ImportIntoTable({ params }: { params: Promise<{ table: string }> }) {
  const actor = await visitor('PAGE /records/[table]/import')
  const { table: name } = await params
  const table = name === 'person' ? undefined : (await readSchema(pool())).get(name)
  if (!table) notFound()
  return <ImportPage key={name} table={table} isAdministrator={actor.role === 'administrator'} imports={await listImports(pool(), name)} />
}
