import type { Json } from '@/core/json'
import type { Found } from '@/store/find'
import type { Spread } from '@/store/spread'
import type { ExampleOutcome } from '../examples'
import type { AtLine } from '../rehearsal/at-line'

/** How an example fares, as the API tells it. */
export type ExampleAnswer = Pick<ExampleOutcome, 'name' | 'passes' | 'shortfalls'>

/** The changes that a line stopped, and those that went on. */
export type AtLineAnswer = Json<AtLine>

/** Where records lie on the value that a clause tests. */
export type SpreadAnswer = Json<Spread>

/** What was found by words. */
export type FoundAnswer = Json<Found>
