import { databaseOf, prepareDatabase } from './lib/database.mjs'
import { readEnvironment } from './lib/environment.mjs'
import { ensureNode, ensurePackages } from './lib/install.mjs'

/** Brings the database of an installation up to this version, while processes of the version before go on. */
ensureNode()
ensurePackages()
const settings = readEnvironment()
process.exit((await prepareDatabase(settings, databaseOf(settings))) ? 0 : 1)
