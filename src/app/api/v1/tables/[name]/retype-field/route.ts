import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { readFieldDef } from '@/core/values/read-table'
import { retypeField } from '@/store/design/retype'
import { readSettings } from '@/store/settings'

/** Gives a field another type; with `look` tells what would not convert, with `anyway` blanks it. 409 where something would not and neither is said. */
export const POST = route('POST /api/v1/tables/[name]/retype-field', async ({ params, json, inTurn }) => {
  const { look = false, anyway = false, ...given } = objectOf(await json())
  const read = readFieldDef(given)
  if ('problems' in read) throw new Problem(422, 'Not valid', 'The field has the wrong shape.', { problems: read.problems })
  const told = await inTurn(async () => retypeField(pool(), params.name, read.field, await readSettings(pool()), { look: look === true, anyway: anyway === true }))
  if (!told.done && look !== true)
    throw new Problem(409, 'Would be lost', `${told.filled - told.kept} records have a value that is no ${read.field.type}. They are blanked with \`anyway\`.`, { ...told })
  return told
})
