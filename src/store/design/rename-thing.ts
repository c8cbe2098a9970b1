import type { Pool } from 'pg'
import { renamedInFigure } from '@/core/figures/rename'
import type { Schema } from '@/core/values/tables'
import { asValue, type ThingRenamed, withThing } from '@/core/workflow/rename/thing'
import { holdOffWorkers } from '../changes'
import { type Queryable, transaction } from '../database'
import { lockTables, readSchema } from '../tables'
import { type Documents, placesOf, type Rewriting, readDocuments, rewritten, type Use, workflowNames } from './mentions'
import { groupsWith } from './readdress'
import { renameInViews, rewrite } from './rename'
import { type ChoicesRenamed, outdateFigures, renameInGroups, renameInImages } from './rename-choices'
import { keptThing, nameThing } from './things'

/**
 * Calls something that workflows name otherwise, in one transaction: itself, and whatever speaks of it, workflows' versions, drafts and armed trials, figures and views. Versions go on under their
 * numbers, and say what was renamed in them. Mail that waits for a person goes to the new address. Workers wait until it is done.
 * With `anyway` unset, answers the places that would go along and does nothing where there are any.
 * @throws Refused where there is no such thing, or the name cannot be had
 */
export async function renameThing(pool: Pool, asked: ThingRenamed, anyway: boolean, by: number | null): Promise<{ readonly done: boolean; readonly uses: Use[] }> {
  return transaction(pool, async (db) => {
    await holdOffWorkers(db)
    await lockTables(db)
    const renamed = { ...asked, from: await keptThing(db, asked) }
    const [schema, documents] = [await readSchema(db), await readDocuments(db)]
    const mentions = rewritten(documents, rewritingFor(renamed, schema))
    const uses = [...placesOf(mentions, await workflowNames(db)), ...(await usesInGroups(db, renamed))]
    if (uses.length && !anyway && renamed.to !== renamed.from) return { done: false, uses }
    await nameThing(db, renamed)
    await rewrite(db, mentions, `The ${renamed.thing} ${renamed.from} is called ${renamed.to} now`, by)
    await renameOfPeople(db, renamed, schema, documents)
    await db.query('select rappel.next_generation()')
    return { done: true, uses }
  })
}

/** How documents are written anew: where they name it as what it is, and where they speak of it by a field of people. */
function rewritingFor(renamed: ThingRenamed, schema: Schema): Rewriting {
  const value = asValue(renamed, schema)
  const isPerson = renamed.thing === 'person'
  const word = isPerson ? renamed.from.toLowerCase() : JSON.stringify(renamed.from)
  return {
    may: (text) => (isPerson ? text.toLowerCase() : text).includes(word),
    workflow: (document) => withThing(document, renamed, schema),
    template: (document) => document,
    figure: (document) => (value ? renamedInFigure(document, value) : document),
  }
}

/** What is kept by how people were called: views, groups of figures, and what was recorded of people, so that what is rehearsed and looked back at knows them as they are called now. */
async function renameOfPeople(db: Queryable, renamed: ThingRenamed, schema: Schema, documents: Documents): Promise<void> {
  const value = asValue(renamed, schema)
  if (!value) return
  const { table, from: field } = value
  const kept: ChoicesRenamed = { table, field, choices: new Map([[renamed.from, renamed.to]]) }
  await renameInViews(db, value)
  await renameInImages(db, kept, 0, null)
  await renameInGroups(db, kept, schema)
  await outdateFigures(db, kept, { schema, documents })
}

const usesInGroups = async (db: Queryable, { thing, from }: ThingRenamed): Promise<Use[]> =>
  thing === 'person' ? (await groupsWith(db, from)).map(({ name }) => ({ kind: 'group', name })) : []
