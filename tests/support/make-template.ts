import { runMigrations } from 'graphile-worker'
import { makeTemplate } from './database'

await makeTemplate((pgPool) => runMigrations({ pgPool, schema: 'graphile_worker' })) // which the first worker of each test would make
