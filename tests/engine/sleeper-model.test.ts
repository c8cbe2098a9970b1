/**
 * The way in which workers sleep, as a model of which every order of steps is tried: writers that try the lock, write, and commit; one worker that looks, handles what is committed, asks for
 * the lock, looks again once it has it, and sleeps. Advisory locks as PostgreSQL has them ("Explicit Locking", 13.3.5): a shared one is refused while an exclusive one is held or waited
 * for, an exclusive one waits for shared ones to go.
 */

type Writer = 'before' | 'silent' | 'telling' | 'ended'
type Sleeping = 'looking' | 'handling' | 'asking' | 'waiting' | 'asleep'

interface State {
  readonly writers: readonly Writer[]
  readonly worker: Sleeping
  /** Committed and not handled. */
  readonly committed: number
  readonly seen: number
  readonly lock: 'free' | 'wanted' | 'held'
  /** Whether the bell was rung since the worker slept last. */
  readonly rung: boolean
}

const WRITERS = 4
const START: State = { writers: Array<Writer>(WRITERS).fill('before'), worker: 'looking', committed: 0, seen: 0, lock: 'free', rung: false }

interface Rules {
  /** Whether the worker looks once more after it was given the lock. */
  readonly looksAgain: boolean
  /** Whether a lock that is waited for is refused to those who try it. */
  readonly fair: boolean
}

/** What may happen next. */
function next(state: State, { looksAgain, fair }: Rules): State[] {
  const steps: State[] = []
  const { writers, worker, committed, seen, lock, rung } = state
  writers.forEach((writer, i) => {
    const as = (w: Writer, rest: Partial<State> = {}) => steps.push({ ...state, ...rest, writers: writers.map((x, n) => (n === i ? w : x)) })
    const isRefused = lock === 'held' || (lock === 'wanted' && fair)
    if (writer === 'before') as(isRefused ? 'telling' : 'silent')
    if (writer === 'silent') as('ended', { committed: committed + 1 })
    if (writer === 'telling') as('ended', { committed: committed + 1, rung: true }) // a notification comes with the commit
  })
  if (lock === 'wanted' && !writers.includes('silent')) steps.push({ ...state, lock: 'held', rung: looksAgain ? true : rung })
  if (worker === 'looking') steps.push({ ...state, worker: committed > 0 ? 'handling' : 'asking', seen: committed })
  if (worker === 'handling') steps.push({ ...state, worker: 'looking', committed: committed - seen, seen: 0, lock: lock === 'held' ? 'free' : lock })
  if (worker === 'asking') steps.push({ ...state, worker: 'asleep', lock: lock === 'free' ? 'wanted' : lock })
  if (worker === 'asleep' && rung) steps.push({ ...state, worker: 'looking', rung: false })
  return steps
}

/** States in which nothing can happen any more and something is left to handle. */
function lost(rules: Rules): { states: number; lost: State[] } {
  const known = new Map<string, State>([[JSON.stringify(START), START]])
  const open = [START]
  const found: State[] = []
  for (let state = open.pop(); state; state = open.pop()) {
    const steps = next(state, rules)
    if (steps.length === 0 && state.committed > 0) found.push(state)
    for (const step of steps) {
      const key = JSON.stringify({ ...step, writers: [...step.writers].sort() })
      if (known.has(key)) continue
      known.set(key, step)
      open.push(step)
    }
  }
  return { states: known.size, lost: found }
}

test('whatever comes before whatever, nobody sleeps while something is to be handled', () => {
  const { states, lost: found } = lost({ looksAgain: true, fair: true })
  expect(states).toBeGreaterThan(300)
  expect(found).toEqual([])
})

test('the look after the lock was given is what it rests on', () => {
  expect(lost({ looksAgain: false, fair: true }).lost).not.toEqual([])
})
