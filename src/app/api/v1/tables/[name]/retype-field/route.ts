import { baseUrl, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { readFieldDef } from '@/core/values/read-table'
import { retype } from '@/engine/retype-field'
import { useWords } from '@/store/design/uses'

/** Gives a field another type; with `look` tells what would not convert, with `anyway` blanks it, with `renamed` choices keep their records under other names. 409 where something would be lost and neither is said. */
export const POST = route('POST /api/v1/tables/[name]/retype-field', async ({ actor, params, json, inTurn }) => {
  const { look = false, anyway = false, renamed = {}, ...given } = objectOf(await json())
  const names = new Map(Object.entries(objectOf(renamed)).flatMap(([was, is]): [string, string][] => (typeof is === 'string' ? [[was, is]] : [])))
  const read = readFieldDef(given)
  if ('problems' in read) throw new Problem(422, 'Not valid', 'The field has the wrong shape.', { problems: read.problems })
  const told = await inTurn(() => retype(pool(), params.name, read.field, { look: look === true, anyway: anyway === true, renamed: names, by: actor.person }, baseUrl()))
  if (!told.done && look !== true) {
    const lost = told.filled - told.kept
    const sentences = [
      ...(lost ? [`${lost} records have a value that is no ${read.field.type}. They are blanked with \`anyway\`.`] : []),
      ...(told.gone.length ? [`${told.gone.map(useWords).join(', ')} speak of choices that would be gone. With \`anyway\` they never meet them again.`] : []),
    ]
    throw new Problem(409, 'Would be lost', sentences.join(' '), { ...told })
  }
  return told
})
