import type { TableDef } from '@/core/values/tables'
import { isRowsRefused } from '@/engine/bulk/import'
import type { FileAsked } from '@/engine/bulk/opened'
import { doBulk } from '@/engine/bulk/write'
import { readSchema } from '@/store/tables'
import { pool } from './environment'
import { Problem } from './problem'
import { settingOf } from './reading'
import type { Call } from './route'
import { streamed } from './streamed'
import { keepUpload } from './uploads'

/** Imports a call's body as one transaction. It can be watched line by line, and is called off, with nothing written, when the caller goes away. */
export async function importUpload(
  { actor, request, inTurn }: Pick<Call, 'actor' | 'request' | 'inTurn'>,
  table: TableDef,
  asked: Omit<FileAsked, 'path'>,
  as: { readonly name: string; readonly quiet: boolean },
): Promise<unknown> {
  const options = { setting: await settingOf(await readSchema(pool())), signal: request.signal }
  const { path, drop } = await keepUpload(request)
  return streamed(request, (progress) =>
    inTurn(() => doBulk(pool(), { kind: 'import', table: table.name, path, ...asked }, { by: actor.by, ...as }, { ...options, progress }))
      .then(({ refused: count, refusals, ...rest }) => ({ ...rest, refused: refusals, refusedCount: count }))
      .catch((error: unknown) => {
        if (!isRowsRefused(error)) throw error
        throw new Problem(422, 'Not valid', `Nothing was imported: ${error.message} Mend them, or take the others alone.`, { refused: error.refusals, refusedCount: error.count })
      })
      .finally(drop),
  )
}
