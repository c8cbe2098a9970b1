import type { Pool } from 'pg'
import type { FieldDef } from '@/core/values/tables'
import { renameInLog } from '@/store/design/rename-choices'
import { type RetypeAsked, type Retyping, retypeField } from '@/store/design/retype'
import { readSettings } from '@/store/settings'
import { renew } from './figures/renew'

/** Gives a field another type, or other names to its choices, or looks what that would do; figures that speak of it are worked out anew after it, and what was recorded knows choices by their new names. @throws Refused where the field cannot have the type */
export async function retype(pool: Pool, table: string, field: FieldDef, asked: RetypeAsked, baseUrl: string): Promise<Retyping> {
  const told = await retypeField(pool, table, field, await readSettings(pool), asked)
  if (!told.done) return told
  await renew(pool, baseUrl)
  if (asked.renamed?.size) await renameInLog(pool, { table, field: field.name, choices: asked.renamed })
  return told
}
