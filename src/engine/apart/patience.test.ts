import { Stopwatch } from './patience'

const PATIENCE = { one: 20, all: 50 }

/** Keeps this thread, and leaves the processor to others. */
function idle(milliseconds: number): void {
  Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, milliseconds)
}

/** Works until time is up; how long the processor worked for it, in milliseconds. */
function worksFor(stopwatch: Stopwatch): number {
  const before = process.cpuUsage()
  stopwatch.time((isOver) => {
    while (!isOver());
  })
  const { user, system } = process.cpuUsage(before)
  return (user + system) / 1_000
}

test('what the processors gave to others is not time that a work took', () => {
  const stopwatch = new Stopwatch(PATIENCE)
  const isOver = stopwatch.time((over) => {
    over()
    idle(4 * PATIENCE.one)
    return over()
  })
  expect(isOver).toBe(false)
})

test('one evaluation has its time and no more, and all of them have theirs', () => {
  const stopwatch = new Stopwatch(PATIENCE)
  const first = worksFor(stopwatch)
  expect(first).toBeGreaterThanOrEqual(PATIENCE.one)
  for (let sum = first; sum < PATIENCE.all; ) sum += worksFor(stopwatch)
  expect(worksFor(stopwatch)).toBeLessThan(PATIENCE.one)
})
