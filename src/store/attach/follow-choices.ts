import { NOWHERE } from '@/core/paths/rename'
import type { FieldDef, TableDef } from '@/core/values/tables'
import type { Queryable } from '../database'
import { mentionsIn, placesOf, readDocuments, workflowNames } from '../design/mentions'
import { type ChoicesRenamed, renameChoices } from '../design/rename-choices'
import { useWords } from '../design/uses'
import { readSchema } from '../tables'

/** What came of the choices of a field of an attached table: those that are called otherwise, and what is said of them and of those that are gone. */
export interface ChoicesFollowed {
  readonly renamed: ChoicesRenamed | null
  readonly news: readonly string[]
}

/**
 * Takes over what its owner made of the values of a column. An enumeration's value keeps its place when it is called otherwise (PostgreSQL, "ALTER TYPE … RENAME VALUE"), so whatever speaks of
 * it goes along; of values that are gone from a list is said what still waits for them.
 */
export async function followChoices(db: Queryable, table: TableDef, was: FieldDef, is: FieldDef, isEnumeration: boolean): Promise<ChoicesFollowed> {
  const [were, are] = [was.choices ?? [], is.choices ?? []]
  const left = were.filter((choice) => !are.includes(choice))
  if (was.type !== 'choice' || is.type !== 'choice' || left.length === 0) return { renamed: null, news: [] }
  const keepsPlaces = isEnumeration && were.length === are.length && were.every((choice, i) => choice === are[i] || (left.includes(choice) && !were.includes(are[i] ?? '')))
  const choices = new Map(keepsPlaces ? left.map((choice) => [choice, are[were.indexOf(choice)] ?? choice]) : [])
  const schema = await readSchema(db)
  const documents = await readDocuments(db)
  if (keepsPlaces) {
    const news = left.map(
      (choice) => `Its owner calls ${JSON.stringify(choice)} of ${was.name} ${JSON.stringify(choices.get(choice))} now. What speaks of it goes along; nothing is to be done.`,
    )
    const renamed = { table: table.name, field: was.name, choices }
    await renameChoices(db, renamed, { schema, documents }, news.join(' '), null)
    return { renamed, news }
  }
  const names = await workflowNames(db)
  const waiting = placesOf(
    mentionsIn(documents, { schema, table: table.name, from: was.name, to: was.name, choices: new Map(left.map((choice) => [choice, NOWHERE])) }),
    names,
  ).filter((use) => use.inForce !== false)
  const gone = left.map((choice) => JSON.stringify(choice)).join(', ')
  return {
    renamed: null,
    news: [
      waiting.length
        ? `Its owner took ${gone} from what ${was.name} may be, which these still speak of: ${waiting.map(useWords).join(', ')}. Say in them what it is now.`
        : `Its owner took ${gone} from what ${was.name} may be. Nothing that is live speaks of it.`,
    ],
  }
}
