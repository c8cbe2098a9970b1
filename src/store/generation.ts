import { one, type Queryable } from './database'

/** The number that moves on whenever anything workflows are compiled from changes. */
export async function readGeneration(db: Queryable): Promise<number> {
  return (await one<{ value: number }>(db, 'select value from rappel.generation')).value
}

/**
 * Reads what moves on with the generation alone: from a pool it is kept until that does, where it `lasts`; within a transaction, which may have changed it itself, it is read anew.
 * Whoever reads shares what is answered.
 */
export function keptByGeneration<T>(read: (db: Queryable) => Promise<T>, lasts: (found: T) => boolean = () => true): (db: Queryable) => Promise<T> {
  const kept = new WeakMap<Queryable, { readonly generation: number; readonly found: Promise<T> }>()
  return async (db) => {
    if (!isPool(db)) return read(db)
    const generation = await readGeneration(db)
    const known = kept.get(db)
    if (known?.generation === generation) return known.found
    const reading = { generation, found: read(db) }
    kept.set(db, reading)
    const forget = () => kept.get(db) === reading && kept.delete(db)
    try {
      const found = await reading.found
      if (!lasts(found)) forget()
      return found
    } catch (error) {
      forget()
      throw error
    }
  }
}

const isPool = (db: Queryable): boolean => 'totalCount' in db
