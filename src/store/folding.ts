import { one, type Queryable } from './database'

/**
 * Sees to it that texts are alike whatever the case of their letters, as Unicode has it, in a database of whatever locale; whether it was otherwise, in a dump that was restored elsewhere, say.
 * What is indexed by that is indexed anew.
 */
export const setFolding = async (db: Queryable): Promise<boolean> => (await one<{ was: boolean }>(db, 'select rappel.set_folding() as was')).was
