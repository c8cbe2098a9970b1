import { makeTemplate } from '../support/database'
import { benchCapture } from './capture'
import { benchDrain } from './drain'
import { benchLatency } from './latency'
import { benchMail } from './mail'

await makeTemplate()
for (const bench of [benchCapture, benchDrain, benchLatency, benchMail]) await bench()
