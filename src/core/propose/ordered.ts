import type { Clause } from '../document/condition'
import { must } from '../must'
import { compareOrdered, isBlank, isOrdered } from '../values/compare'
import type { FieldType, Stored } from '../values/tables'

/** Operators that hold from some value on upwards, or downwards: of values in order they need be tested at few. */
const LIMITS = { 'less than': 'down', 'at most': 'down', 'more than': 'up', 'at least': 'up' } as const

const isLimit = (op: Clause['op']): op is keyof typeof LIMITS => Object.hasOwn(LIMITS, op)

/** A column's values from the lowest on, as places among them; what is blank apart. */
export class Ordered {
  private readonly filled: readonly number[]
  private readonly blank: readonly number[]

  private constructor(
    private readonly values: readonly Stored[],
    compare: (a: Stored, b: Stored) => number,
  ) {
    const places = Array.from(values, (_, place) => place)
    this.blank = places.filter((place) => isBlank(values[place]))
    this.filled = places.filter((place) => !isBlank(values[place])).sort((a, b) => compare(values[a] ?? null, values[b] ?? null))
  }

  /** The values of a type in order; null where they have none, or one of them is no number or date. */
  static of(values: readonly Stored[], type: FieldType): Ordered | null {
    if (!isOrdered(type)) return null
    const isSound = (value: Stored) => isBlank(value) || Number.isFinite(type === 'number' || type === 'money' ? Number(value) : Date.parse(String(value)))
    return values.every(isSound) ? new Ordered(values, (a, b) => compareOrdered(type, a, b)) : null
  }

  /** At which values a clause holds, by place, as a test of the clause at one of them tells: by halving; null where its operator is no limit. */
  through(op: Clause['op'], test: (place: number) => boolean): Uint8Array | null {
    if (!isLimit(op)) return null
    const isUp = LIMITS[op] === 'up'
    const found = new Uint8Array(this.values.length)
    let [low, high] = [0, this.filled.length] // the first at which it is otherwise than at the lowest
    while (low < high) {
      const middle = (low + high) >>> 1
      if (test(must(this.filled[middle])) === isUp) high = middle
      else low = middle + 1
    }
    for (let i = isUp ? low : 0; i < (isUp ? this.filled.length : low); i++) found[must(this.filled[i])] = 1
    for (const place of this.blank) found[place] = test(place) ? 1 : 0
    return found
  }
}
