import { makeTemplate } from './database'

await makeTemplate()
