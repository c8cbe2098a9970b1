import type { Clause } from '../document/condition'
import { must } from '../must'
import { isBlank } from '../values/compare'
import type { Stored } from '../values/tables'
import { digitsOf, roundBetween } from './round'

/** A clause without its field, and its cost. */
export type Costed = readonly [Omit<Clause, 'field'>, number]

/** A field's values: at the changes marked, now and before, and anywhere. */
export interface Numbers {
  readonly yes: readonly Stored[]
  readonly no: readonly Stored[]
  readonly yesBefore: readonly Stored[]
  readonly noBefore: readonly Stored[]
  readonly linked: boolean
  /** Most limits on both sides, those with the fewest digits. */
  readonly mostWithin: number
  /** All values that the field has anywhere, each once. */
  readonly everywhere: readonly Stored[]
}

/** Limits that are tried between two marked values: the roundest, and some spread evenly. */
const MOST_ROUND = 3
const MOST_EVEN = 4

/** Ends of what lies between, at most, between two marked values. */
const MOST_ENDS = 2

/** Where limits lie between more marked values than these, fewer are tried between each two. */
const MANY_EDGES = 8

/** Most marked values that limits are tried between. */
const MOST_EDGES = 40
const MOST_EDGES_BESIDE = 10

/** What each digit more of a limit costs: people write limits with few. */
const PER_DIGIT = 1

/** The numbers among values. */
const numbers = (values: readonly Stored[]): number[] => values.flatMap((v) => (isBlank(v) || Number.isNaN(Number(v)) ? [] : [Number(v)]))

/** Numbers in order, each once. */
const ordered = (values: readonly number[]) => [...new Set(values)].sort((a, b) => a - b)

/** Some of a list that is in order, spread evenly, the ends among them. */
function spread<T>(list: readonly T[], most: number): T[] {
  if (list.length <= most) return [...list]
  return Array.from({ length: most }, (_, k) => must(list[Math.round((k * (list.length - 1)) / (most - 1))]))
}

/** A limit between two values that lie next to each other: the number it is best written as, how many digits that has, and whether it is the value that is to be left out. */
interface Limit {
  readonly at: number
  readonly digits: number
  readonly isOutside: boolean
}

/** The values of a field seen from one side: upward as they are, downward with their signs turned, so that every limit is a lower one. */
class Side {
  private readonly all: readonly number[]
  private readonly limitsAt = new Map<number, Limit>()

  /** Of values in order. */
  constructor(
    values: readonly number[],
    readonly sign: 1 | -1,
  ) {
    this.all = sign === 1 ? values : values.map((v) => -v).reverse()
  }

  /** How many of the values are at most a number. */
  private upTo(value: number): number {
    let [low, high] = [0, this.all.length]
    while (low < high) {
      const middle = (low + high) >>> 1
      if (must(this.all[middle]) <= value) low = middle + 1
      else high = middle
    }
    return low
  }

  /** The limit that lets a value through and not the one below it. */
  limit(value: number): Limit {
    const known = this.limitsAt.get(value)
    if (known) return known
    const below = this.all[this.upTo(value) - 2]
    const round = below === undefined ? value : roundBetween(below, value)
    const isOutside = below !== undefined && digitsOf(below) < digitsOf(round)
    const at = isOutside ? below : round
    const found = { at: at === 0 ? 0 : at * this.sign, digits: digitsOf(at), isOutside }
    this.limitsAt.set(value, found)
    return found
  }

  /** Of values in order those, so many, whose limits have the fewest digits; of as many the highest. */
  private roundest(values: readonly number[], most: number): number[] {
    const found: number[] = []
    for (let i = values.length - 1; i >= 0; i--) {
      const value = must(values[i])
      const { digits } = this.limit(value)
      let place = found.length
      while (place > 0 && this.limit(must(found[place - 1])).digits > digits) place--
      if (place < most) found.splice(place, 0, value)
      if (found.length > most) found.pop()
    }
    return found
  }

  /** Values above one and at most another, at which limits are tried: the first and last, the roundest, and some between. */
  tried(above: number, upto: number, isBrief: boolean): number[] {
    const inside = this.all.slice(this.upTo(above), this.upTo(upto))
    return ordered([...this.roundest(inside, isBrief ? 1 : MOST_ROUND), ...spread(inside, isBrief ? 2 : MOST_EVEN)])
  }

  /** Limits between each two values that lie next to each other, and under the lowest: what lets one through and not the other; fewer where it is to be brief, but not just under the lowest of some. */
  between(edges: readonly number[], yes: readonly number[], isBrief: boolean): Limit[] {
    const placed = ordered(edges.map((v) => v * this.sign))
    const lowest = Math.min(...yes.map((v) => v * this.sign))
    return placed.flatMap((edge, i) => this.tried(placed[i - 1] ?? Number.NEGATIVE_INFINITY, edge, isBrief && edge !== lowest).map((at) => this.limit(at)))
  }

