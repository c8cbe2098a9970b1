import { makeTemplate } from '../support/database'
import { benchBacklog } from './backlog'
import { benchBulk } from './bulk'
import { benchCapture } from './capture'
import { benchDrain } from './drain'
import { benchFigures } from './figures'
import { benchHostile } from './hostile'
import { benchKeys } from './keys'
import { benchLatency } from './latency'
import { benchLimits } from './limits'
import { benchLog } from './log'
import { benchMail } from './mail'
import { benchManyWorkflows } from './many-workflows'
import { benchMargin } from './margin'
import { benchOccasions } from './occasions'
import { benchPredicates } from './predicates'
import { benchPropose } from './propose'
import { benchRehearsal } from './rehearsal'
import { benchSize } from './size'
import { benchWords } from './words'
import { benchWorkers } from './workers'

await makeTemplate()
const benches = {
  capture: benchCapture,
  drain: benchDrain,
  'many-workflows': benchManyWorkflows,
  latency: benchLatency,
  mail: benchMail,
  predicates: benchPredicates,
  rehearsal: benchRehearsal,
  log: benchLog,
  hostile: benchHostile,
  occasions: benchOccasions,
  figures: benchFigures,
  limits: benchLimits,
  bulk: benchBulk,
  keys: benchKeys,
  words: benchWords,
  propose: benchPropose,
  margin: benchMargin,
  workers: benchWorkers,
  backlog: benchBacklog,
  size: benchSize,
}
const asked = process.argv.slice(2)
const unknown = asked.filter((name) => !(name in benches))
if (unknown.length) throw new Error(`There is nothing to measure called ${unknown.join(', ')}; there are ${Object.keys(benches).join(', ')}.`)
for (const [name, bench] of Object.entries(benches)) if (asked.length === 0 || asked.includes(name)) await bench()
