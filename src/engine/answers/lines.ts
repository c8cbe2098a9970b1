import type { Json } from '@/core/json'
import type { Found } from '@/store/find'
import type { ExampleOutcome } from '../examples'
import type { AtLine } from '../rehearsal/at-line'
import type { SpreadAtLine } from '../spread'

/** How an example fares, as the API tells it. */
export type ExampleAnswer = Pick<ExampleOutcome, 'name' | 'passes' | 'shortfalls'>

/** The changes that a line stopped, and those that went on. */
export type AtLineAnswer = Json<AtLine>

/** Where records lie on the value that a clause tests. */
export type SpreadAnswer = Json<SpreadAtLine>

/** What was found by words. */
export type FoundAnswer = Json<Found>