  /** The roundest limits of those between each two values that lie next to each other. */
  ends(edges: readonly number[]): Limit[] {
    const placed = ordered(edges.map((v) => v * this.sign))
    return placed.flatMap((edge, i) => {
      const limits = this.tried(placed[i - 1] ?? Number.NEGATIVE_INFINITY, edge, false).map((at) => this.limit(at))
      return limits
        .filter((limit) => !limit.isOutside)
        .sort((a, b) => a.digits - b.digits)
        .slice(0, MOST_ENDS)
    })
  }

  clause({ at, isOutside, digits }: Limit): Costed {
    const [within, beyond] = this.sign === 1 ? (['at least', 'more than'] as const) : (['at most', 'less than'] as const)
    return [{ op: isOutside ? beyond : within, value: at }, 1.2 + PER_DIGIT * (digits - 1)]
  }
}

/** What a number lies between, both ends within. */
function between(low: Limit, high: Limit): Costed[] {
  if (low.isOutside || high.isOutside || low.at >= high.at) return []
  return [[{ op: 'between', value: low.at, to: high.at }, 1.6 + PER_DIGIT * (low.digits + high.digits - 2)]]
}

/** What a number is held against: limits that the marked lie within or some of them (one of several reasons), and such as some of the marked crossed. */
export function againstLimits(values: Numbers): Costed[] {
  const all = ordered(numbers(values.everywhere))
  const [up, down] = [new Side(all, 1), new Side(all, -1)]
  return [...limits(values, up, down), ...(values.linked ? [] : crossings(values, up, down))]
}

/** Limits between each two marked values next to each other, now or before, so that what marks can tell apart is all there. */
function limits(values: Numbers, up: Side, down: Side): Costed[] {
  const [yes, no] = [ordered(numbers(values.yes)), numbers(values.no)]
  if (yes.length === 0) return []
  const before = values.linked ? [] : numbers([...values.yesBefore, ...values.noBefore])
  const edges = ordered([must(yes[0]), must(yes.at(-1)), ...spread(ordered([...yes, ...no, ...before]), values.linked ? MOST_EDGES_BESIDE : MOST_EDGES)])
  const isBrief = values.linked || edges.length > MANY_EDGES
  const [lows, highs] = [up.between(edges, yes, isBrief), down.between(edges, yes, isBrief)]
  const found = [...lows.map((limit) => up.clause(limit)), ...highs.map((limit) => down.clause(limit))]
  return values.linked ? found : [...found, ...within(yes, edges, up, down, values.mostWithin)]
}

/** Limits on both sides, with something marked yes within: between marked values next to each other as well, for what is marked no may lie within and have done so before. */
function within(yes: readonly number[], edges: readonly number[], up: Side, down: Side, most: number): Costed[] {
  const [lows, highs] = [up.ends(edges), down.ends(edges)]
  const found = lows.flatMap((low) => highs.flatMap((high) => (yes.some((v) => v >= low.at && v <= high.at) ? between(low, high) : [])))
  return found.sort((a, b) => a[1] - b[1]).slice(0, most)
}

/** Limits that some of the marked crossed: between each two marked values next to each other, as limits are. */
function crossings(values: Numbers, up: Side, down: Side): Costed[] {
  const moves = values.yes.flatMap((now, i) => {
    const [[from], [to]] = [numbers([values.yesBefore[i] ?? null]), numbers([now])]
    return from === undefined || to === undefined || from === to ? [] : [{ from, to }]
  })
  const edges = spread(ordered(numbers([...values.yes, ...values.no, ...values.yesBefore, ...values.noBefore])), MOST_EDGES)
  return [up, down].flatMap((side) => crossed(moves, edges, side))
}

function crossed(moves: readonly { from: number; to: number }[], edges: readonly number[], side: Side): Costed[] {
  const spans = moves.map(({ from, to }) => ({ above: from * side.sign, upto: to * side.sign })).filter(({ above, upto }) => upto > above)
  if (spans.length === 0) return []
  const found = new Map<number, number>()
  for (const { at, digits, isOutside } of side.between(edges, [], edges.length > MANY_EDGES))
    if (!isOutside && spans.some(({ above, upto }) => above < at * side.sign && at * side.sign <= upto)) found.set(at, digits)
  return [...found].map(([value, digits]) => [{ op: side.sign === 1 ? 'crossed above' : 'crossed below', value }, 1.2 + PER_DIGIT * (digits - 1)])
}
