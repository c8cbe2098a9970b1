import type { Json } from '@/core/json'
import type { Found } from '@/store/find'
import type { ExampleOutcome } from '../examples'
import type { AtLine } from '../rehearsal/at-line'

/** How an example fares, as the API tells it. */
export type ExampleAnswer = Pick<ExampleOutcome, 'name' | 'passes' | 'shortfalls'>

/** The changes that a line stopped, and those that went on. */
export type AtLineAnswer = Json<AtLine>

/** What was found by words. */
export type FoundAnswer = Json<Found>
